"""TOML as a tree: pairs and tables are siblings in the root; entries of arrays of tables are identified by a field."""

from __future__ import annotations

import tomllib
from collections import Counter
from functools import cache
from typing import TYPE_CHECKING, Any

from fernshale.core.base.parse_errors import Malformed, load_toml
from fernshale.core.base.texts import tr
from fernshale.core.data.list_identity import find_identity
from fernshale.core.data.tree import DataDocument, Node, NotKeyed, Span, flow_items, line_items

if TYPE_CHECKING:
    from tree_sitter import Language
    from tree_sitter import Node as Parsed

_COMMENTS = ("#",)
# Maximum number of bytes to decode again in order to convert a byte position.
_BLOCK = 256


def check_toml(text: str) -> None:
    """Raises NotKeyed unless `text` is TOML."""
    try:
        load_toml(text.replace("\r\n", "\n"))
    except Malformed as error:
        raise NotKeyed(error.what) from error


def read_toml_tree(text: str) -> DataDocument:
    """Parse TOML. Raises NotKeyed for invalid TOML."""
    check_toml(text)
    from tree_sitter import Parser

    source = text.encode("utf-8", "surrogatepass")
    reader = _Reader(text, source)
    root = Parser(_language()).parse(source).root_node
    entries: list[tuple[str, Node, Span]] = []
    elements: dict[str, int] = {}
    groups = Counter(reader.header(node) for node in root.named_children if node.type == "table_array_element")
    names = {name: reader.identities(root, name) for name in groups}
    for node in root.named_children:
        if node.type == "pair":
            entries.append(reader.pair(node))
        elif node.type in ("table", "table_array_element"):
            name = reader.header(node)
            body = reader.table(node)
            if node.type == "table_array_element":
                number = elements[name] = elements.get(name, -1) + 1
                key = f"[[{name}]]{names[name][number]}"
            else:
                owner = next((outer for outer in elements if name.startswith(outer + ".")), None)
                key = f"[{name}]" if owner is None else f"[{name}] of [[{owner}]]{names[owner][elements[owner]]}"
            entries.append((key, body, body.span))
    if len({key for key, _, _ in entries}) != len(entries):
        raise NotKeyed(tr("a table stands twice"))
    first = entries[0][2][0] if entries else len(text)
    return DataDocument(text, Node("map", (0, len(text)), "", line_items(text, entries, first)), "toml", _COMMENTS)


class _Reader:
    def __init__(self, text: str, source: bytes) -> None:
        self._text, self._source = text, source
        self._letters = None if len(text) == len(source) else _letters_before(source)

    def _place(self, at: int) -> int:
        if self._letters is None:
            return at
        block = at // _BLOCK
        start = block * _BLOCK
        while start and self._source[start] & 0xC0 == 0x80:
            start -= 1  # in the middle of a letter
        return self._letters[block] + len(self._source[start:at].decode("utf-8", "surrogatepass"))

    def _span(self, node: Parsed) -> Span:
        return self._place(node.start_byte), self._place(node.end_byte)

    def header(self, node: Parsed) -> str:
        return ".".join(self._key(node.named_children[0]))

    def _key(self, node: Parsed) -> tuple[str, ...]:
        if node.type == "dotted_key":
            return tuple(part for child in node.named_children for part in self._key(child))
        return (self._source[node.start_byte : node.end_byte].decode().strip("\"'"),)

    def table(self, node: Parsed) -> Node:
        pairs = [self.pair(child) for child in node.named_children if child.type == "pair"]
        start = self._place(node.start_byte)
        close = node.named_children[0].end_byte
        line = self._text.find("\n", self._place(close))
        end = len(self._text) if line < 0 else line
        end -= self._text[start:end].endswith("\r")
        items = line_items(self._text, pairs, end)
        return Node("map", (start, items[-1].trail[1] if items else end), "", items)

    def pair(self, node: Parsed) -> tuple[str, Node, Span]:
        key, *_, value = [child for child in node.named_children if child.type != "comment"]
        made = self.value(value)
        return ".".join(self._key(key)), made, (self._place(node.start_byte), made.span[1])

    def value(self, node: Parsed) -> Node:
        span = self._span(node)
        if node.type not in ("array", "inline_table"):
            raw = self._text[slice(*span)]
            return Node("value", span, _canonical(raw))
        entries: list[tuple[str, Node, Span]] = []
        for child in node.named_children:
            if child.type == "pair":
                entries.append(self.pair(child))
            elif child.type != "comment":
                made = self.value(child)
                entries.append(("", made, made.span))
        items = flow_items(self._text, entries, (span[0] + 1, span[1] - 1), ",", _COMMENTS)
        return Node("map" if node.type == "inline_table" else "list", span, "", items, ",")

    def identities(self, root: Parsed, name: str) -> list[str]:
        """Return the identity of each element of an array of tables: a field, else its number."""
        tables = [
            self.table(node)
            for node in root.named_children
            if node.type == "table_array_element" and self.header(node) == name
        ]
        field = find_identity([tables], ())
        if field is None:
            return [f" {number}" for number in range(len(tables))]
        found = (table.find(field) for table in tables)
        return [f" {item.node.canon_value.removeprefix('s')}" for item in found if item is not None]


def _letters_before(source: bytes) -> list[int]:
    """How many letters begin before each block of bytes."""
    counts = [0]
    for start in range(0, len(source), _BLOCK):
        block = source[start : start + _BLOCK]
        counts.append(counts[-1] + sum(byte & 0xC0 != 0x80 for byte in block))
    # A character that continues in the next block counts in the block where it starts.
    return [
        count - (0 < at * _BLOCK < len(source) and source[at * _BLOCK] & 0xC0 == 0x80)
        for at, count in enumerate(counts)
    ]


def _canonical(raw: str) -> str:
    """Return the canonical form of a value; equal for a string with any quotes."""
    value: Any = tomllib.loads(f"x = {raw}")["x"] if "\r" not in raw else raw
    return f"s{value}" if isinstance(value, str) else raw


@cache
def _language() -> Language:
    import tree_sitter_toml
    from tree_sitter import Language

    return Language(tree_sitter_toml.language())
