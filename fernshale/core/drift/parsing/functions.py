"""Find the function around a line, with the span of its body, in any supported language."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from fernshale.core.base.languages import language_of
from fernshale.core.drift.parsing.languages import parse

if TYPE_CHECKING:
    from tree_sitter import Node

_FUNCTIONS = frozenset(
    ("function_definition", "method_declaration", "constructor_declaration", "function_item", "function_declaration",
     "method_definition", "function_expression", "arrow_function", "local_function_statement")
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Function:
    """A function: its name, its language, and the span of its body in the file's bytes, including brackets."""

    name: str
    language: str
    start: int
    end: int


def function_at(data: bytes, path: str, line: int) -> Function | None:
    """The innermost function with a name around a line (1-based), None outside of functions or in unknown languages."""
    language = language_of(path)
    root = parse(data, path)
    if root is None:
        return None
    lines = data.split(b"\n")
    text = lines[line - 1] if 0 < line <= len(lines) else b""
    point = (line - 1, len(text) - len(text.lstrip()))
    node: Node | None = root.descendant_for_point_range(point, point)
    while node is not None:
        body = node.child_by_field_name("body") if node.type in _FUNCTIONS else None
        name = _name(data, node) if body is not None else ""
        if body is not None and name:
            return Function(name, language, body.start_byte, body.end_byte)
        node = node.parent
    return None


def _name(data: bytes, node: Node) -> str:
    named = node.child_by_field_name("name") or node.child_by_field_name("declarator")
    while named is not None and (inner := named.child_by_field_name("declarator")) is not None:
        named = inner
    if named is None:
        return ""
    return data[named.start_byte : named.end_byte].decode("utf-8", "replace")
