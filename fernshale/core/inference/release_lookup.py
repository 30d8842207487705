"""Look up a release's declarations by name on demand, since comparing two releases reads only their differences."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.languages import LANGUAGES
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.drift.parsing import read_source
from fernshale.core.drift.release_symbols import languages_of, list_sources, read_bytes
from fernshale.core.drift.symbols import CONTAINER, Symbol
from fernshale.core.drift.type_exchange import names_in_type
from fernshale.core.process.text_search import files_with

# If more files contain a name, it is too common to help.
_MAX_FILES = 60
# Most headers of a library have functions of its central structure.
_MAX_FILES_OF_FUNCTIONS = 300
# The head of a class: its keyword, and the rest of the line up to its body. A class that is only announced has none.
_CLASS_HEAD = lazy_pattern(rb"\b(?:class|struct|union|interface|enum|trait|impl|record|type)\b[^;{}()\n]*+(?!;)")
# The name of `typedef struct { ... } Lamp;`.
_TYPEDEF_END = lazy_pattern(rb"\}\s*(\w+)\s*;")
_WORD = lazy_pattern(rb"\w+")
_C = ("c", "c++")
# Languages in which only types are imported.
_OF_TYPES = ("java", "c#")


@lru_cache(maxsize=256)  # a release does not change, and each inspection asks the same
def declared(folder: Path, name: str, language: str) -> tuple[Symbol, ...]:
    """Return the public declarations of a name outside classes; if too many files contain the word, of classes alone."""
    found: list[Symbol] = []
    files = _with_word(folder, name, language)
    for symbols in _with_class(folder, name, language) if files is None else files:
        inner = {item.path for item in symbols if item.kind in CONTAINER}
        found += [item for item in symbols if item.name == name and not item.is_hidden and item.scope not in inner]
    types = [item for item in found if item.kind in CONTAINER]
    return tuple(types if language in _OF_TYPES else found)


@lru_cache(maxsize=256)
def members(folder: Path, name: str, language: str) -> tuple[Symbol, ...]:
    """Return the public members of a class, without inherited ones; none if too many files contain its name."""
    found: list[Symbol] = []
    for symbols in _with_class(folder, name, language):
        classes = {item.path for item in symbols if item.kind in CONTAINER and item.name == name and not item.is_hidden}
        found += [item for item in symbols if item.scope in classes and not item.is_hidden]
    return tuple(found)


def has_member(folder: Path, name: str, member: str, language: str) -> bool:
    """Whether a class of a release has a public member of that name, or one of its bases in the release."""
    seen: set[str] = set()
    waiting = [name]
    while waiting:
        of = waiting.pop()
        if of not in seen:
            seen.add(of)
            names, bases = _names_and_bases(folder, of, language)
            if member in names:
                return True
            waiting += bases
    return False


@lru_cache(maxsize=8192)  # few bytes each, where the members themselves are many
def _names_and_bases(folder: Path, name: str, language: str) -> tuple[frozenset[str], tuple[str, ...]]:
    """The names of a class's own public members, and of its bases."""
    found = tuple(item for symbols in _with_class(folder, name, language) for item in symbols if not item.is_hidden)
    classes = [item for item in found if item.kind in CONTAINER and item.name == name]
    paths = {item.path for item in classes}
    bases = (base for item in classes for base in names_in_type(" ".join(item.bases)))
    return frozenset(item.name for item in found if item.scope in paths), tuple(dict.fromkeys(bases))


@lru_cache(maxsize=256)
def makers(folder: Path, name: str, language: str) -> tuple[Symbol, ...]:
    """Return the public functions that give an object of a class and are not called on one; none if too many files contain its
    name."""
    return tuple(
        item
        for symbols in _with_word(folder, name, language) or ()
        for item in symbols
        if item.is_callable and item.kind != "constructor" and not item.is_hidden and not item.needs_object
        and names_in_type(item.returns) == [name]
    )  # fmt: skip


@lru_cache(maxsize=256)
def names_of_type(folder: Path, name: str) -> frozenset[str]:
    """The names of a structure of C in a release: its own, with and without the underscore of its tag, and those that are defined
    as it."""
    plain = name.lstrip("_")
    read = (item for word in {name, plain} for symbols in _with_word(folder, word, "c") or () for item in symbols)
    meant = {name, plain, f"_{plain}"}
    defined = (item.name for item in read if item.kind == "type" and item.returns.removeprefix("struct ") in meant)
    return frozenset((name, *meant, *filter(str.isidentifier, defined)))


@lru_cache(maxsize=256)
def functions_about(folder: Path, names: tuple[str, ...]) -> tuple[Symbol, ...]:
    """The public functions of a release of C that have one of some types as their first parameter, each once."""
    first = re.compile(rf"\(\s*(?:(?:const|struct)\s+)*(?:{'|'.join(map(re.escape, names))})\b".encode())
    found: dict[tuple[str, ...], Symbol] = {}
    left = _MAX_FILES_OF_FUNCTIONS
    for path in files_with(folder, _sources(folder, "c"), names, CancelToken()):
        data = read_bytes(f"{folder}/{path}") if left else b""
        if first.search(data) is not None:
            left -= 1
            found |= {
                item.path: item
                for item in read_source(data, path)
                if item.kind == "function" and item.parameters and not item.is_hidden
                and not set(names).isdisjoint(names_in_type(item.parameters[0].type))
            }  # fmt: skip
    return tuple(found.values())


def _with_class(folder: Path, name: str, language: str) -> Sequence[tuple[Symbol, ...]]:
    """Return the symbols of each file with a word in the head of a class; none if too many have it."""
    files = _class_files(folder, _family_of(language)).get(name.encode(), ())
    return [read_source(read_bytes(f"{folder}/{path}"), path) for path in files] if len(files) <= _MAX_FILES else ()


def _with_word(folder: Path, name: str, language: str) -> Sequence[tuple[Symbol, ...]] | None:
    """Return the symbols of each file with a word; None if too many have it."""
    plain = re.escape(name)
    # The name first: a pattern that begins with letters is looked for many times faster.
    word = re.compile(rf"{plain}(?!\w)(?<!\w{plain})".encode())
    found: list[tuple[Symbol, ...]] = []
    for path in files_with(folder, _sources(folder, _family_of(language)), (name,), CancelToken()):
        data = read_bytes(f"{folder}/{path}")
        if word.search(data) is None:
            continue
        if len(found) == _MAX_FILES:
            return None
        found.append(read_source(data, path))
    return found


def _family_of(language: str) -> str:
    return "typescript" if language in ("tsx", "javascript") else language


@lru_cache(maxsize=16)  # a release does not change
def _sources(folder: Path, family: str) -> tuple[TreePath, ...]:
    """The source files of a release in one language; none in an unknown one."""
    if family not in LANGUAGES:
        return ()
    return tuple(map(TreePath, list_sources(folder, languages_of(family))))


@lru_cache(maxsize=4)
def _class_files(folder: Path, family: str) -> Mapping[bytes, Sequence[TreePath]]:
    """The source files of a release by each word in the heads of their classes."""
    found: dict[bytes, list[TreePath]] = {}
    for path in _sources(folder, family):
        data = read_bytes(f"{folder}/{path}")
        heads = b" ".join((*_CLASS_HEAD.findall(data), *(_TYPEDEF_END.findall(data) if family in _C else ())))
        for word in frozenset(_WORD.findall(heads)):
            found.setdefault(word, []).append(path)
    return found
