"""The grammars and readers of languages, loaded when first needed."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from importlib import import_module
from typing import TYPE_CHECKING, Any

from fernshale.core.base.languages import language_of
from fernshale.core.drift.parsing.cfamily import prepare, read_c_family
from fernshale.core.drift.parsing.csharp import read_csharp
from fernshale.core.drift.parsing.java import read_java
from fernshale.core.drift.parsing.lua import read_lua
from fernshale.core.drift.parsing.python import read_python
from fernshale.core.drift.parsing.rust import read_rust
from fernshale.core.drift.parsing.script import read_script
from fernshale.core.drift.parsing.source import Source
from fernshale.core.drift.symbols import Symbol

if TYPE_CHECKING:
    from tree_sitter import Node, Parser

# A longer file is data or made by a machine; nobody writes against it.
MOST_BYTES = 4_000_000

_Reader = Callable[[Source, "Node"], None]
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
    language = language_of(path)
    if not language or len(data) > MOST_BYTES:
        return ()
    *_, reader = _TABLE[language]
    readable = prepare(data) if reader is read_c_family else data
    source = Source(readable, path, data if readable != data else None)
    reader(source, _parser(language).parse(readable).root_node)
    return tuple(source.symbols)


def parse(data: bytes, path: str) -> Node | None:
    """The syntax tree of a file, None for one of a language that is not known here."""
    language = language_of(path)
    if not language or len(data) > MOST_BYTES:
        return None
    return _parser(language).parse(data).root_node


@cache
def _parser(language: str) -> Parser:
    from tree_sitter import Language, Parser

    module, function, _ = _TABLE[language]
    grammar: Any = getattr(import_module(module), function)()
    return Parser(Language(grammar))
