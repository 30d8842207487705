"""JSON as a tree of values. Comments and a trailing comma are accepted, since many settings files have them."""

from __future__ import annotations

import json
import re
from functools import cache
from typing import TYPE_CHECKING

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.parse_errors import Malformed, load_json
from fernshale.core.survey.value_access.byte_spans import Spans
from fernshale.core.survey.value_access.value_tree import ValueNode

if TYPE_CHECKING:
    from tree_sitter import Language, Node

_STRING_OR_COMMENT = lazy_pattern(r'"(?:[^"\\\n]|\\.)*+"|(?P<comment>//[^\n]*+|/\*.*?\*/)', re.DOTALL)
_STRING_OR_COMMA = lazy_pattern(r'"(?:[^"\\\n]|\\.)*+"|(?P<comma>,)(?=\s*[}\]])', re.DOTALL)


def read_json_values(text: str) -> ValueNode:
    """Raises Malformed."""
    try:
        load_json(text)
    except Malformed as error:
        plain = _without_extras(text)
        try:
            load_json(plain)
        except Malformed:
            raise error from None
        text = plain
    from tree_sitter import Parser

    source = text.encode("utf-8", "surrogateescape")
    root = Parser(_language()).parse(source).root_node
    spans = Spans(text, source)
    return _node(next(child for child in root.named_children if child.type != "comment"), spans)


def _without_extras(text: str) -> str:
    """Blank out comments and trailing commas; every other character stays where it is."""

    def blank(found: re.Match[str]) -> str:
        return re.sub(r"[^\n]", " ", found[0]) if found.lastgroup else found[0]

    return _STRING_OR_COMMA.sub(blank, _STRING_OR_COMMENT.sub(blank, text.replace("\ufeff", " ", 1)))


def _node(node: Node, spans: Spans) -> ValueNode:
    if node.type == "object":
        pairs = []
        for pair in node.named_children:
            key, value = pair.child_by_field_name("key"), pair.child_by_field_name("value")
            if key is not None and value is not None:
                pairs.append((str(json.loads(spans.bytes_of(key), strict=False)), _node(value, spans)))
        return ValueNode("map", spans.value(node), tuple(pairs))
    if node.type == "array":
        return ValueNode("list", spans.value(node), tuple(("", _node(child, spans)) for child in node.named_children))
    return ValueNode("scalar", spans.value(node, quotes=1 if node.type == "string" else 0))


@cache
def _language() -> Language:
    import tree_sitter_json
    from tree_sitter import Language

    return Language(tree_sitter_json.language())
