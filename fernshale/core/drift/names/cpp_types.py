"""Where a release of C++ defines its types: the full name that users need for one that a signature writes in short."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.names.name_parts import shared_start
from fernshale.core.drift.parsing import read_source
from fernshale.core.drift.release_symbols import languages_of, list_sources, read_bytes
from fernshale.core.drift.symbols import CONTAINER, Symbol

_DEFINED = lazy_pattern(
    rb"\b(?:class|struct|union|enum(?:\s+(?:class|struct))?)\s+(?:[A-Z][A-Z0-9_]+\s+)?([A-Za-z_]\w*)\s*(?:final\s*)?[:{]"
    rb"|\busing\s+([A-Za-z_]\w*)\s*=|\btypedef\b[^;{}]*?\b([A-Za-z_]\w*)\s*;"
)
_MAX_FILES = 5


class TypeNames:
    """The types of a release by their last names: the files are found by their words, and parsed when one is asked for."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._files: dict[str, list[str]] = {}
        for path in list_sources(folder, languages_of("c++")):
            for found in set(_DEFINED.findall(read_bytes(f"{folder}/{path}"))):
                self._files.setdefault(next(filter(None, found)).decode(), []).append(path)

    def full_name(self, name: str, scope: tuple[str, ...]) -> str:
        """Return the full name of the type written `name` in `scope`; unchanged if the release has no type of that name."""
        found = [
            item
            for path in self._files.get(name, ())[:_MAX_FILES]
            for item in _types_in(self._folder, path)
            if item.name == name and not item.is_hidden
        ]
        # Of types outside, the nearest one is meant: the one with the fewest additional scopes.
        near = max(found, key=lambda item: 2 * shared_start(item.scope, scope) - len(item.scope), default=None)
        return near.full if near is not None else name


@lru_cache(maxsize=512)
def _types_in(folder: Path, path: str) -> tuple[Symbol, ...]:
    return tuple(item for item in read_source(read_bytes(f"{folder}/{path}"), path) if item.kind in CONTAINER)


@lru_cache(maxsize=16)
def types_of(folder: Path) -> TypeNames:
    """The types of a release, looked for once: a release does not change."""
    return TypeNames(folder)
