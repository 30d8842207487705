"""YAML as a tree. The composer gives positions; anchors, tags and several documents are rejected, since a tree cannot represent
them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from fernshale.core.base.parse_errors import Malformed, compose_yaml
from fernshale.core.data.tree import DataDocument, Node, NotKeyed, Span, flow_items, line_items

_COMMENTS = ("#",)
_DEEPEST = 60


def read_yaml_tree(text: str) -> DataDocument:
    """Raises NotKeyed."""
    try:
        documents = compose_yaml(text)
    except Malformed as error:
        raise NotKeyed(error.what) from error
    if len(documents) != 1 or documents[0] is None:
        raise NotKeyed("not one document")
    if "\t" in text or _has_markers(text):
        raise NotKeyed("markers of documents, or tabs")
    try:
        root = _node(text, documents[0], 0)
    except ValueError as error:  # a mark that is looked for and is not there, as the colon of a key alone
        raise NotKeyed("a key without a value") from error
    if root.kind == "value":
        raise NotKeyed("no keys")
    return DataDocument(text, replace(root, span=(0, len(text))), "yaml", _COMMENTS)


def _has_markers(text: str) -> bool:
    return any(line.startswith(("---", "...", "%")) for line in text.split("\n"))


def _node(text: str, node: Any, depth: int) -> Node:
    from ruamel.yaml.nodes import MappingNode, ScalarNode, SequenceNode

    start, end = node.start_mark.index, node.end_mark.index
    # A node with an anchor or a tag starts there; an alias is the very node it points at.
    if node.anchor is not None or text[start : start + 1] in ("&", "*", "!") or depth > _DEEPEST:
        raise NotKeyed("anchors, aliases or tags")
    if isinstance(node, ScalarNode):
        return _scalar(text, node, start, end)
    entries: list[tuple[str, Node, Span]] = []
    if isinstance(node, MappingNode):
        for key, value in node.value:
            if not isinstance(key, ScalarNode) or key.value == "<<":
                raise NotKeyed("a key that is no plain one")
            made = _node(text, value, depth + 1)
            if value.start_mark.index <= key.start_mark.index:
                raise NotKeyed("an alias")
            if made.kind == "value" and made.span[0] == made.span[1]:
                colon = text.index(":", key.end_mark.index) + 1
                made = Node("value", (colon, colon), made.canon_value)
            entries.append((key.value, made, (key.start_mark.index, made.span[1])))
        if len({key for key, _, _ in entries}) != len(entries):
            raise NotKeyed("a key stands twice")
    elif isinstance(node, SequenceNode):
        at = start
        for value in node.value:
            made = _node(text, value, depth + 1)
            begin = made.span[0]
            if not node.flow_style:
                begin = text.index("-", at)
                while text[begin + 1 : begin + 2] not in (" ", "\n", "\r", ""):
                    begin = text.index("-", begin + 1)
                if begin > made.span[0] or text[begin + 1 : made.span[0]].strip(" \r\n-"):
                    raise NotKeyed("a list with comments inside its entries")
                if made.kind == "value" and made.span[0] == made.span[1]:
                    made = Node("value", (begin + 1, begin + 1), made.canon_value)
            at = max(made.span[1], begin + 1)
            entries.append(("", made, (begin, made.span[1])))
    kind: Any = "map" if isinstance(node, MappingNode) else "list"
    if node.flow_style:
        return Node(kind, (start, end), "", flow_items(text, entries, (start + 1, end - 1), ",", _COMMENTS), ",")
    first = entries[0][2][0]
    items = line_items(text, entries, first)
    return Node(kind, (first, items[-1].trail[1]), "", items)


def _scalar(text: str, node: Any, start: int, end: int) -> Node:
    quoted = node.style in ("'", '"')
    if node.style in ("|", ">"):
        while end > start and text[end - 1] in "\r\n ":
            end -= 1
    said = ("s" if quoted or node.style in ("|", ">") or str(node.tag).endswith(":str") else "") + str(node.value)
    return Node("value", (start, end), said)
