"""The grammars and readers of languages, loaded when first needed."""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress
from functools import cache
from importlib import import_module
from typing import TYPE_CHECKING, Any

from fernshale.core.base.languages import language_of
from fernshale.core.base.limits import limits
from fernshale.core.drift.parsing.cfamily import prepare, read_c_family
from fernshale.core.drift.parsing.csharp import read_csharp
from fernshale.core.drift.parsing.java import read_java
from fernshale.core.drift.parsing.lua import read_lua
from fernshale.core.drift.parsing.python import read_python
from fernshale.core.drift.parsing.rust import read_rust
from fernshale.core.drift.parsing.script import read_script
from fernshale.core.drift.parsing.source import Known, SourceFile
from fernshale.core.drift.parsing.trees import moved_tree
from fernshale.core.drift.symbols import Symbol

if TYPE_CHECKING:
    from tree_sitter import Node, Parser, Tree

_C = frozenset(("c", "c++"))
# A longer file is data or made by a machine; nobody writes against it.
MOST_BYTES = 4_000_000
# Up to here even a grammar that takes the square of a text's length is done in a moment.
_QUICK_BYTES = 1 << 14
# In such parts a grammar is handed longer texts, bytes.
_PART = 1 << 16

_Reader = Callable[[SourceFile, "Node"], None]
# Language: the grammar's module, its function, the reader.
_TABLE: dict[str, tuple[str, str, _Reader]] = {
    "c": ("tree_sitter_c", "language", read_c_family),
    "c++": ("tree_sitter_cpp", "language", read_c_family),
    "c#": ("tree_sitter_c_sharp", "language", read_csharp),
    "java": ("tree_sitter_java", "language", read_java),
    "rust": ("tree_sitter_rust", "language", read_rust),
    "python": ("tree_sitter_python", "language", read_python),
    "typescript": ("tree_sitter_typescript", "language_typescript", read_script),
    "tsx": ("tree_sitter_typescript", "language_tsx", read_script),
    "javascript": ("tree_sitter_javascript", "language", read_script),
    "lua": ("tree_sitter_lua", "language", read_lua),
}


def read_source(data: bytes, path: str) -> tuple[Symbol, ...]:
    """The symbols a file declares, in order. Files of unknown languages have none."""
    language = _language(data, path)
    if not language:
        return ()
    return _read(language, data, _readable(language, data), path)[0]


def read_both(old: bytes, new: bytes, path: str) -> tuple[tuple[Symbol, ...], tuple[Symbol, ...]]:
    """As `read_source` of each of two texts of one file; what they share is parsed and read once.

    Where the grammar finds faults in both, what it takes them for in the new one may follow the old one.
    """
    language = _language(old, path)
    if language not in _C or not _language(new, path):
        return read_source(old, path), read_source(new, path)
    known: Known = {}
    before, after = _readable(language, old), _readable(language, new)
    symbols, tree = _read(language, old, before, path, known)
    return symbols, _read(language, new, after, path, known, moved_tree(tree, before, after))[0]


def _read(
    language: str, data: bytes, readable: bytes, path: str, known: Known | None = None, before: Tree | None = None
) -> tuple[tuple[Symbol, ...], Tree]:
    """The symbols of a file and its tree; `before` is that of another text of it, moved to where this one has the same."""
    source = SourceFile(readable, path, data if readable != data else None, known)
    tree = _parse(language, readable, before)
    if before is not None and tree.root_node.has_error and not before.root_node.has_error:
        tree = _parse(language, readable)  # how a fault is read depends on the text before it
    # No release nests so deep that this ends: what lies above is read.
    with suppress(RecursionError):
        _TABLE[language][2](source, tree.root_node)
    return tuple(source.symbols), tree


def _parse(language: str, data: bytes, before: Tree | None = None) -> Tree:
    """The tree of a text; that of an empty one where the grammar takes longer than `parse_seconds` to find its way."""
    parser = _parser(language)
    if len(data) <= _QUICK_BYTES:
        return parser.parse(data) if before is None else parser.parse(data, before)
    until = time.monotonic() + limits().parse_seconds

    def part(at: int, _point: object) -> bytes:
        return data[at : at + _PART]

    def is_late(_at: int, _has_error: bool) -> bool:
        return time.monotonic() > until

    try:
        if before is None:
            return parser.parse(part, progress_callback=is_late)
        return parser.parse(part, before, progress_callback=is_late)
    except ValueError:  # how the library says that it was stopped
        parser.reset()
        return parser.parse(b"")


def _readable(language: str, data: bytes) -> bytes:
    return prepare(data) if language in _C else data


def _language(data: bytes, path: str) -> str:
    return language_of(path) if len(data) <= MOST_BYTES else ""


def parse(data: bytes, path: str) -> Node | None:
    """The syntax tree of a file, None for one of a language that is not known here."""
    language = _language(data, path)
    if not language:
        return None
    return _parse(language, data).root_node


@cache
def _parser(language: str) -> Parser:
    from tree_sitter import Language, Parser

    module, function, _ = _TABLE[language]
    grammar: Any = getattr(import_module(module), function)()
    return Parser(Language(grammar))
