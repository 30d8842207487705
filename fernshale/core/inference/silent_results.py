"""Results of functions that have another meaning, although code that uses them compiles."""

from __future__ import annotations

from fernshale.core.base.languages import C_FAMILY
from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.symbols import Symbol

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
