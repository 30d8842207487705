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
from fernshale.core.drift.parsing.c_generated import with_generated_declarations
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
# Longer files are data or generated; nobody programs against them.
MOST_BYTES = 4_000_000
# Up to this size even a grammar with quadratic time is fast enough.
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
    data = _with_generated(language, data)
    return _read(language, data, _readable(language, data), path)[0]


def read_both(old: bytes, new: bytes, path: str) -> tuple[tuple[Symbol, ...], tuple[Symbol, ...]]:
    """Like `read_source` for two versions of one file; shared parts are parsed and read once.

    If the grammar finds errors in both, the interpretation of the new one may depend on the old one.
    """
    language = _language(old, path)
    if language not in _C or not _language(new, path):
        return read_source(old, path), read_source(new, path)
    known: Known = {}
    old, new = _with_generated(language, old), _with_generated(language, new)
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
    # No release nests deep enough to reach this limit; symbols above it are read.
    with suppress(RecursionError):
        _TABLE[language][2](source, tree.root_node)
    return tuple(source.symbols), tree


def _parse(language: str, data: bytes, before: Tree | None = None) -> Tree:
    """Return the tree of a text; that of an empty text if the grammar takes longer than `parse_seconds`."""
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
    except ValueError:  # how the library reports the time limit
        parser.reset()
        return parser.parse(b"")


def _readable(language: str, data: bytes) -> bytes:
    return prepare(data) if language in _C else data


def _with_generated(language: str, data: bytes) -> bytes:
    return with_generated_declarations(data) if language in _C else data


def _language(data: bytes, path: str) -> str:
    return language_of(path) if len(data) <= MOST_BYTES else ""


def parse(data: bytes, path: str) -> Node | None:
    """Return the syntax tree of a file, None for an unsupported language."""
    language = _language(data, path)
    if not language:
        return None
    return _parse(language, data).root_node


def count_faults(data: bytes, path: str) -> int:
    """The number of places where a grammar cannot read a file; 0 for an unsupported language."""
    language = _language(data, path)
    root = _parse(language, _readable(language, data)).root_node if language else None
    if root is None or not root.has_error:
        return 0
    found, waiting = 0, [root]
    while waiting:
        node = waiting.pop()
        found += node.is_error or node.is_missing
        waiting += [child for child in node.children if child.has_error]
    return found


@cache
def _parser(language: str) -> Parser:
    from tree_sitter import Language, Parser

    module, function, _ = _TABLE[language]
    grammar: Any = getattr(import_module(module), function)()
    return Parser(Language(grammar))
