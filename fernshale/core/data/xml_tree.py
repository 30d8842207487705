"""XML as a tree: an element contains its attributes and either a text or its children.

The tree cannot represent text between elements, entities and document types.
"""

from __future__ import annotations

import html
import re
from dataclasses import dataclass, field

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.data.tree import DataDocument, KeyedNode, Node, NotKeyed

MARKUP = lazy_pattern(
    r"""(?P<comment><!--.*?-->)|(?P<other><\?.*?\?>)|(?P<refused><!\[CDATA\[|<!)
    |(?P<close></[^>]*>)|(?P<tag><(?P<name>[^\s/>]+)(?P<attributes>(?:[^>"'/]++|/(?!>)|"[^"]*+"|'[^']*+')*+)(?P<empty>/?)>)""",
    re.VERBOSE | re.DOTALL,
)
ATTRIBUTE = lazy_pattern(r"""([^\s=/]+)\s*=\s*("[^"]*"|'[^']*')""")
_COMMENT_AFTER = lazy_pattern(r"[ \t]*<!--[^\n]*?-->[ \t]*(?=\r?\n|$)")
_COMMENTS = ("<!--",)


def check_xml(text: str) -> None:
    """Raises NotKeyed unless `text` is well-formed; nothing is fetched or expanded."""
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, encoding="utf-8")
    try:
        etree.fromstring(text.encode("utf-8", "surrogatepass"), parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise NotKeyed(tr("not valid XML: {error}", error=error)) from error


def escaped(text: str) -> str:
    """Escape a text for use between quotes or tags."""
    # Not by the library's own module for XML, which loads half of its network code.
    return html.escape(text, quote=False).replace('"', "&quot;")


@dataclass(slots=True)
class _Open:
    """An element whose end tag has not been read yet."""

    name: str
    start: int
    inside: int
    attributes: Node
    children: list[Node] = field(default_factory=list)
    has_text: bool = False


def read_xml_tree(text: str) -> DataDocument:
    """Raises NotKeyed."""
    check_xml(text)
    stack = [_Open("", 0, 0, Node("map", (0, 0)))]
    at = 0
    for found in MARKUP.finditer(text):
        here = stack[-1]
        here.has_text = here.has_text or bool(text[at : found.start()].strip().strip("\ufeff"))
        at = found.end()
        if found["refused"]:
            raise NotKeyed(tr("a document type or a raw section"))
        if found["tag"]:
            start, end = found.span("attributes")
            opened = _Open(found["name"], found.start(), found.end(), _attributes(text, start, end))
            if found["empty"]:
                node = Node(
                    "map",
                    found.span(),
                    "",
                    (_fixed("@", opened.attributes, opened.attributes.span[0]),),
                    fixed=True,
                    label=opened.name,
                )
                here.children.append(node)
            else:
                stack.append(opened)
        elif found["close"]:
            opened = stack.pop()
            span = (opened.start, found.end())
            content = _content(text, opened, found.start())
            attributes = opened.attributes
            parts = (_fixed("@", attributes, attributes.span[0]), _fixed("content", content, attributes.span[1]))
            node = Node("map", span, "", parts, fixed=True, label=opened.name)
            stack[-1].children.append(node)
    root = stack[0].children[0]
    start, end = root.span
    first = KeyedNode(f"<{root.label}>", root, (start, start), root.span, (end, end))
    return DataDocument(text, Node("map", (0, len(text)), "", (first,), fixed=True), "xml", _COMMENTS)


def _fixed(key: str, node: Node, after: int) -> KeyedNode:
    """A part that every element has; it is neither removed nor added."""
    start, end = node.span
    return KeyedNode(key, node, (after, start), node.span, (end, end))


def _attributes(text: str, start: int, end: int) -> Node:
    items = []
    at = start
    for found in ATTRIBUTE.finditer(text, start, end):
        value = Node("value", (found.start(2) + 1, found.end(2) - 1), "s" + html.unescape(found[2][1:-1]))
        items.append(KeyedNode(found[1], value, (at, found.start()), found.span(), (found.end(), found.end())))
        at = found.end()
    return Node("map", (start, at), "", tuple(items))


def _content(text: str, opened: _Open, end: int) -> Node:
    span = (opened.inside, end)
    if not opened.children:
        body = text[slice(*span)]
        said = body.strip()
        if not said or "<" in said:
            return Node("value", span, "s" + said)
        start = span[0] + body.index(said)
        return Node("value", (start, start + len(said)), "s" + html.unescape(said))
    if opened.has_text:
        return Node("value", span, "s" + text[slice(*span)].strip())
    items = []
    at = span[0]
    for node in opened.children:
        start, stop = node.span
        line = _COMMENT_AFTER.match(text, stop)
        end = line.end() if line else stop
        items.append(KeyedNode("", node, (at, start), node.span, (stop, end)))
        at = end
    return Node("list", span, "", tuple(items))
