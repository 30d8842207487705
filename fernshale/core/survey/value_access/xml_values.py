"""Values in XML by XPath. A full XPath engine evaluates the path; a second, event-based reading finds the spans.

Both count elements in document order, which connects them. Entities are not expanded, and nothing is downloaded.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any
from xml.parsers import expat

from fernshale.core.base.errors import FernshaleError, FormatError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.survey.value_access.byte_spans import Spans
from fernshale.core.survey.value_access.found_value import FoundValue

_ATTRIBUTE = lazy_pattern(rb"""([^\s=/<>"']+)\s*=\s*("[^"]*"|'[^']*')""")


# Attributes and children that identify elements, in the order in which they are tried.
_IDENTITIES = ("id", "name", "Include", "key", "artifactId", "package")


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
        raise FormatError(path, [(error.lineno or 0, tr("not valid XML: {msg}", msg=error.msg))]) from error
    except etree.XPathError as error:
        raise FormatError(
            path, [(0, tr("the XPath {xpath!r} cannot be followed: {error}", xpath=xpath, error=error))]
        ) from error
    spans = Spans(text, source)
    order = {element: at for at, element in enumerate(item for item in root.iter() if isinstance(item.tag, str))}
    values = []
    for hit in hits if isinstance(hits, list) else []:
        element = hit if isinstance(hit, etree._Element) else hit.getparent()
        name = getattr(hit, "attrname", None)
        place = places[order[element]]
        inside = _tag_end(source, place.start)
        value = _attribute(source, place, inside, name, spans) if name else _text(source, place, inside, spans)
        if value is not None:
            values.append(value)
    return tuple(values)


@dataclass(frozen=True, slots=True)
class ListedXml:
    """A text or an attribute: its path, the names that lead to it from the innermost, then the names next to it."""

    xpath: str
    names: tuple[str, ...]
    value: FoundValue


def list_xml(text: str, path: str) -> Iterator[ListedXml]:
    """Every attribute and every text of an element without children, of elements without a namespace.

    Raises FormatError.
    """
    from lxml import etree

    source = text.encode("utf-8", "surrogateescape")
    places = _read_places(source, path)
    try:
        root = etree.fromstring(source, etree.XMLParser(encoding="utf-8", resolve_entities=False, no_network=True))
    except etree.XMLSyntaxError as error:
        raise FormatError(path, [(error.lineno or 0, tr("not valid XML: {msg}", msg=error.msg))]) from error
    spans = Spans(text, source)
    where: dict[etree._Element, tuple[str, tuple[str, ...]]] = {}
    # Of an element with children: it is searched for its names once, not once for each child.
    names_of: dict[etree._Element, tuple[str, ...]] = {}
    if isinstance(root.tag, str) and not root.tag.startswith("{"):
        where[root] = f"/{root.tag}", (root.tag,)
    for place, element in zip(places, (item for item in root.iter() if isinstance(item.tag, str)), strict=True):
        if element not in where:
            continue  # in a namespace, or below such an element
        here, names = where[element]
        for child, step in _steps(element):
            where[child] = f"{here}/{step}", (child.tag, *names)
        beside = _names_of(element)
        if len(element):
            names_of[element] = beside
        inside = _tag_end(source, place.start)
        attributes = frozenset(element.keys())  # each look-up in the element would pass all of them
        for found in _ATTRIBUTE.finditer(source, place.start, inside) if attributes else ():
            name = found[1].decode("utf-8", "surrogateescape")
            if name in attributes:
                own = spans.between(found.start(2) + 1, found.end(2) - 1)
                yield ListedXml(f"{here}/@{name}", (name, *names, *beside), own)
        if not len(element) and (value := _text(source, place, inside, spans)) is not None:
            parent = element.getparent()
            around = names_of.get(parent, ()) if parent is not None else ()
            yield ListedXml(here, (*names, *beside, *around), value)


def _steps(parent: Any) -> Iterator[tuple[Any, str]]:
    """The children of an element, each with its tag and a predicate that selects it among siblings of that tag."""
    twins: dict[str, list[Any]] = {}
    for child in parent:
        if isinstance(child.tag, str) and not child.tag.startswith("{"):
            twins.setdefault(child.tag, []).append(child)
    for tag, children in twins.items():
        labels = _labels(children) if len(children) > 1 else [""]
        yield from zip(children, (f"{tag}{label}" for label in labels), strict=True)


def _labels(twins: list[Any]) -> list[str]:
    for name in _IDENTITIES:
        for shown, own in (
            (f"@{name}", [twin.get(name) for twin in twins]),
            (name, [twin.findtext(name) for twin in twins]),
        ):
            if all(own) and len(set(own)) == len(own) and not any('"' in text for text in own):
                return [f'[{shown}="{text}"]' for text in own]
    return [f"[{number}]" for number in range(1, len(twins) + 1)]


def _names_of(element: Any) -> tuple[str, ...]:
    found = (element.get(name) or element.findtext(name) for name in _IDENTITIES)
    return tuple(text.strip() for text in found if text and text.strip())


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
        raise _Entities(tr("it declares entities"))

    parser.StartElementHandler, parser.EndElementHandler, parser.EntityDeclHandler = start, end, refuse
    try:
        parser.Parse(source, True)
    except expat.ExpatError as error:
        raise FormatError(
            path, [(error.lineno, tr("not valid XML: {errorstring}", errorstring=expat.ErrorString(error.code)))]
        ) from error
    except _Entities as error:
        raise FormatError(
            path, [(parser.CurrentLineNumber, tr("it declares XML entities, which are not read"))]
        ) from error
    return places


def _tag_end(source: bytes, start: int) -> int:
    """Behind the `>` of the tag at `start`; a quoted `>` does not count."""
    found = re.compile(rb"""<(?:[^"'>]++|"[^"]*+"|'[^']*+')*+>""").match(source, start)
    return found.end() if found else len(source)


def _attribute(source: bytes, place: _Places, inside: int, name: str, spans: Spans) -> FoundValue | None:
    local = name.rsplit("}", 1)[-1].encode()
    for found in _ATTRIBUTE.finditer(source, place.start, inside):
        if found[1].rsplit(b":", 1)[-1] == local:
            return spans.between(found.start(2) + 1, found.end(2) - 1)
    return None


def _text(source: bytes, place: _Places, inside: int, spans: Spans) -> FoundValue | None:
    """The text before the first child of an element whose start tag ends at `inside`."""
    raw = source[inside : max(place.end, inside)]
    body = raw.strip()
    if not body or b"<" in body:
        return None
    start = inside + raw.index(body)
    return spans.between(start, start + len(body))
