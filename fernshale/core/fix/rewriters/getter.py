"""Replace uses of a field by calls of its getter and setter."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from fernshale.core.fix.classes import PYTHON, derived_spans
from fernshale.core.fix.receiver_types import Owners
from fernshale.core.fix.rules import GetterRule
from fernshale.core.fix.tokens import (
    BEFORE_VALUES,
    Token,
    group_end,
    name_indexes,
    operand_end,
    operand_start,
    tokenize,
)

# Signs that change a field by a value.
_CHANGES = ("+=", "-=", "*=", "/=", "%=", "|=", "&=", "^=")


# Characters `start`..`end` of the text.
_Span = tuple[int, int]


# New text, and spans of the old text, in which there may be other places.
_Parts = tuple[str | _Span, ...]


class _Place(NamedTuple):
    """Characters `start`..`end` become `parts`."""

    start: int
    end: int
    parts: _Parts


class _Calls(NamedTuple):
    """The beginnings of the calls that read and set a field of one object, and the character at which they are written."""

    start: int
    reads: _Parts
    sets: _Parts


def find(rule: GetterRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    places = sorted(_places(rule, path, text), key=lambda place: (place.start, -place.end))
    for place in _outer(places, 0, len(text)):
        yield place.start, place.end, _written(place, places, text)


def _outer(places: Sequence[_Place], start: int, end: int) -> Iterator[_Place]:
    """The places between two characters that are not inside others."""
    for place in places:
        if start <= place.start and place.end <= end:
            yield place
            start = place.end


def _written(place: _Place, places: Sequence[_Place], text: str) -> str:
    """The new text of a place. The object and the value that is set may have places as well."""
    parts = []
    for part in place.parts:
        if isinstance(part, str):
            parts.append(part)
            continue
        here, end = part
        for inner in _outer([item for item in places if item is not place], here, end):
            parts += [text[here : inner.start], _written(inner, places, text)]
            here = inner.end
        parts.append(text[here:end])
    return "".join(parts)


def _places(rule: GetterRule, path: str, text: str) -> Iterator[_Place]:
    tokens = tokenize(text, path)
    # Inherited names are used without their class.
    inside = derived_spans(text, path, [rule.of]) if rule.of and not path.endswith(PYTHON) else []
    # If a tool reported the place, it knows the type better than the text shows.
    owner = Owners(tokens, rule.of, path) if rule.of and not rule.named else None
    for index in name_indexes(text, path, rule.old):
        token = tokens[index]
        before = tokens[index - 1] if index else None
        is_bare = any(start <= token.start < end for start, end in inside) and (
            before is None or before.kind != "name" or before.text in BEFORE_VALUES
        )
        is_of = before is not None and before.text in (".", "->")
        if not (is_bare or is_of) or (is_of and owner is not None and owner.is_another(index)):
            continue
        after = tokens[index + 1].text if index + 1 < len(tokens) else ""
        place = None if after == "(" else _place(rule, tokens, index, text)
        if place is not None:
            yield place


def _place(rule: GetterRule, tokens: Sequence[Token], index: int, text: str) -> _Place | None:
    """How the use of the field at `index` is written; None where a person has to."""
    calls = _calls(rule, tokens, index)
    if calls is None:
        return None
    after = tokens[index + 1].text if index + 1 < len(tokens) else ""
    if after in _CHANGES or _is_changed(tokens, index):
        return _computed(rule, tokens, index, text, calls)
    if after != "=":
        needs_place = rule.takes and _needs_place(tokens, index)
        return None if needs_place else _Place(calls.start, tokens[index].end, (*calls.reads, ")"))
    end = _statement_end(tokens, index + 2)
    if not rule.setter or end <= index + 2:
        return None
    value = tokens[index + 2].start, tokens[end - 1].end
    return _Place(calls.start, value[1], (*calls.sets, ", " if rule.takes else "", value, ")"))


def _calls(rule: GetterRule, tokens: Sequence[Token], index: int) -> _Calls | None:
    """The calls for the field at `index`; None where the object that they take cannot be told."""
    if not rule.takes:
        return _Calls(tokens[index].start, (f"{rule.new}(",), (f"{rule.setter}(",))
    first = operand_start(tokens, index + 1)
    if first is None or first > index - 2:
        return None
    span = tokens[first].start, tokens[index - 2].end
    is_pointer = tokens[index - 1].text == "->"
    begins = [
        (f"{name}({_sign(is_pointer, takes)}", span)
        for name, takes in ((rule.new, rule.takes), (rule.setter, rule.setter_takes or rule.takes))
    ]
    return _Calls(span[0], *begins)


def _sign(is_pointer: bool, takes: str) -> str:
    return "" if is_pointer == (takes == "pointer") else "*" if is_pointer else "&"


def _needs_place(tokens: Sequence[Token], index: int) -> bool:
    """Whether the address of a field is taken, or a part of it is set: the result of a call has no place in memory."""
    start = operand_start(tokens, index + 1)
    before = tokens[start - 1] if start else None
    if before is not None and before.text == "&":
        one_before = tokens[start - 2] if start is not None and start > 1 else None
        is_binary = one_before is not None and (
            one_before.text in (")", "]") or (one_before.kind != "punctuation" and one_before.text not in BEFORE_VALUES)
        )
        if not is_binary:
            return True
    end = operand_end(tokens, index)
    is_part = end is not None and end > index + 1 and tokens[index + 1].text == "."
    return is_part and end is not None and end < len(tokens) and tokens[end].text in ("=", "++", "--", *_CHANGES)


def _is_changed(tokens: Sequence[Token], index: int) -> bool:
    """Whether a field is counted up or down, by a mark before or after it."""
    start = operand_start(tokens, index + 1)
    marks = (tokens[start - 1].text if start else "", tokens[index + 1].text if index + 1 < len(tokens) else "")
    return bool({"++", "--"} & set(marks))


def _computed(rule: GetterRule, tokens: Sequence[Token], index: int, text: str, calls: _Calls) -> _Place | None:
    """`x.old += 2` becomes `x.setter(x.new() + 2)`, if `x` can be evaluated twice; all else of that kind is for a person."""
    sign = tokens[index + 1].text if index + 1 < len(tokens) else ""
    first = operand_start(tokens, index + 1)
    end = _statement_end(tokens, index + 2)
    before = tokens[first if first is not None else index : index]
    if not rule.setter or sign not in _CHANGES or end == index + 2 or any(token.text in ("(", "[") for token in before):
        return None
    value = tokens[index + 2].start, tokens[end - 1].end
    opening, closing = ("", "") if operand_end(tokens, index + 2) == end else ("(", ")")
    qualified = "" if rule.takes or not before else text[before[0].start : tokens[index].start]
    between = ", " if rule.takes else ""
    computed = (*calls.reads, f") {sign[:-1]} {opening}", value, f"{closing})")
    return _Place(calls.start, value[1], (*calls.sets, between, qualified, *computed))


def _statement_end(tokens: Sequence[Token], at: int) -> int:
    while at < len(tokens) and tokens[at].text not in (";", ",", ")", "]", "}"):
        at = group_end(tokens, at) if tokens[at].text in ("(", "[", "{") else at + 1
    return at
