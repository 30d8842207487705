"""Read the plain values of YAML with their data paths, fast and tolerantly: several documents, tags and anchors are allowed.

For searching very many files; files to be rewritten are read by `yamltext`, which is strict.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from typing import TYPE_CHECKING

from fernshale.core.base.parse_errors import yaml_is_too_deep
from fernshale.core.base.texts import tr
from fernshale.core.data.paths import DataPath
from fernshale.core.data.tree import NotKeyed, Span

if TYPE_CHECKING:
    from tree_sitter import Language, Node

_SCALARS = frozenset({"plain_scalar", "single_quote_scalar", "double_quote_scalar"})
_MAPS = frozenset({"block_mapping", "flow_mapping"})
_LISTS = frozenset({"block_sequence", "flow_sequence"})
_PAIRS = frozenset({"block_mapping_pair", "flow_pair"})
_DEEPEST = 100


def yaml_values(text: str) -> Iterator[tuple[DataPath, Span]]:
    """Yield each plain value with its data path and its span, without quotes; unreadable parts are skipped.

    Raises NotKeyed for nesting that is too deep for the parser.
    """
    from tree_sitter import Parser

    if line := yaml_is_too_deep(text):
        raise NotKeyed(tr("line {line}: YAML that is nested too deep", line=line))
    source = text.encode("utf-8", "surrogatepass")
    root = Parser(_language()).parse(source).root_node
    offset = _Offsets(text, source)
    for document in root.named_children:
        if document.type == "document":
            for data_path, node in _values(document, (), source, 0):
                quotes = 0 if node.type == "plain_scalar" else 1
                yield data_path, (offset(node.start_byte + quotes), offset(node.end_byte - quotes))


def _values(node: Node, data_path: DataPath, source: bytes, depth: int) -> Iterator[tuple[DataPath, Node]]:
    if depth > _DEEPEST:
        return
    number = 0
    for child in node.named_children:
        kind = child.type
        if kind in _SCALARS:
            yield data_path, child
        elif kind in _PAIRS:
            key = child.child_by_field_name("key")
            value = child.child_by_field_name("value")
            if key is not None and value is not None:
                name = source[key.start_byte : key.end_byte].decode("utf-8", "replace").strip("\"'")
                yield from _values(value, (*data_path, name), source, depth + 1)
        elif kind == "block_sequence_item" or (node.type == "flow_sequence" and kind == "flow_node"):
            yield from _values(child, (*data_path, str(number)), source, depth + 1)
            number += 1
        elif kind in ("block_node", "flow_node") or kind in _MAPS or kind in _LISTS:
            yield from _values(child, data_path, source, depth + 1)


class _Offsets:
    """Converts increasing byte positions to character positions."""

    def __init__(self, text: str, source: bytes) -> None:
        self._source = source if len(text) != len(source) else None
        self._at = self._letters = 0

    def __call__(self, at: int) -> int:
        if self._source is None:
            return at
        if at < self._at:
            self._at = self._letters = 0
        self._letters += len(self._source[self._at : at].decode("utf-8", "surrogatepass"))
        self._at = at
        return self._letters


@cache
def _language() -> Language:
    import tree_sitter_yaml
    from tree_sitter import Language

    return Language(tree_sitter_yaml.language())
