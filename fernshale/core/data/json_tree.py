"""JSON as a tree; comments and a comma behind the last entry are read, since many settings files have them."""

from __future__ import annotations

import json
import re

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.data.tree import DataDocument, Node, NotKeyed, Span, flow_items

_SKIP = lazy_pattern(r"(?:[ \t\r\n\ufeff]++|//[^\n]*+|/\*.*?\*/)*+", re.DOTALL)
_STRING = lazy_pattern(r'"[^"\\\n]*+(?:\\.[^"\\\n]*+)*+"')
_PLAIN = lazy_pattern(r"-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?|true|false|null")
_COMMENTS = ("//", "/*")
_DEEPEST = 100


def read_json(text: str) -> DataDocument:
    """The tree of a JSON text. Raises NotKeyed with the line."""
    start = _skip(text, 0)
    root, end = _value(text, start, 0)
    if _skip(text, end) != len(text):
        raise _broken(text, end)
    return DataDocument(text, root, "json", _COMMENTS)


def _value(text: str, at: int, depth: int) -> tuple[Node, int]:
    if depth > _DEEPEST:
        raise NotKeyed(tr("nested too deep"))
    if text[at : at + 1] == "{":
        return _container(text, at, "}", depth)
    if text[at : at + 1] == "[":
        return _container(text, at, "]", depth)
    if found := _STRING.match(text, at):
        return Node("value", found.span(), "s" + _decoded(text, found.span())), found.end()
    if found := _PLAIN.match(text, at):
        return Node("value", found.span(), found[0]), found.end()
    raise _broken(text, at)


def _container(text: str, start: int, close: str, depth: int) -> tuple[Node, int]:
    entries: list[tuple[str, Node, Span]] = []
    keys: set[str] = set()
    at = _skip(text, start + 1)
    while text[at : at + 1] != close:
        begin, key = at, ""
        if close == "}":
            found = _STRING.match(text, at)
            if found is None:
                raise _broken(text, at)
            key = _decoded(text, found.span())
            if key in keys:
                raise NotKeyed(tr("the key {key!r} stands twice", key=key))
            keys.add(key)
            at = _skip(text, found.end())
            if text[at : at + 1] != ":":
                raise _broken(text, at)
            at = _skip(text, at + 1)
        node, at = _value(text, at, depth + 1)
        entries.append((key, node, (begin, at)))
        at = _skip(text, at)
        if text[at : at + 1] == ",":
            at = _skip(text, at + 1)
        elif text[at : at + 1] != close:
            raise _broken(text, at)
    items = flow_items(text, entries, (start + 1, at), ",", _COMMENTS)
    return Node("map" if close == "}" else "list", (start, at + 1), "", items, ","), at + 1


def _decoded(text: str, span: Span) -> str:
    try:
        return str(json.loads(text[slice(*span)], strict=False))
    except ValueError as error:
        raise _broken(text, span[0]) from error


def _skip(text: str, at: int) -> int:
    found = _SKIP.match(text, at)
    assert found is not None
    return found.end()


def _broken(text: str, at: int) -> NotKeyed:
    return NotKeyed(tr("line {line}: not valid JSON", line=text.count(chr(10), 0, at) + 1))
