"""An engine's own formats, described by two patterns: one for objects and one for their fields."""

from __future__ import annotations

from dataclasses import dataclass

import regex

from fernshale.core.base.texts import tr
from fernshale.core.data.tree import DataDocument, KeyedNode, Node, NotKeyed, Span

_LIMIT_S = 5.0


@dataclass(frozen=True, slots=True)
class ObjectPatterns:
    """`object` finds an object, with a group `kind` maybe; `field` finds its fields inside, by groups `key` and `value`.

    `comment` is how comments begin; objects are not looked for in them.
    """

    object: str
    field: str
    comment: str = "#"


def read_objects(text: str, patterns: ObjectPatterns) -> DataDocument:
    """A list of the objects, labelled by kind. Raises NotKeyed for a pattern that runs away or objects that overlap."""
    items = []
    at = 0
    try:
        for found in regex.finditer(patterns.object, text, flags=regex.MULTILINE, timeout=_LIMIT_S):
            start, end = found.span()
            line = text.rfind("\n", 0, start) + 1
            if start == end or (patterns.comment and text[line:end].lstrip().startswith(patterns.comment)):
                continue
            node = _object(text, (start, end), found.groupdict().get("kind") or "", patterns.field)
            items.append(KeyedNode("", node, (at, start), (start, end), (end, end)))
            at = end
    except TimeoutError as error:
        raise NotKeyed(tr("the pattern {pattern!r} takes too long", pattern=patterns.object)) from error
    root = Node("list", (0, len(text)), "", tuple(items))
    return DataDocument(text, root, "lines", (patterns.comment,) if patterns.comment else ())


def _object(text: str, span: Span, kind: str, field: str) -> Node:
    items = []
    at = span[0]
    for found in regex.finditer(field, text, pos=span[0], endpos=span[1], flags=regex.MULTILINE, timeout=_LIMIT_S):
        place = found.span("value")
        value = Node("value", place, "s" + found["value"])
        items.append(KeyedNode(found["key"], value, (at, found.start()), found.span(), (found.end(), found.end())))
        at = found.end()
    return Node("map", span, "", tuple(items), label=kind)
