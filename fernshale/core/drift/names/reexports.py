"""Modules that re-export definitions of other modules: users write `wick.glow`, defined in `wick/lamps/core`."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Mapping
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.release_symbols import languages_of, list_sources, read_bytes
from fernshale.core.drift.symbols import Symbol

# The file that represents a folder, in languages that have one.
_FRONT = lazy_pattern(r"(?:^|/)(?:__init__\.pyi?|index\.(?:d\.)?[cm]?[jt]sx?|mod\.rs|lib\.rs)\Z")


def shown_path(symbol: Symbol, folder: Path) -> tuple[str, ...]:
    """Return the path by which users name a symbol of the release in `folder`: for a private module (`_core`), that of the
    nearest enclosing module that re-exports it."""
    if not any(part.startswith("_") for part in symbol.scope):
        return symbol.path
    fronts = front_names(folder).get(symbol.name, ())
    for end in range(len(symbol.scope) - 1, 0, -1):
        outer = symbol.scope[:end]
        inner = "/".join(outer)
        if not any(part.startswith("_") for part in outer) and any(
            f"/{front}".endswith(f"/{inner}") for front in fronts
        ):
            return (*outer, symbol.name)
    return symbol.path


@lru_cache(maxsize=16)
def front_names(folder: Path) -> Mapping[str, Collection[str]]:
    """Return the folders of a release by the names in their representing file; cached, since a release does not change."""
    found: dict[str, set[str]] = defaultdict(set)
    for path in list_sources(folder, languages_of("")):
        if _FRONT.search(path):
            text = read_bytes(f"{folder}/{path}").decode("utf-8", "replace")
            for name in set(re.findall(r"[^\W\d]\w*", text)):
                found[name].add(path.rpartition("/")[0])
    return found
