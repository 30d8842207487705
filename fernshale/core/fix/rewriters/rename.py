"""Rename a symbol."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fernshale.core.fix.receiver_types import Owners
from fernshale.core.fix.rules import RenameRule
from fernshale.core.fix.tokens import Token, group_end, name_indexes, name_starts, tokenize

# What may stand before the name of a member that a class of a script defines.
_BEFORE_MEMBER = frozenset(("{", "}", ";", "*", "async", "public", "protected", "private", "override"))


def find(rule: RenameRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    is_computed = rule.new.startswith("[")
    if not rule.of and not is_computed:
        for start in name_starts(text, path, rule.old):
            yield start, start + len(rule.old), rule.new
        return
    tokens = tokenize(text, path)
    owner = Owners(tokens, rule.of, path) if rule.of else None
    for index in name_indexes(text, path, rule.old):
        # If a tool reported the place, it knows the type better than the text shows.
        if owner is not None and (owner.is_no_member(index) if rule.named else owner.is_another(index)):
            continue
        spot = _computed_from(tokens, index) if is_computed else tokens[index].start
        if spot is not None:
            yield spot, tokens[index].end, rule.new


def _computed_from(tokens: Sequence[Token], at: int) -> int | None:
    """Where a name begins that becomes a computed one, as `[Symbol.iterator]` of scripts: with the point of `lamps.each`, but not
    with that of `lamps?.each`. None where the name is no member's."""
    before = tokens[at - 1] if at else None
    if before is not None and before.text == ".":
        is_optional = at > 1 and tokens[at - 2].text == "?" and tokens[at - 2].end == before.start
        return tokens[at].start if is_optional else before.start
    if before is not None and before.text == "?.":
        return tokens[at].start
    return tokens[at].start if _is_defined(tokens, at) else None


def _is_defined(tokens: Sequence[Token], at: int) -> bool:
    """Whether a class of a script defines a method of that name here: its parameters are followed by a body or a type."""
    if at + 1 == len(tokens) or tokens[at + 1].text != "(":
        return False
    end = group_end(tokens, at + 1)
    after = tokens[end].text if end < len(tokens) else ""
    return after == "{" or (after == ":" and at > 0 and tokens[at - 1].text in _BEFORE_MEMBER)
