"""Releases between the two that are compared: a name is often deprecated in one of them, and missing from the newest."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import groupby

from fernshale.core.base.release import ReleaseNumber
from fernshale.core.drift.release_symbols import ReleaseSymbols
from fernshale.core.drift.stated.removals import Removals
from fernshale.core.drift.stated.replacements import ReleaseNames
from fernshale.core.drift.symbols import Symbol

# Each release between costs as much to read as the newest one.
_MAX_RELEASES = 3


@dataclass(frozen=True)
class ReleaseBetween:
    """A release between the old and the new one, called `label`; `read` returns its symbols in files that the old one has not."""

    label: str
    read: Callable[[], ReleaseSymbols]

    @cached_property
    def symbols(self) -> ReleaseSymbols:
        return self.read()

    @cached_property
    def names(self) -> ReleaseNames:
        return ReleaseNames(self.symbols.symbols)

    @cached_property
    def removals(self) -> Removals:
        return Removals(self.symbols)

    def declarations(self, symbol: Symbol) -> Sequence[Symbol]:
        """The public declarations of a symbol of the old release: at its path, else the only ones of its name and kind, which
        for a member are those of a class with the name of its own."""
        named = self.names.named(symbol.name)
        there = tuple(item for item in named if item.path == symbol.path)
        owner = symbol.scope[-1:] if symbol.is_of_class else ()
        alike = there or tuple(
            item for item in named if item.kind == symbol.kind and item.scope[len(item.scope) - len(owner) :] == owner
        )
        return alike if len({item.path for item in alike}) == 1 else ()


def releases_to_read(
    known: Sequence[ReleaseNumber], old: ReleaseNumber, new: ReleaseNumber
) -> tuple[ReleaseNumber, ...]:
    """Return the releases between two whose statements are worth reading, in ascending order.

    Of each series the last one, which deprecates the most: a series has one first number, or one second number where `old` and
    `new` have the same first one. Previews do not count.
    """
    inside = sorted({item for item in known if old < item < new and not item.is_preview})
    depth = 2 if old.parts[:1] == new.parts[:1] else 1
    last = [list(series)[-1] for _, series in groupby(inside, lambda item: (item.epoch, item.parts[:depth]))]
    return tuple(last[-_MAX_RELEASES:])
