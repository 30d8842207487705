"""Values in XML by XPath. A full XPath engine evaluates the path; a second, event-based reading finds the spans.

Both count elements in document order, which connects them. Entities are not expanded, and nothing is downloaded.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any
from xml.parsers import expat

from fernshale.core.base.errors import FernshaleError, FormatError
from fernshale.core.survey.value_access.found_value import FoundValue, value_of_bytes

_ATTRIBUTE = re.compile(rb"""([^\s=/<>"']+)\s*=\s*("[^"]*"|'[^']*')""")


class _Entities(FernshaleError):
    """The file declares entities, which are never expanded here."""


@dataclass(slots=True)
class _Places:
    """Byte offsets of one element: its start tag, and where its first text ends."""

    start: int
    text: int = -1
    end: int = -1


def find_xml(text: str, xpath: str, path: str) -> tuple[FoundValue, ...]:
    """The texts of elements and attributes that `xpath` selects. Raises FormatError with the line."""
    from lxml import etree

    source = text.encode("utf-8", "surrogateescape")
    places = _read_places(source, path)
    parser = etree.XMLParser(encoding="utf-8", resolve_entities=False, no_network=True, load_dtd=False)
    try:
        root = etree.fromstring(source, parser)
        names = {prefix: url for prefix, url in root.nsmap.items() if prefix}
        hits: Any = root.xpath(xpath, namespaces=names or None)
    except etree.XMLSyntaxError as error:
        raise FormatError(path, [(error.lineno or 0, f"not valid XML: {error.msg}")]) from error
    except etree.XPathError as error:
        raise FormatError(path, [(0, f"the XPath {xpath!r} cannot be followed: {error}")]) from error
    order = {element: at for at, element in enumerate(item for item in root.iter() if isinstance(item.tag, str))}
    values = []
    for hit in hits if isinstance(hits, list) else []:
        element = hit if isinstance(hit, etree._Element) else hit.getparent()
        name = getattr(hit, "attrname", None)
        place = places[order[element]]
        value = _attribute(source, place, name) if name else _text(source, place)
        if value is not None:
            values.append(value)
    return tuple(values)


def _read_places(source: bytes, path: str) -> list[_Places]:
    parser = expat.ParserCreate("utf-8")
    parser.buffer_text = True
    places: list[_Places] = []
    open_: list[_Places] = []

    def start(name: str, _attributes: dict[str, str]) -> None:
        if open_ and open_[-1].end < 0:
            open_[-1].end = parser.CurrentByteIndex
        open_.append(_Places(parser.CurrentByteIndex))
        places.append(open_[-1])

    def end(name: str) -> None:
        if open_[-1].end < 0:
            open_[-1].end = parser.CurrentByteIndex
        open_.pop()

    def refuse(*declared: object) -> None:
        raise _Entities("it declares entities")

    parser.StartElementHandler, parser.EndElementHandler, parser.EntityDeclHandler = start, end, refuse
    try:
        parser.Parse(source, True)
    except expat.ExpatError as error:
        raise FormatError(path, [(error.lineno, f"not valid XML: {expat.ErrorString(error.code)}")]) from error
    except _Entities as error:
        raise FormatError(path, [(parser.CurrentLineNumber, "it declares XML entities, which are not read")]) from error
    return places


def _tag_end(source: bytes, start: int) -> int:
    """Behind the `>` of the tag at `start`; a quoted `>` does not count."""
    found = re.compile(rb"""<(?:[^"'>]++|"[^"]*+"|'[^']*+')*+>""").match(source, start)
    return found.end() if found else len(source)


def _attribute(source: bytes, place: _Places, name: str) -> FoundValue | None:
    local = name.rsplit("}", 1)[-1].encode()
    for found in _ATTRIBUTE.finditer(source, place.start, _tag_end(source, place.start)):
        if found[1].rsplit(b":", 1)[-1] == local:
            return value_of_bytes(source, found.start(2) + 1, found.end(2) - 1)
    return None


def _text(source: bytes, place: _Places) -> FoundValue | None:
    start = _tag_end(source, place.start)
    raw = source[start : max(place.end, start)]
    body = raw.strip()
    if not body or b"<" in body:
        return None
    start += raw.index(body)
    return value_of_bytes(source, start, start + len(body))
