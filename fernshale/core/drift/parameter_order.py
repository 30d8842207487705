"""Parameters that both releases have, at other places."""

from __future__ import annotations

from collections.abc import Sequence

from fernshale.core.base.languages import ENDINGS
from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.symbols import Parameter, Symbol

# Languages in which types are notes for readers and checkers.
_UNTYPED = ENDINGS["python"]


def new_order(old: Symbol, new: Symbol) -> tuple[int, ...]:
    """For each parameter given by its place its number among the old ones, from 1, and 0 for one that came, with a default; up to
    the last that was there before. Empty where all stand where they stood, or are not the same: by name, and by type where a
    compiler holds to that."""
    ours, theirs = by_place(old), by_place(new)
    numbers = {item.name: number for number, item in enumerate(ours, 1)}
    if len(numbers) < len(ours) or not numbers or "" in numbers or not numbers.keys() <= {item.name for item in theirs}:
        return ()
    last = max(at for at, item in enumerate(theirs) if item.name in numbers)
    if not all(item.default for item in theirs if item.name not in numbers):
        return ()
    order = tuple(numbers.get(item.name, 0) for item in theirs[: last + 1])
    moved = [
        (ours[was - 1], item)
        for at, (was, item) in enumerate(zip(order, theirs, strict=False), 1)
        if was not in (0, at)
    ]
    is_same = old.file.endswith(_UNTYPED) or all(_is_like(mine, item) for mine, item in moved)
    return order if moved and is_same else ()


def is_quiet(old: Symbol, new: Symbol) -> bool:
    """Whether the arguments that should have another place fit where they stand as well, so that no compiler tells."""
    pairs = zip(by_place(old), by_place(new), strict=False)
    return all(_is_like(mine, now) for mine, now in pairs if mine.name != now.name)


def by_place(symbol: Symbol) -> Sequence[Parameter]:
    """The parameters before those that are only given by name, or in any number."""
    listed = symbol.given
    return listed[
        : next((at for at, item in enumerate(listed) if item.is_named or item.name.startswith("*")), len(listed))
    ]


def _is_like(one: Parameter, other: Parameter) -> bool:
    types = plain_type(one.type), plain_type(other.type)
    return not all(types) or types[0] == types[1]
