"""A settings file as a tree in which every node knows its position in the text.

Containers divide their text into pieces without gap or overlap:

    open  (lead body trail)*  close

`body` is an entry (`key: value`), `lead` the text before it (blanks, line breaks, comments), `trail` the rest of its line (a
comma, a comment). So entries can be removed, added and kept byte for byte in any format.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from fernshale.core.base.errors import FernshaleError

NodeKind = Literal["map", "list", "value"]
Span = tuple[int, int]


class NotKeyed(FernshaleError):
    """A file that cannot be merged by key: broken, or with parts that the tree cannot hold."""


@dataclass(frozen=True)
class Node:
    """A value at `span`. `canon` of a plain value is independent of its notation.

    `separator` is the separator between two entries of a container (a comma), "" if a line break is enough. Parts of a `fixed`
    map are neither removed nor added. `label` is the kind of object, if the format has one (the tag of an element). `mark` is
    the text before the value and outside its span: a tag and an anchor, or the whole alias.
    """

    kind: NodeKind
    span: Span
    canon_value: str = ""
    items: tuple[KeyedNode, ...] = ()
    separator: str = ""
    fixed: bool = False
    label: str = ""
    mark: str = ""

    @cached_property
    def canon(self) -> object:
        """The canonical form of the node, independent of key order and formatting. Equal nodes have equal forms."""
        if self.kind == "value":
            return (self.mark, self.canon_value) if self.mark else self.canon_value
        if self.kind == "map":
            inner = tuple(sorted((item.key, item.node.canon) for item in self.items))
            return ("map", self.label, self.mark, inner)
        return ("list", self.mark, tuple(item.node.canon for item in self.items))

    def find(self, key: str) -> KeyedNode | None:
        return next((item for item in self.items if item.key == key), None)


@dataclass(frozen=True, slots=True)
class KeyedNode:
    """An entry: its key ("" in a list), its value, and where its pieces are in the text."""

    key: str
    node: Node
    lead: Span
    body: Span
    trail: Span


@dataclass(frozen=True, slots=True)
class DataDocument:
    """A text and its tree. `comment` are the comment markers of its format; `read` is the function that parsed it."""

    text: str
    root: Node
    format: str
    comment: tuple[str, ...]
    read: Callable[[str], DataDocument] | None = None

    def cut(self, span: Span) -> str:
        return self.text[slice(*span)]

    def comments(self, span: Span) -> list[str]:
        """The comments in a part of the text, stripped."""
        lines = (line.strip() for line in self.cut(span).split("\n"))
        return [line for line in lines if line.startswith(self.comment)]

    def line(self, at: int) -> int:
        """0-based line of a place."""
        return self.text.count("\n", 0, at)


def flow_items(
    text: str, entries: list[tuple[str, Node, Span]], inside: Span, separator: str, comments: tuple[str, ...]
) -> tuple[KeyedNode, ...]:
    """Return the pieces of a container whose entries are separated by `separator`, as between braces.

    A comma and a comment on the same line belong to the entry before them.
    """
    items = []
    at = inside[0]
    for key, node, body in entries:
        end = body[1]
        stop = _skip_blanks(text, end, inside[1])
        if text.startswith(separator, stop):
            end = stop + len(separator)
        rest = _skip_blanks(text, end, inside[1])
        if text.startswith(comments, rest):
            end = _comment_end(text, rest, inside[1])
        items.append(KeyedNode(key, node, (at, body[0]), body, (body[1], end)))
        at = end
    return tuple(items)


def _skip_blanks(text: str, at: int, end: int) -> int:
    while at < end and text[at] in " \t":
        at += 1
    return at


def _comment_end(text: str, at: int, end: int) -> int:
    if text.startswith("/*", at):
        close = text.find("*/", at)
        return close + 2 if 0 <= close < end and "\n" not in text[at:close] else at
    line = text.find("\n", at, end)
    return line if line >= 0 else end


def line_items(text: str, entries: list[tuple[str, Node, Span]], start: int) -> tuple[KeyedNode, ...]:
    """The pieces of a container with an entry a line; the rest of an entry's last line belongs to it."""
    items = []
    at = start
    for key, node, body in entries:
        line = text.find("\n", body[1])
        end = len(text) if line < 0 else line
        if text[body[1] : end].endswith("\r"):
            end -= 1
        items.append(KeyedNode(key, node, (at, body[0]), body, (body[1], end)))
        at = end
    return tuple(items)
