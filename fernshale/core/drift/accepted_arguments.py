"""The parameters of a function in the new release, in the notation of `fix.call_acceptance`, to check calls written for the old
one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fernshale.core.base.languages import ENDINGS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.declarations import plain_type, renamed_type
from fernshale.core.drift.symbols import Parameter, Symbol

# Languages in which types are notes for readers and checkers.
_UNTYPED = ENDINGS["python"]
# A type parameter by its usual names, and what only has to have a trait.
_ANY_TYPE = lazy_pattern(r"[&\s]*(?:[A-Z]\d?|impl\b.*)")


def signatures_of(old: Sequence[Symbol], new: Sequence[Symbol], types: Mapping[str, str]) -> tuple[str, ...]:
    """Return one signature for each overload in `new`; a parameter is marked if its type differs from all types that `old` has
    at its position.

    `types` maps renamed types to their new names. Empty if the old symbol is no function, or if the new one may accept calls
    that its declaration does not show (a class, a macro without parameters).
    """
    if not old or not old[0].is_callable:
        return ()
    return tuple(_signature(old, overload, types) for overload in new if overload.is_callable)


def _signature(old: Sequence[Symbol], new: Symbol, types: Mapping[str, str]) -> str:
    return ", ".join(_written(item, _before(old, at, item), new.file, types) for at, item in enumerate(new.given))


def _before(old: Sequence[Symbol], at: int, item: Parameter) -> list[Parameter]:
    """The parameters of old overloads that an argument for `item` would have been written for: by name, else by place."""
    named = [mine for symbol in old for mine in symbol.given if item.name and mine.name == item.name]
    return named or [symbol.given[at] for symbol in old if at < len(symbol.given)]


def _written(item: Parameter, before: Sequence[Parameter], file: str, types: Mapping[str, str]) -> str:
    is_typed = bool(item.type) and not file.endswith(_UNTYPED)
    known = [mine for mine in before if mine.type]
    now = plain_type(item.type)
    # A parameter of any type takes what a compiler lets it take.
    is_typed = is_typed and _ANY_TYPE.fullmatch(item.type.strip()) is None
    has_other_kind = is_typed and bool(known) and all(renamed_type(mine.type, types) != now for mine in known)
    is_open = item.name.startswith("*") or item.type.endswith("...") or item.name.startswith("...")
    name = item.name if item.name.startswith("*") else "*" if is_open else item.name or "_"
    return ("!" if has_other_kind else "") + ("~" if item.is_named else "") + name + ("=" if item.default else "")
