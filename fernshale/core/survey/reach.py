"""Find single values in settings files with their exact span, so that a new value leaves every other byte alone.

JSON and TOML are parsed with tree-sitter, which keeps positions; both are first read strictly, for clear errors.
"""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING

import regex

from fernshale.core.base.errors import FormatError
from fernshale.core.base.textfile import position
from fernshale.core.profile.model import Reach

if TYPE_CHECKING:
    from tree_sitter import Language, Node

_PATTERN_TIMEOUT_S = 2.0
_INI_SECTION = re.compile(r"^\s*\[([^\]]*)\]")
_INI_VALUE = re.compile(r"^\s*([^=:#;\s][^=:]*?)\s*[=:][ \t]*(.*?)[ \t]*(?:[ \t][;#].*)?$")


@dataclass(frozen=True, slots=True)
class Value:
    """A value and its half-open span of characters, quotes not included."""

    text: str
    start: int
    end: int


def find_values(text: str, reach: Reach, path: str) -> tuple[Value, ...]:
    """The values `reach` leads to in `text`, in order. `path` is for messages.

    Raises FormatError with the line when the file is broken or a pattern runs away.
    """
    if reach.json:
        return _find_json(text, reach.json, path)
    if reach.toml:
        return _find_toml(text, reach.toml, path)
    if reach.ini:
        return tuple(_find_ini(text, reach.ini))
    return _find_pattern(text, reach.pattern, path)


def _find_pattern(text: str, pattern: str, path: str) -> tuple[Value, ...]:
    try:
        found = regex.finditer(pattern, text, timeout=_PATTERN_TIMEOUT_S)
        return tuple(Value(hit["value"], *hit.span("value")) for hit in found if hit["value"] is not None)
    except TimeoutError as error:
        raise FormatError(path, [(0, f"the pattern {pattern!r} takes too long on this file")]) from error


def _find_ini(text: str, key: str) -> Iterator[Value]:
    wanted_section, _, wanted_key = key.rpartition(".")
    section, offset = "", 0
    for line in text.splitlines(keepends=True):
        if header := _INI_SECTION.match(line):
            section = header[1].strip()
        elif (found := _INI_VALUE.match(line)) and section == wanted_section and found[1] == wanted_key:
            yield Value(found[2], offset + found.start(2), offset + found.end(2))
        offset += len(line)


def _find_json(text: str, pointer: str, path: str) -> tuple[Value, ...]:
    try:
        json.loads(text)
    except json.JSONDecodeError as error:
        raise FormatError(path, [(error.lineno, f"not valid JSON, column {error.colno}: {error.msg}")]) from error
    source, root = _parse(text, _json_language())
    node = root.named_children[0] if root.named_children else None
    for part in pointer.lstrip("/").split("/"):
        name = part.replace("~1", "/").replace("~0", "~")
        node = _json_child(node, name, source) if node is not None else None
    if node is None or node.type not in ("string", "number"):
        return ()
    return (_value(source, node),)


def _json_child(node: Node, name: str, source: bytes) -> Node | None:
    if node.type == "array":
        items = node.named_children
        return items[int(name)] if name.isdigit() and int(name) < len(items) else None
    if node.type != "object":
        return None
    for pair in node.named_children:
        key = pair.child_by_field_name("key")
        if key is not None and json.loads(source[key.start_byte : key.end_byte]) == name:
            return pair.child_by_field_name("value")
    return None


def _find_toml(text: str, key: str, path: str) -> tuple[Value, ...]:
    try:
        tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        found = re.search(r"line (\d+)", str(error))
        raise FormatError(path, [(int(found[1]) if found else 0, f"not valid TOML: {error}")]) from error
    source, root = _parse(text, _toml_language())
    wanted = tuple(key.split("."))
    values = []
    for node, name in _toml_pairs(root, source):
        value = [child for child in node.named_children if child.type != "comment"][-1]
        if name == wanted and value.type in ("string", "integer", "float"):
            values.append(_value(source, value))
    return tuple(values)


def _toml_pairs(root: Node, source: bytes) -> Iterator[tuple[Node, tuple[str, ...]]]:
    """Each `key = value` with its full key; entries of arrays of tables all carry the array's name."""
    for node in root.named_children:
        if node.type == "pair":
            yield node, _toml_key(node.named_children[0], source)
        elif node.type in ("table", "table_array_element"):
            header, *rest = node.named_children
            prefix = _toml_key(header, source)
            for pair in rest:
                if pair.type == "pair":
                    yield pair, prefix + _toml_key(pair.named_children[0], source)


def _toml_key(node: Node, source: bytes) -> tuple[str, ...]:
    if node.type == "dotted_key":
        return tuple(part for child in node.named_children for part in _toml_key(child, source))
    return (source[node.start_byte : node.end_byte].decode().strip("\"'"),)


def _value(source: bytes, node: Node) -> Value:
    quotes = 1 if node.type == "string" else 0
    start, end = node.start_byte + quotes, node.end_byte - quotes
    before = len(source[:start].decode("utf-8", "surrogateescape"))
    text = source[start:end].decode("utf-8", "surrogateescape")
    return Value(text, before, before + len(text))


def _parse(text: str, language: Language) -> tuple[bytes, Node]:
    from tree_sitter import Parser

    source = text.encode("utf-8", "surrogateescape")
    return source, Parser(language).parse(source).root_node


@cache
def _json_language() -> Language:
    import tree_sitter_json
    from tree_sitter import Language

    return Language(tree_sitter_json.language())


@cache
def _toml_language() -> Language:
    import tree_sitter_toml
    from tree_sitter import Language

    return Language(tree_sitter_toml.language())


def replace_values(text: str, edits: list[tuple[Value, str]]) -> str:
    """`text` with each value replaced; everything else stays as it is."""
    for value, new in sorted(edits, key=lambda edit: -edit[0].start):
        text = text[: value.start] + new + text[value.end :]
    return text


def line_of(text: str, value: Value) -> int:
    """1-based line of a value."""
    return position(text, value.start)[0]
