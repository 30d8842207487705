"""Files of lines as trees: INI with its sections, and properties."""

from __future__ import annotations

import re

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.data.tree import DataDocument, KeyedNode, Node, NotKeyed, Span, line_items

_SECTION = lazy_pattern(r"[ \t]*\[([^\]\n]*)\][ \t]*(?:[;#][^\n]*)?\r?$")
_PAIR = lazy_pattern(r"[ \t]*([^=:#;\s][^=:\n]*?)[ \t]*[=:][ \t]*(.*?)[ \t]*(?:[ \t][;#][^\n]*)?\r?$")
_PROPERTY = lazy_pattern(
    r"[ \t]*((?:[^=:#!\s\\]|\\.)(?:[^=:\s\\]|\\.)*)(?:[ \t]*[=:][ \t]*|[ \t]+|(?=\r?$))(.*?)[ \t]*\r?$", re.DOTALL
)
_INI_COMMENTS = (";", "#")
_PROPERTY_COMMENTS = ("#", "!")


def read_ini(text: str) -> DataDocument:
    """Parse INI; keys before the first section become siblings of the sections. Raises NotKeyed for any other line."""
    entries: list[tuple[str, Node, Span]] = []
    sections: list[tuple[str, Span, list[tuple[str, Node, Span]]]] = []
    at = 0
    for line in text.splitlines(keepends=True) if text else []:
        body = line.rstrip("\n")
        here = sections[-1][2] if sections else entries
        if header := _SECTION.match(body):
            start = at + len(body) - len(body.lstrip())
            sections.append((header[1].strip(), (start, at + body.index("]") + 1), []))
        elif not body.strip() or body.lstrip().startswith(_INI_COMMENTS):
            pass
        elif body[0] in " \t" and here:
            # A value that continues on the next line.
            key, node, span = here.pop()
            end = at + len(body.rstrip())
            said = node.canon_value + "\n" + body.strip()
            here.append((key, Node("value", (node.span[0], end), said), (span[0], end)))
        elif pair := _PAIR.match(body):
            value = Node("value", (at + pair.start(2), at + pair.end(2)), pair[2])
            here.append((pair[1], value, (at + pair.start(1), at + pair.end(2))))
        else:
            raise NotKeyed(tr("line {line}: neither a section nor a key", line=text.count(chr(10), 0, at) + 1))
        at += len(line)
    _refuse_doubles([name for name, _, _ in sections])
    _refuse_doubles([key for key, _, _ in entries])
    whole = list(entries)
    for name, place, pairs in sections:
        _refuse_doubles([key for key, _, _ in pairs])
        items = line_items(text, pairs, _line_end(text, place[1]))
        end = items[-1].trail[1] if items else _line_end(text, place[1])
        whole.append((f"[{name}]", Node("map", (place[0], end), "", items), (place[0], end)))
    return _document(text, whole, "ini", _INI_COMMENTS)


def read_properties(text: str) -> DataDocument:
    """Parse a properties file; a backslash at the end continues a line. Raises NotKeyed for a duplicate key."""
    entries: list[tuple[str, Node, Span]] = []
    at = 0
    for found in re.finditer(r"(?:[^\n]*\\\r?\n)*[^\n]*(?:\n|$)", text):
        # Comments have no continuation lines, so skip them one by one.
        rest = found[0]
        while rest:
            first, _, more = rest.partition("\n")
            if first.strip() and not first.lstrip().startswith(_PROPERTY_COMMENTS):
                break
            at += len(rest) - len(more) if more or rest.endswith("\n") else len(rest)
            rest = more
        if rest:
            body = rest.rstrip("\n")
            pair = _PROPERTY.match(body)
            if pair is None:
                raise NotKeyed(tr("line {line}: no key", line=text.count(chr(10), 0, at) + 1))
            value = Node("value", (at + pair.start(2), at + pair.end(2)), re.sub(r"\\\r?\n[ \t]*", "", pair[2]))
            key = re.sub(r"\\(.)", r"\1", pair[1])
            entries.append((key, value, (at + pair.start(1), at + pair.end(2))))
            at += len(rest)
    _refuse_doubles([key for key, _, _ in entries])
    return _document(text, entries, "properties", _PROPERTY_COMMENTS)


def _document(text: str, entries: list[tuple[str, Node, Span]], format: str, comments: tuple[str, ...]) -> DataDocument:
    """The root; the comment at the top of a file is the file's, not its first entry's."""
    first = entries[0][2][0] if entries else len(text)
    items: tuple[KeyedNode, ...] = line_items(text, entries, first)
    return DataDocument(text, Node("map", (0, len(text)), "", items), format, comments)


def _line_end(text: str, at: int) -> int:
    end = text.find("\n", at)
    end = len(text) if end < 0 else end
    return end - 1 if text[at:end].endswith("\r") else end


def _refuse_doubles(keys: list[str]) -> None:
    if len(set(keys)) != len(keys):
        raise NotKeyed(tr("a key stands twice"))
