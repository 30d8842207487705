"""Reorder the arguments of calls."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from fernshale.core.base.languages import NAMED_ARGUMENTS
from fernshale.core.fix.calls import declares, find_calls, is_import, is_spread
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.receiver_types import Owners
from fernshale.core.fix.rules import ReorderRule
from fernshale.core.fix.tokens import Token, name_starts, tokenize


@dataclass(frozen=True, slots=True)
class _Argument:
    """An existing argument, by its token span, after `text` that names it; or a new one, without a span."""

    span: tuple[int, int] | None
    text: str = ""


@dataclass(frozen=True, slots=True)
class _Call:
    """The token of its name, the next token, the token spans of its arguments, and the new arguments: spans, each with its
    keyword, or new text."""

    name: int
    end: int
    before: Sequence[tuple[int, int]]
    after: Sequence[_Argument]


def find(rule: ReorderRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    """Return calls with positional arguments that move; if the function has a new name, also calls that pass all of these by
    keyword, and imports of it."""
    tokens = tokenize(text, path)
    owners = Owners(tokens, rule.of, path) if rule.of else None
    calls = [
        _Call(name, end, spans, after)
        for name, end, spans in find_calls(text, path, rule.call)
        if not (owners and owners.is_another(name, is_reported=rule.named))
        and not declares(tokens, name, end, path, text)
        and (after := _in_order(rule, path, tokens, spans)) is not None
    ]
    edits = [
        (tokens[call.name].start, tokens[call.end - 1].end, _written(rule, call, calls, tokens, text))
        for call in _outer(calls)
    ]
    if rule.new:
        starts = {tokens[call.name].start for call in calls}
        edits += [
            (start, start + len(rule.call), rule.new)
            for start in name_starts(text, path, rule.call)
            if start not in starts and is_import(text, start)
        ]
    yield from sorted(edits)


def _in_order(
    rule: ReorderRule, path: str, tokens: Sequence[Token], spans: Sequence[tuple[int, int]]
) -> Sequence[_Argument] | None:
    """Return the arguments in the new order; None if a person has to look at the call, or if it stays unchanged."""
    as_they_are = [_Argument(span) for span in spans]
    by_name = [path.endswith(NAMED_ARGUMENTS) and _is_by_name(tokens, *span) for span in spans]
    given = by_name.index(True) if True in by_name else len(spans)
    first = next(at for at, was in enumerate(rule.order) if was != at + 1)
    spread = [at for at, (start, end) in enumerate(spans) if is_spread(tokens[start:end], path)]
    if given <= first and not spread:
        return as_they_are if rule.new else None  # none of these is positional
    if spread and spread[0] < max(rule.order):
        return None
    can_name = bool(rule.names) and path.endswith(NAMED_ARGUMENTS)
    placed = None if can_name and 0 in rule.order else _at_places(rule, as_they_are, given)
    if placed is not None or not can_name:
        return placed
    # Positions alone are ambiguous, or would require arguments that were omitted before.
    mark = "=" if path.endswith(PYTHON) else ": "
    named = [_Argument(spans[at], rule.names[at] + mark) for at in range(first, min(given, len(rule.names)))]
    return as_they_are[:first] + named + as_they_are[given:] if given <= len(rule.names) else None


def _at_places(rule: ReorderRule, arguments: Sequence[_Argument], given: int) -> Sequence[_Argument] | None:
    """Return the arguments at their new positions; None if that requires an omitted one."""
    count = max(rule.order)
    placed: list[_Argument] = []
    left = set(range(1, min(given, count) + 1))
    fill = iter(rule.fill)
    for was in rule.order:
        text = next(fill, "") if not was else ""
        if not left:
            break
        if was > given or (not was and not text):
            return None
        placed.append(arguments[was - 1] if was else _Argument(None, text))
        left.discard(was)
    return [*placed, *arguments[min(given, count) :]]


def _is_by_name(tokens: Sequence[Token], first: int, last: int) -> bool:
    return last - first > 2 and tokens[first].kind == "name" and tokens[first + 1].text in ("=", ":")


def _outer(calls: Sequence[_Call]) -> Iterator[_Call]:
    """Return the spans that are not inside others."""
    end = 0
    for call in calls:
        if call.name >= end:
            yield call
            end = call.end


def _written(rule: ReorderRule, call: _Call, calls: Sequence[_Call], tokens: Sequence[Token], text: str) -> str:
    """Return the call with its arguments at their new positions; text between them stays."""
    ends = [tokens[call.name].end, *(tokens[last - 1].end for _, last in call.before)]
    starts = [*(tokens[first].start for first, _ in call.before), tokens[call.end - 1].end]
    between = [text[end:start] for end, start in zip(ends, starts, strict=True)]
    marks = [*between[:-1], *[", "] * (len(call.after) - len(call.before))]
    given = "".join(
        mark + _argument(rule, item, calls, tokens, text) for mark, item in zip(marks, call.after, strict=True)
    )
    return (rule.new or rule.call) + given + between[-1]


def _argument(rule: ReorderRule, item: _Argument, calls: Sequence[_Call], tokens: Sequence[Token], text: str) -> str:
    if item.span is None:
        return item.text
    first, last = item.span
    inner = [other for other in calls if first <= other.name < last]
    parts, here = [item.text], tokens[first].start
    for other in _outer(inner):
        parts += [text[here : tokens[other.name].start], _written(rule, other, inner, tokens, text)]
        here = tokens[other.end - 1].end
    return "".join(parts) + text[here : tokens[last - 1].end]
