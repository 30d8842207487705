"""YAML as trees of values, one for each document. Tags and anchors are read; an alias is resolved to its node."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fernshale.core.base.parse_errors import Malformed, compose_yaml
from fernshale.core.base.texts import tr
from fernshale.core.survey.value_access.found_value import FoundValue
from fernshale.core.survey.value_access.value_tree import ValueNode

if TYPE_CHECKING:
    from ruamel.yaml.nodes import Node

_MERGE = "<<"


def read_yaml_values(text: str) -> tuple[ValueNode, ...]:
    """Raises Malformed."""
    documents = compose_yaml(text)
    try:
        return tuple(_Reader(text).node(document, ()) for document in documents if document is not None)
    except RecursionError as error:
        raise Malformed(tr("YAML that is nested too deep")) from error


class _Reader:
    def __init__(self, text: str) -> None:
        self._text = text
        self._read: dict[int, ValueNode] = {}

    def node(self, node: Node, above: tuple[int, ...]) -> ValueNode:
        from ruamel.yaml.nodes import MappingNode, ScalarNode, SequenceNode

        known = self._read.get(id(node))
        if known is not None:
            return known
        start, end = node.start_mark.index, node.end_mark.index
        whole = FoundValue(self._text[start:end], start, end)
        if id(node) in above:
            return ValueNode("scalar", whole, unwritable=True)  # an alias to what contains it
        inside = (*above, id(node))
        if isinstance(node, ScalarNode):
            made = self._scalar(node, whole)
        elif isinstance(node, SequenceNode):
            made = ValueNode("list", whole, tuple(("", self.node(child, inside)) for child in node.value))
        elif isinstance(node, MappingNode):
            pairs = {str(key.value): self.node(value, inside) for key, value in node.value}
            merged = pairs.pop(_MERGE, None)
            for source in _sources(merged):
                for key, child in source.children:
                    pairs.setdefault(key, child)
            made = ValueNode("map", whole, tuple(pairs.items()))
        else:
            made = ValueNode("scalar", whole, unwritable=True)
        self._read[id(node)] = made
        return made

    def _scalar(self, node: Node, whole: FoundValue) -> ValueNode:
        style = getattr(node, "style", None)
        if style in ("|", ">"):
            return ValueNode("scalar", whole, unwritable=True)
        start, end = whole.start, whole.end
        # Tags and anchors are before the value, inside the node.
        while start < end and self._text[start] in "&!":
            while start < end and not self._text[start].isspace():
                start += 1
            while start < end and self._text[start].isspace():
                start += 1
        quotes = 1 if style in ("'", '"') else 0
        value = FoundValue(self._text[start + quotes : end - quotes], start + quotes, end - quotes)
        return ValueNode("scalar", value, unwritable="\n" in value.text)


def _sources(merged: ValueNode | None) -> list[ValueNode]:
    """The maps that a merge key names: one, or a list of them."""
    if merged is None:
        return []
    return [merged] if merged.kind == "map" else [child for _, child in merged.children if child.kind == "map"]
