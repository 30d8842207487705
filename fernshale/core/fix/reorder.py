"""Calls whose arguments have another order now."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from fernshale.core.base.languages import NAMED_ARGUMENTS
from fernshale.core.fix.calls import find_calls, is_import
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.receiver import Owners
from fernshale.core.fix.rules import Rule
from fernshale.core.fix.tokens import Token, name_starts, tokenize

# What stands before the name of a function that is declared with itself among its parameters.
_DECLARES = ("def", "fn", "func", "function")


@dataclass(frozen=True, slots=True)
class _Call:
    """The token of its name, the one behind it, the token spans of its arguments, and those in the order they are to have, each
    with what names it."""

    name: int
    end: int
    before: Sequence[tuple[int, int]]
    after: Sequence[tuple[tuple[int, int], str]]


def reordered_calls(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    """The calls that give arguments by their places which are others now; where the function has another name besides, also
    those that give all of these by name, and imports of it."""
    tokens = tokenize(text, path)
    owners = Owners(tokens, rule.of) if rule.of else None
    calls = [
        _Call(name, end, spans, after)
        for name, end, spans in find_calls(text, path, rule.call)
        if not (owners and owners.is_another(name))
        and (not name or tokens[name - 1].text not in _DECLARES)
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
    rule: Rule, path: str, tokens: Sequence[Token], spans: Sequence[tuple[int, int]]
) -> Sequence[tuple[tuple[int, int], str]] | None:
    """The arguments as they are to stand; None where a call has to be looked at by a person, or stays as it is."""
    as_they_are = [(span, "") for span in spans]
    moved = [at for at, was in enumerate(rule.order) if was != at + 1]
    is_named = [path.endswith(NAMED_ARGUMENTS) and _is_by_name(tokens, *span) for span in spans]
    given = is_named.index(True) if True in is_named else len(spans)
    if given <= moved[0] and not any(tokens[first].text in ("*", "...") for first, _ in spans):
        return as_they_are if rule.new else None  # none of them is given by its place
    wanted = moved[-1] + 1
    if any(tokens[first].text in ("*", "**", "...") for first, _ in spans[:wanted]):
        return None
    if given >= wanted:
        return [as_they_are[was - 1] for was in rule.order[:wanted]] + as_they_are[wanted:]
    if not rule.names or not path.endswith(NAMED_ARGUMENTS):
        return None
    # Some of them are left out, so that the others cannot be told by their places.
    mark = "=" if path.endswith(PYTHON) else ": "
    named = [(spans[at], rule.names[at] + mark) for at in range(moved[0], given)]
    return as_they_are[: moved[0]] + named + as_they_are[given:]


def _is_by_name(tokens: Sequence[Token], first: int, last: int) -> bool:
    return last - first > 2 and tokens[first].kind == "name" and tokens[first + 1].text in ("=", ":")


def _outer(calls: Sequence[_Call]) -> Iterator[_Call]:
    """Those that stand in no other."""
    end = 0
    for call in calls:
        if call.name >= end:
            yield call
            end = call.end


def _written(rule: Rule, call: _Call, calls: Sequence[_Call], tokens: Sequence[Token], text: str) -> str:
    """The call with its arguments in their new order; what stands between them stays."""
    parts = [rule.new or rule.call]
    at = tokens[call.name].end
    for (first, last), ((now_first, now_last), name) in zip(call.before, call.after, strict=True):
        parts += [text[at : tokens[first].start], name]
        inner = [other for other in calls if now_first <= other.name < now_last]
        here = tokens[now_first].start
        for other in _outer(inner):
            parts += [text[here : tokens[other.name].start], _written(rule, other, inner, tokens, text)]
            here = tokens[other.end - 1].end
        parts.append(text[here : tokens[now_last - 1].end])
        at = tokens[last - 1].end
    return "".join(parts) + text[at : tokens[call.end - 1].end]
