"""The members of the classes of a release, inherited ones included, and the order in which symbols are declared."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence

from fernshale.core.drift.symbols import CONTAINER, Symbol

Path = tuple[str, ...]
# If more classes than this share a base name, it is not used for matching.
_MAX_NAMESAKES = 3


class Members:
    """The names in each scope of a release, including those that its classes inherit."""

    def __init__(self, symbols: Sequence[Symbol]) -> None:
        self._own: dict[Path, set[str]] = defaultdict(set)
        named: dict[str, set[Path]] = defaultdict(set)
        self._bases: dict[Path, tuple[str, ...]] = {}
        for item in symbols:
            self._own[item.scope].add(item.name)
            if item.kind in CONTAINER:
                named[item.name].add(item.path)
                if item.bases:
                    self._bases[item.path] = item.bases
        # Classes of one name may be bases of each other: a facade for another module's class.
        self._named = {name: paths for name, paths in named.items() if len(paths) <= _MAX_NAMESAKES}
        self._reach: dict[Path, frozenset[str]] = {}
        self._lines: dict[Path, set[Path]] = {}

    def own(self, path: Path) -> frozenset[str]:
        return frozenset(self._own.get(path, ()))

    def reach(self, path: Path) -> frozenset[str]:
        """The members of a class with those of all its bases."""
        if path not in self._reach:
            self._reach[path] = frozenset().union(*(self._own.get(each, ()) for each in self.line(path)))
        return self._reach[path]

    def line(self, path: Path) -> set[Path]:
        """A class with all its bases."""
        if path in self._lines:
            return self._lines[path]
        seen, waiting = {path}, [path]
        while waiting:
            for base in self._bases.get(waiting.pop(), ()):
                found = self._named.get(re.split(r"::|\.", base)[-1], set()) - seen
                seen |= found
                waiting += found
        self._lines[path] = seen
        return seen


def neighbour_names(symbols: Sequence[Symbol]) -> dict[Path, tuple[str, str]]:
    """The names before and after each symbol in its scope and file."""
    listed: dict[tuple[str, Path], list[Symbol]] = defaultdict(list)
    for item in symbols:
        listed[item.file, item.scope].append(item)
    order = {}
    for group in listed.values():
        names = ["", *(item.name for item in group), ""]
        for at, item in enumerate(group):
            order[item.path] = (names[at], names[at + 2])
    return order
