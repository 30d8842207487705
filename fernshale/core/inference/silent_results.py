"""Results of functions that are something else in the new release: what code that uses them may depend on."""

from __future__ import annotations

from collections.abc import Collection

from fernshale.core.base.languages import C_FAMILY
from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.symbols import Symbol
from fernshale.core.drift.type_exchange import names_in_type

# Types of C that are truth values, and numbers that convert to them.
TRUTH = ("bool", "_Bool", "BOOL")
_NUMBERS = ("int", "long", "short", "unsigned", "unsignedint", "size_t", "ssize_t", "int32_t", "uint32_t", "int64_t")


def silent_result(old: Symbol, new: Symbol) -> str:
    """Return the type of a function's result if it was a number and is a truth value now, or the reverse, where a language converts
    the one to the other: 0 may have meant success before and mean failure now."""
    if not (old.is_callable and new.is_callable and old.file.endswith(C_FAMILY)):
        return ""
    types = plain_type(old.returns), plain_type(new.returns)
    are_other = len({type_ in TRUTH for type_ in types}) == 2 and any(type_ in _NUMBERS for type_ in types)
    return new.returns if are_other else ""


def lost_result(old: Symbol, new: Symbol, lost: Collection[str]) -> str:
    """Return the type of a function's result if it was one of the types `lost` before, which went without a successor."""
    if not (old.is_callable and new.is_callable and old.returns and new.returns):
        return ""
    is_lost = not set(names_in_type(old.returns)).isdisjoint(lost) and old.returns != new.returns
    return plain_type(new.returns) if is_lost else ""
