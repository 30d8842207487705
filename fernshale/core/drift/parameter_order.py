"""Parameters that both releases have, at other places."""

from __future__ import annotations

from collections.abc import Sequence

from fernshale.core.base.languages import ENDINGS
from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.symbols import Parameter, Symbol

# Languages in which types are notes for readers and checkers.
_UNTYPED = ENDINGS["python"]


def new_order(old: Symbol, new: Symbol) -> tuple[int, ...]:
    """For each positional parameter, return the 1-based number of the old one, or 0 for an added one with a default; up to the
    last old one. Empty if nothing moved, or if the parameters are not the same: by name, and by type where a compiler checks
    it."""
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
    """Return whether arguments at the wrong positions still have fitting types, so that no compiler reports them."""
    pairs = zip(by_place(old), by_place(new), strict=False)
    return all(_is_like(mine, now) for mine, now in pairs if mine.name != now.name)


def by_place(symbol: Symbol) -> Sequence[Parameter]:
    """Return the parameters before keyword-only and variadic ones."""
    listed = symbol.given
    return listed[
        : next((at for at, item in enumerate(listed) if item.is_named or item.name.startswith("*")), len(listed))
    ]


def _is_like(one: Parameter, other: Parameter) -> bool:
    types = plain_type(one.type), plain_type(other.type)
    return not all(types) or types[0] == types[1]
