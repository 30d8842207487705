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


class _Place(NamedTuple):
    """Characters `start`..`end` become `front`, the text `value` (its characters) that is set, and `back`."""

    start: int
    end: int
    front: str
    value: tuple[int, int] | None = None
    back: str = ""


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
    """The new text of a place. The value that is set may read the field as well."""
    if place.value is None:
        return place.front
    here, end = place.value
    parts = [place.front]
    for inner in _outer(places, here, end):
        parts += [text[here : inner.start], _written(inner, places, text)]
        here = inner.end
    return "".join((*parts, text[here:end], place.back))


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
        if after == "(":
            continue
        if after in _CHANGES or (before is not None and _is_changed(tokens, index)):
            yield from _computed(rule, tokens, index, text)
        elif after != "=":
            yield _Place(token.start, token.end, f"{rule.new}()")
        elif rule.setter:
            end = _statement_end(tokens, index + 2)
            if end > index + 2:
                value = tokens[index + 2].start, tokens[end - 1].end
                yield _Place(token.start, value[1], f"{rule.setter}(", value, ")")


def _is_changed(tokens: Sequence[Token], index: int) -> bool:
    """Whether a field is counted up or down, by a mark before or after it."""
    start = operand_start(tokens, index + 1)
    marks = (tokens[start - 1].text if start else "", tokens[index + 1].text if index + 1 < len(tokens) else "")
    return bool({"++", "--"} & set(marks))


def _computed(rule: GetterRule, tokens: Sequence[Token], index: int, text: str) -> Iterator[_Place]:
    """`x.old += 2` becomes `x.setter(x.new() + 2)`, if `x` can be evaluated twice; all else of that kind is for a person."""
    sign = tokens[index + 1].text if index + 1 < len(tokens) else ""
    start = operand_start(tokens, index + 1)
    end = _statement_end(tokens, index + 2)
    before = tokens[start if start is not None else index : index]
    if not rule.setter or sign not in _CHANGES or end == index + 2 or any(token.text in ("(", "[") for token in before):
        return
    object_ = text[before[0].start : tokens[index].start] if before else ""
    value = tokens[index + 2].start, tokens[end - 1].end
    opening, closing = ("", "") if operand_end(tokens, index + 2) == end else ("(", ")")
    front = f"{rule.setter}({object_}{rule.new}() {sign[:-1]} {opening}"
    yield _Place(tokens[index].start, value[1], front, value, f"{closing})")


def _statement_end(tokens: Sequence[Token], at: int) -> int:
    while at < len(tokens) and tokens[at].text not in (";", ",", ")", "]", "}"):
        at = group_end(tokens, at) if tokens[at].text in ("(", "[", "{") else at + 1
    return at
