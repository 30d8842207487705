"""Values in JSON and TOML: read strictly for clear errors, then with tree-sitter, which keeps positions."""

from __future__ import annotations

import json
from collections.abc import Iterator
from functools import cache
from typing import TYPE_CHECKING

from fernshale.core.base.errors import FormatError
from fernshale.core.base.parse_errors import Malformed, load_json, load_toml
from fernshale.core.survey.value_access.found_value import FoundValue, value_of_bytes

if TYPE_CHECKING:
    from tree_sitter import Language, Node


def find_json(text: str, pointer: str, path: str) -> tuple[FoundValue, ...]:
    """The value at a JSON pointer, or none. Raises FormatError, naming `path`, for text that is not JSON."""
    try:
        load_json(text)
    except Malformed as error:
        raise FormatError(path, [(error.line, error.what)]) from error
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


def find_toml(text: str, key: str, path: str) -> tuple[FoundValue, ...]:
    """The values of a dotted key. Raises FormatError, naming `path`, for text that is not TOML."""
    try:
        load_toml(text)
    except Malformed as error:
        raise FormatError(path, [(error.line, error.what)]) from error
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


def _value(source: bytes, node: Node) -> FoundValue:
    quotes = 1 if node.type == "string" else 0
    return value_of_bytes(source, node.start_byte + quotes, node.end_byte - quotes)


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
