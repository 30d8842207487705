"""What a release declares by a name, read when it is asked for: comparing two releases reads only differences between them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.languages import LANGUAGES
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.drift.parsing import read_source
from fernshale.core.drift.release_symbols import languages_of, list_sources, read_bytes
from fernshale.core.drift.symbols import CONTAINER, Symbol
from fernshale.core.process.text_search import files_with

# More files with a name than this, and it is a word that tells nothing.
_MOST_FILES = 60
# What stands before the name of a class where it is declared.
_CLASS_HEAD = r"\b(?:class|struct|union|interface|enum|trait|impl|record|type)\b[^;{}()\n]*"
# Where only types are brought in.
_OF_TYPES = ("java", "c#")


@lru_cache(maxsize=256)  # a release does not change, and each look asks for the same
def declared(folder: Path, name: str, language: str) -> tuple[Symbol, ...]:
    """What a release declares by a name for others to use, outside of classes; none where too many files have the word."""
    found: list[Symbol] = []
    for symbols in _with_word(folder, name, language):
        inner = {item.path for item in symbols if item.kind in CONTAINER}
        found += [item for item in symbols if item.name == name and not item.is_hidden and item.scope not in inner]
    types = [item for item in found if item.kind in CONTAINER]
    return tuple(types if language in _OF_TYPES else found)


@lru_cache(maxsize=256)
def members(folder: Path, name: str, language: str) -> tuple[Symbol, ...]:
    """What a class of a release has for others to use, without what it inherits; none where too many files have its name."""
    found: list[Symbol] = []
    for symbols in _with_word(folder, name, language, _CLASS_HEAD):
        classes = {item.path for item in symbols if item.kind in CONTAINER and item.name == name and not item.is_hidden}
        found += [item for item in symbols if item.scope in classes and not item.is_hidden]
    return tuple(found)


def _with_word(folder: Path, name: str, language: str, ahead: str = "") -> Sequence[tuple[Symbol, ...]]:
    """The symbols of each file of a release that has a word, behind what the pattern `ahead` finds; none where too many have it."""
    family = "typescript" if language in ("tsx", "javascript") else language
    if family not in LANGUAGES:
        return ()
    paths = tuple(map(TreePath, list_sources(folder, languages_of(family))))
    word = re.compile(rf"{ahead}\b{re.escape(name)}\b".encode())
    found: list[tuple[Symbol, ...]] = []
    for path in files_with(folder, paths, (name,), CancelToken()):
        data = read_bytes(f"{folder}/{path}")
        if word.search(data) is None:
            continue
        if len(found) == _MOST_FILES:
            return ()
        found.append(read_source(data, path))
    return found
