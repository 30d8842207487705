"""Code patterns with metavariables.

`$name` matches one operand (a name, literal or bracketed group with its suffixes: `a.b(c)[d]`), or a whole expression if the
pattern has it alone between brackets or commas. `$$name` matches any balanced run of tokens, including an empty one. A
metavariable that occurs twice must match the same tokens. White space is ignored.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import takewhile

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.fix.tokens import Token, group_end, operand_ends, tokenize

META = lazy_pattern(r"\$\$?\w+")
_MARK = "FernshaleMeta"
# Member access of an object, and through a pointer.
ACCESS = {".": "->", "->": "."}
# A run longer than this is no argument list any more; it bounds the work a pattern can cause.
_LONGEST_RUN = 400


@dataclass(frozen=True, slots=True)
class PatternPart:
    """A literal token, or a metavariable: `run` for `$$`, `whole` for one that may be any expression. `also` are alternatives
    to `text`."""

    text: str
    meta: str = ""
    run: bool = False
    whole: bool = False
    also: str = ""

    def is_text(self, text: str) -> bool:
        return text == self.text or (self.also != "" and text == self.also)


@dataclass(frozen=True, slots=True)
class Match:
    """Tokens `first`..`last` (half-open) that fit, and the token spans of the metavariables."""

    first: int
    last: int
    bound: Mapping[str, tuple[int, int]]


def parse_pattern(text: str, has_pointers: bool = False) -> tuple[PatternPart, ...]:
    """Parse a pattern. Raises MisuseError for an empty pattern. If a language `has_pointers`, member access of a metavariable
    also matches access through a pointer."""
    metas: list[str] = []

    def mark(found: re.Match[str]) -> str:
        metas.append(found[0])
        return f" {_MARK}{len(metas) - 1} "

    tokens = tokenize(META.sub(mark, text), "")
    parts: list[PatternPart] = []
    for index, token in enumerate(tokens):
        if not token.text.startswith(_MARK):
            is_asked = has_pointers and parts and parts[-1].meta
            parts.append(PatternPart(token.text, also=ACCESS.get(token.text, "") if is_asked else ""))
            continue
        meta = metas[int(token.text[len(_MARK) :])]
        before = tokens[index - 1].text if index else ""
        after = tokens[index + 1].text if index + 1 < len(tokens) else ""
        whole = before in ("(", ",", "[") and after in (")", ",", "]")
        parts.append(PatternPart("", meta.lstrip("$"), meta.startswith("$$"), whole))
    if not any(part.text for part in parts):
        raise MisuseError(tr("the pattern {words!r} has nothing to look for but metavariables", words=text))
    return tuple(parts)


def find_matches(parts: Sequence[PatternPart], tokens: Sequence[Token]) -> Iterator[Match]:
    """Matches from left to right that do not overlap."""
    behind = 0
    for found in all_matches(parts, tokens):
        if found.first >= behind and found.last > found.first:
            yield found
            behind = found.last


def all_matches(parts: Sequence[PatternPart], tokens: Sequence[Token]) -> Iterator[Match]:
    """The match that begins at each token, where one does."""
    return (found for at in _starts(parts, tokens) if (found := _match_at(parts, tokens, at)) is not None)


def _starts(parts: Sequence[PatternPart], tokens: Sequence[Token]) -> Iterable[int]:
    """Yield possible starts of a match, in order: positions of the pattern's first token, or of the operand before it."""
    first = 0 if parts[0].text else 1
    words = tuple(takewhile(lambda part: part.text, parts[first:]))
    if not words or parts[0].run:
        return range(len(tokens))
    wanted = (words[0].text, words[0].also or words[0].text)
    found = [at for at, token in enumerate(tokens) if token.text in wanted and at + len(words) <= len(tokens)]
    found = [at for at in found if all(part.is_text(tokens[at + ahead].text) for ahead, part in enumerate(words))]
    return found if first == 0 else sorted({start for at in found for start in range(_operand_begin(tokens, at), at)})


def _operand_begin(tokens: Sequence[Token], end: int) -> int:
    """A lower bound for where the operand that ends at a token begins: before everything that may be part of it."""
    depth, at = 0, end
    while at:
        token = tokens[at - 1]
        if token.text in (")", "]", "}"):
            depth += 1
        elif token.text in ("(", "[", "{"):
            depth -= 1
            if depth < 0:
                break
        elif depth == 0 and token.text not in (".", "->", "::") and token.kind not in ("name", "number", "string"):
            break
        at -= 1
    return at


def _match_at(parts: Sequence[PatternPart], tokens: Sequence[Token], at: int) -> Match | None:
    """The match that begins at token `at`."""
    # Do not find `a::b` and `x.b` inside `c::a::b`: a leading name must not have a qualifier.
    if parts[0].meta and at and tokens[at - 1].text in (".", "->", "::"):
        return None
    if parts[0].text and at and tokens[at - 1].text == "::" and tokens[at].kind == "name" and _qualified(parts):
        return None
    bound = _match(parts, tokens, at, {})
    return None if bound is None else Match(at, bound[0], bound[1])


def _qualified(parts: Sequence[PatternPart]) -> bool:
    return len(parts) > 1 and parts[1].text == "::"


def _match(
    parts: Sequence[PatternPart], tokens: Sequence[Token], at: int, bound: dict[str, tuple[int, int]]
) -> tuple[int, dict[str, tuple[int, int]]] | None:
    if not parts:
        return at, bound
    part = parts[0]
    if not part.meta:
        if at < len(tokens) and part.is_text(tokens[at].text):
            return _match(parts[1:], tokens, at + 1, bound)
        return None
    if part.meta in bound:
        first, last = bound[part.meta]
        known = [token.text for token in tokens[first:last]]
        if [token.text for token in tokens[at : at + len(known)]] != known:
            return None
        return _match(parts[1:], tokens, at + len(known), bound)
    ends = _run_ends(tokens, at) if part.run else _whole_ends(tokens, at) if part.whole else operand_ends(tokens, at)
    for end in ends:
        found = _match(parts[1:], tokens, end, {**bound, part.meta: (at, end)})
        if found is not None:
            return found
    return None


def _run_ends(tokens: Sequence[Token], at: int) -> Iterator[int]:
    yield at
    index = at
    while index < min(len(tokens), at + _LONGEST_RUN):
        text = tokens[index].text
        if text in (")", "]", "}"):
            return
        index = group_end(tokens, index) if text in ("(", "[", "{") else index + 1
        yield index


def _whole_ends(tokens: Sequence[Token], at: int) -> Iterator[int]:
    for end in _run_ends(tokens, at):
        if end > at:
            yield end
        if end < len(tokens) and tokens[end].text in (",", ";"):
            return
