"""A tool's own suggestions for unknown names."""

from __future__ import annotations

import re

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import last_name, plain_quotes

_HINT = lazy_pattern(
    r"(?:; maybe|[Dd]id you mean(?: to (?:use|write))?(?: the \w+(?: \w+)?)?:?|[Pp]erhaps you meant|[Ss]uggested alternatives?:"
    r"|(?:there is|there exists) an? [\w ]+ with a similar name[^:]*:?)(?P<names>(?:,? (?:or )?'[^']+')+)"
    # A name that is only offered to say how to reach it is hidden itself.
    r"(?!\?? \((?:accessible|accessed) via)"
)
_ACCESSOR = lazy_pattern(r"(?:accessible|accessed) via '(?:[^'(]*[\s:&*])?(?P<name>\w+)\(\)")


_ARGUMENT = lazy_pattern(r"(?:keyword argument|parameter named|named argument) '(?P<name>\w+)'")


def arguments_of(cause: Cause) -> frozenset[str]:
    """Return the names of keyword arguments that do not exist."""
    messages = (plain_quotes(error.diagnostic.message) for error in cause.errors)
    return frozenset(found["name"] for text in messages for found in _ARGUMENT.finditer(text))


def hints_of(cause: Cause) -> tuple[str, ...]:
    """Return the names suggested with each error of a cause that has a suggestion, without qualifiers."""
    names = dict.fromkeys(last_name(name) for name in _suggested(cause))
    return tuple(name for name in names if name.isidentifier() and name != cause.symbol)


def accessors_of(cause: Cause) -> tuple[str, ...]:
    """Return the functions that each error of a cause names as the way to a hidden field."""
    found: dict[str, None] | None = None
    for error in cause.errors:
        said = (error.diagnostic.message, *(note.message for note in error.diagnostic.notes))
        names = {match["name"]: None for text in said for match in _ACCESSOR.finditer(plain_quotes(text))}
        if names:
            found = names if found is None else {name: None for name in found if name in names}
    return tuple(found or ())


def elsewhere_of(cause: Cause) -> tuple[str, ...]:
    """The full names suggested with each error of a cause that has the name itself in another place."""
    return tuple(name for name in _suggested(cause) if name != cause.symbol and last_name(name) == cause.symbol)


def _suggested(cause: Cause) -> tuple[str, ...]:
    """Yield the suggestions of each error of a cause that has one."""
    common: dict[str, None] | None = None
    for error in cause.errors:
        said = [error.diagnostic.message, *(note.message for note in error.diagnostic.notes)]
        names = {
            name.rstrip("()"): None
            for text in said
            for found in _HINT.finditer(plain_quotes(text))
            for name in re.findall(r"'([^']+)'", found["names"])
        }
        if names:
            common = names if common is None else {name: None for name in common if name in names}
    return tuple(common or ())
