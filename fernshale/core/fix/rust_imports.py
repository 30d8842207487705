"""The use declarations of Rust, whose paths may share their beginnings: `use wick::{lamps::{Glow, Shade as S}, Wick};`"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from fernshale.core.base.textfile import line_end
from fernshale.core.fix.tokens import Token, tokenize


class UseLeaf(NamedTuple):
    """One path of a use declaration. `first` and `last` are the tokens of what is written for it alone, `last` exclusive.

    `group` are the tokens of the brackets around it, None outside of any, and `before` the path that these share. `statement` are
    the first token of the declaration and its semicolon.
    """

    names: tuple[str, ...]
    before: tuple[str, ...]
    first: int
    last: int
    group: tuple[int, int] | None
    statement: tuple[int, int]


def use_leaves(tokens: Sequence[Token]) -> Iterator[UseLeaf]:
    """The paths of all use declarations."""
    for at, token in enumerate(tokens):
        if token.text == "use" and token.kind == "name":
            end = next((i for i in range(at + 1, len(tokens)) if tokens[i].text == ";"), None)
            if end is not None:
                yield from _leaves(tokens, at + 1, end, (), None, (at, end))


def _leaves(
    tokens: Sequence[Token], at: int, end: int, before: tuple[str, ...], group: tuple[int, int] | None,
    statement: tuple[int, int],
) -> Iterator[UseLeaf]:  # fmt: skip
    while at < end:
        first, names = at, list(before)
        while at < end and tokens[at].text not in (",", "{", "as"):
            if tokens[at].kind == "name":
                names.append(tokens[at].text)
            at += 1
        if at < end and tokens[at].text == "{":
            close = _closing(tokens, at, end)
            yield from _leaves(tokens, at + 1, close, tuple(names), (at, close), statement)
            at = close + 1
        elif at > first:
            yield UseLeaf(tuple(names), before, first, at, group, statement)
        while at < end and tokens[at].text != ",":
            at += 1
        at += 1


def _closing(tokens: Sequence[Token], at: int, end: int) -> int:
    depth = 0
    for i in range(at, end):
        depth += (tokens[i].text == "{") - (tokens[i].text == "}")
        if not depth:
            return i
    return end


def moved_leaves(old: Sequence[str], new: Sequence[str], text: str, path: str) -> Iterator[tuple[int, int, str]]:
    """Write a path inside brackets as another one: in its place where the brackets share its beginning, else as a declaration
    of its own."""
    tokens = tokenize(text, path)
    for leaf in use_leaves(tokens):
        if leaf.group is None or leaf.names != tuple(old):
            continue
        shared = len(leaf.before)
        if tuple(new[:shared]) == leaf.before and len(new) > shared:
            yield tokens[leaf.first].start, tokens[leaf.last - 1].end, "::".join(new[shared:])
            continue
        opening, close = leaf.group
        first, last = leaf.statement
        is_alone = all(token.text == "," for token in (*tokens[opening + 1 : leaf.first], *tokens[leaf.last : close]))
        if is_alone and all(token.text != "{" for token in tokens[first:opening]):
            yield tokens[first + 1].start, tokens[close].end, "::".join(new)
        elif not is_alone and tokens[leaf.last].text != "as":
            yield *_with_comma(tokens, leaf), ""
            start = text.rfind("\n", 0, tokens[first].start) + 1
            written = text[start : tokens[first].end]  # with its visibility
            yield tokens[last].end, tokens[last].end, f"{line_end(text)}{written} {'::'.join(new)};"


def _with_comma(tokens: Sequence[Token], leaf: UseLeaf) -> tuple[int, int]:
    """The place of a path in brackets with one of the commas around it."""
    before, after = tokens[leaf.first - 1].text == ",", tokens[leaf.last].text == ","
    is_last = not after or tokens[leaf.last + 1].text == "}"
    if before and is_last:
        return tokens[leaf.first - 1].start, tokens[leaf.last - 1].end
    return tokens[leaf.first].start, tokens[leaf.last + 1].start if after else tokens[leaf.last - 1].end
