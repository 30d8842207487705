"""TOML as a tree of values: tables, dotted keys, inline tables and arrays of tables become maps and lists."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from functools import cache
from typing import TYPE_CHECKING

from fernshale.core.base.parse_errors import load_toml
from fernshale.core.survey.value_access.byte_spans import Spans
from fernshale.core.survey.value_access.found_value import FoundValue
from fernshale.core.survey.value_access.value_tree import ValueNode

if TYPE_CHECKING:
    from tree_sitter import Language, Node

_TABLES = ("table", "table_array_element")


@dataclass(slots=True)
class _Table:
    """A table that is still being read; its parts may be far apart in the file."""

    span: FoundValue
    entries: dict[str, _Table | list[_Table] | ValueNode] = field(default_factory=dict)

    def finished(self) -> ValueNode:
        children = []
        for key, entry in self.entries.items():
            if isinstance(entry, _Table):
                children.append((key, entry.finished()))
            elif isinstance(entry, list):
                inner = tuple(("", table.finished()) for table in entry)
                children.append((key, ValueNode("list", entry[0].span, inner)))
            else:
                children.append((key, entry))
        return ValueNode("map", self.span, tuple(children))


def read_toml_values(text: str) -> ValueNode:
    """Raises Malformed."""
    load_toml(text.replace("\r\n", "\n"))
    from tree_sitter import Parser

    source = text.encode("utf-8", "surrogateescape")
    parsed = Parser(_language()).parse(source).root_node
    spans = Spans(text, source)
    root = _Table(spans.value(parsed))
    for node in parsed.named_children:
        if node.type == "pair":
            _add(root, node, spans)
        elif node.type in _TABLES:
            header, *rest = node.named_children
            table = _open(root, _key(header, spans), spans.value(node), is_element=node.type == "table_array_element")
            for pair in rest:
                if pair.type == "pair":
                    _add(table, pair, spans)
    return root.finished()


def _open(root: _Table, keys: tuple[str, ...], span: FoundValue, *, is_element: bool) -> _Table:
    """The table with these keys; below an array of tables, keys lead into its newest element."""
    here = _inside(root, keys[:-1], span)
    last = here.entries.get(keys[-1])
    if is_element:
        elements = last if isinstance(last, list) else []
        here.entries[keys[-1]] = elements
        elements.append(_Table(span))
        return elements[-1]
    return _inside(here, keys[-1:], span)


def _inside(table: _Table, keys: tuple[str, ...], span: FoundValue) -> _Table:
    for key in keys:
        entry = table.entries.setdefault(key, _Table(span))
        # The strict reader has refused a file in which a table extends a plain value.
        table = entry[-1] if isinstance(entry, list) else entry if isinstance(entry, _Table) else _Table(span)
    return table


def _add(table: _Table, pair: Node, spans: Spans) -> None:
    keys = _key(pair.named_children[0], spans)
    value = next((child for child in reversed(pair.named_children[1:]) if child.type != "comment"), None)
    if value is not None:
        _inside(table, keys[:-1], spans.value(pair)).entries[keys[-1]] = _node(value, spans)


def _node(node: Node, spans: Spans) -> ValueNode:
    if node.type == "inline_table":
        table = _Table(spans.value(node))
        for pair in node.named_children:
            if pair.type == "pair":
                _add(table, pair, spans)
        return table.finished()
    if node.type == "array":
        inner = tuple(("", _node(child, spans)) for child in node.named_children if child.type != "comment")
        return ValueNode("list", spans.value(node), inner)
    whole = spans.value(node)
    several_lines = whole.text.startswith(('"""', "'''"))
    return ValueNode(
        "scalar",
        spans.value(node, quotes=3 if several_lines else 1) if node.type == "string" else whole,
        unwritable=several_lines and "\n" in whole.text,
    )


def _key(node: Node, spans: Spans) -> tuple[str, ...]:
    if node.type == "dotted_key":
        return tuple(part for child in node.named_children for part in _key(child, spans))
    text = spans.value(node).text
    if text.startswith('"'):
        return (str(tomllib.loads(f"x = {text}")["x"]),)
    return (text.strip("'"),)


@cache
def _language() -> Language:
    import tree_sitter_toml
    from tree_sitter import Language

    return Language(tree_sitter_toml.language())
