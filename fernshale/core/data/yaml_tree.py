"""YAML as a tree. The composer gives positions. Tags and anchors are marks of a node, which stay as they are; an alias is a value
of its own. Several documents are rejected, since a tree cannot represent them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.parse_errors import Malformed, compose_yaml
from fernshale.core.base.texts import tr
from fernshale.core.data.tree import DataDocument, Node, NotKeyed, Span, flow_items, line_items

_COMMENTS = ("#",)
_DEEPEST = 60
# The tag and the anchor before a value.
_PROPERTIES = lazy_pattern(r"(?:[&!]\S*(?:[ \t\r\n]+|\Z))+")
# An alias as a value, with what precedes it.
_ALIAS = lazy_pattern(r"[\s:,\[{-]*(?P<name>\*[^\s,\]}]+)")


def read_yaml_tree(text: str) -> DataDocument:
    """Raises NotKeyed."""
    try:
        documents = compose_yaml(text)
    except Malformed as error:
        raise NotKeyed(error.what) from error
    if len(documents) != 1 or documents[0] is None:
        raise NotKeyed(tr("not one document"))
    if "\t" in text or _has_markers(text):
        raise NotKeyed(tr("markers of documents, or tabs"))
    try:
        root = _Reader(text).read(documents[0], 0, 0)
    except ValueError as error:  # a mark that is looked for and is not there, as the colon of a key alone
        raise NotKeyed(tr("a key without a value")) from error
    if root.kind == "value":
        raise NotKeyed(tr("no keys"))
    return DataDocument(text, replace(root, span=(0, len(text))), "yaml", _COMMENTS)


def _has_markers(text: str) -> bool:
    """Whether a text has other marks of documents than one before its content."""
    lines = text.split("\n")
    begin = next((at for at, line in enumerate(lines) if line.strip() and not line.startswith("#")), 0)
    marked = [at for at, line in enumerate(lines) if line.startswith(("---", "...", "%"))]
    return bool(marked) and (marked != [begin] or lines[begin].rstrip() != "---")


class _Reader:
    """Makes the nodes of one text into those of a tree."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._anchors: set[str] = set()

    def read(self, node: Any, at: int, depth: int) -> Node:
        """Return the node at `at` or after it. A node that starts earlier is the target of an alias at `at`."""
        from ruamel.yaml.nodes import MappingNode, ScalarNode

        if depth > _DEEPEST:
            raise NotKeyed(tr("a file that nests too deep"))
        if node.start_mark.index < at:
            return self._alias(at)
        if node.anchor is not None:
            if node.anchor in self._anchors:
                raise NotKeyed(tr("an anchor that stands twice"))
            self._anchors.add(node.anchor)
        start, end = node.start_mark.index, node.end_mark.index
        found = _PROPERTIES.match(self._text, start, end)
        begin = found.end() if found is not None else start
        mark = " ".join(self._text[start:begin].split())
        if isinstance(node, ScalarNode):
            return replace(_scalar(self._text, node, begin, end), mark=mark)
        is_map = isinstance(node, MappingNode)
        entries = self._map(node, depth) if is_map else self._list(node, begin, depth)
        kind: Any = "map" if is_map else "list"
        if node.flow_style:
            items = flow_items(self._text, entries, (begin + 1, end - 1), ",", _COMMENTS)
            return Node(kind, (begin, end), "", items, ",", mark=mark)
        first = entries[0][2][0]
        items = line_items(self._text, entries, first)
        return Node(kind, (first, items[-1].trail[1]), "", items, mark=mark)

    def _alias(self, at: int) -> Node:
        found = _ALIAS.match(self._text, at)
        if found is None:
            raise NotKeyed(tr("an alias that is not found"))
        return Node("value", found.span("name"), found["name"], mark=found["name"])

    def _map(self, node: Any, depth: int) -> list[tuple[str, Node, Span]]:
        from ruamel.yaml.nodes import ScalarNode

        entries: list[tuple[str, Node, Span]] = []
        for key, value in node.value:
            if not isinstance(key, ScalarNode) or self._text[key.start_mark.index] in "&*!?":
                raise NotKeyed(tr("a key that is no plain one"))
            if entries and key.start_mark.index < entries[-1][2][1]:
                raise NotKeyed(tr("a key that is an alias"))
            made = self.read(value, key.end_mark.index, depth + 1)
            if made.kind == "value" and made.span[0] == made.span[1] and not made.mark:
                colon = self._text.index(":", key.end_mark.index) + 1
                made = Node("value", (colon, colon), made.canon_value)
            entries.append((key.value, made, (key.start_mark.index, made.span[1])))
        if len({key for key, _, _ in entries}) != len(entries):
            raise NotKeyed(tr("a key stands twice"))
        return entries

    def _list(self, node: Any, at: int, depth: int) -> list[tuple[str, Node, Span]]:
        text = self._text
        entries: list[tuple[str, Node, Span]] = []
        at += node.flow_style
        for value in node.value:
            made = self.read(value, at, depth + 1)
            # A tag or an anchor belongs to the entry as well.
            begin = (
                max(at, value.start_mark.index) if node.flow_style and not made.mark.startswith("*") else made.span[0]
            )
            if not node.flow_style:
                begin = text.index("-", at)
                while text[begin + 1 : begin + 2] not in (" ", "\n", "\r", ""):
                    begin = text.index("-", begin + 1)
                between = _PROPERTIES.sub("", text[begin + 1 : made.span[0]].strip(" \r\n-") + " ")
                if begin > made.span[0] or between.strip():
                    raise NotKeyed(tr("a list with comments inside its entries"))
                if made.kind == "value" and made.span[0] == made.span[1] and not made.mark:
                    made = Node("value", (begin + 1, begin + 1), made.canon_value)
            at = max(made.span[1], begin + 1)
            entries.append(("", made, (begin, made.span[1])))
        return entries


def _scalar(text: str, node: Any, start: int, end: int) -> Node:
    quoted = node.style in ("'", '"')
    if node.style in ("|", ">"):
        while end > start and text[end - 1] in "\r\n ":
            end -= 1
    said = ("s" if quoted or node.style in ("|", ">") or str(node.tag).endswith(":str") else "") + str(node.value)
    return Node("value", (start, end), said)
