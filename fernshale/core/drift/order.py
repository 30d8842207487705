"""Parameters that both releases have, in another order."""

from __future__ import annotations

from collections.abc import Sequence

from fernshale.core.drift.joining import plain_type
from fernshale.core.drift.symbols import Parameter, Symbol


def new_order(old: Symbol, new: Symbol) -> tuple[int, ...]:
    """For each parameter given by its place its number among the old ones, from 1; empty where the order is the same, or they
    are not the same parameters, by name and type. More may have come behind them, with defaults."""
    ours, theirs = _by_place(old), _by_place(new)
    numbers = {item.name: number for number, item in enumerate(ours, 1)}
    if len(numbers) < len(ours) or "" in numbers or len(theirs) < len(ours):
        return ()
    now, more = theirs[: len(ours)], theirs[len(ours) :]
    if {item.name for item in now} != numbers.keys() or not all(item.default for item in more):
        return ()
    order = tuple(numbers[item.name] for item in now)
    moved = [(ours[was - 1], item) for at, (was, item) in enumerate(zip(order, now, strict=True), 1) if was != at]
    return order if moved and all(_is_like(mine, item) for mine, item in moved) else ()


def is_quiet(old: Symbol, new: Symbol) -> bool:
    """Whether the arguments that should have another place fit where they stand as well, so that no compiler tells."""
    pairs = zip(_by_place(old), _by_place(new), strict=False)
    return all(_is_like(mine, now) for mine, now in pairs if mine.name != now.name)


def _by_place(symbol: Symbol) -> Sequence[Parameter]:
    """The parameters before those that are only given by name, or in any number."""
    listed = symbol.parameters
    return listed[: next((at for at, item in enumerate(listed) if item.is_named or item.name.startswith("*")), len(listed))]


def _is_like(one: Parameter, other: Parameter) -> bool:
    types = plain_type(one.type), plain_type(other.type)
    return not all(types) or types[0] == types[1]
