"""Read the plain values of XML with their data paths, fast, for searching very many files.

Files to be rewritten are read by `xmltext`, which keeps all text between the values.
"""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.base.texts import tr
from fernshale.core.data.paths import DataPath
from fernshale.core.data.tree import NotKeyed, Span
from fernshale.core.data.xml_tree import ATTRIBUTE, MARKUP, check_xml

_Values = list[tuple[DataPath, Span]]


def xml_values(text: str) -> Iterator[tuple[DataPath, Span]]:
    """Yield each attribute and each text with its data path and its span, without quotes. Raises NotKeyed.

    An element that has text next to its children is one value, as in the tree.
    """
    check_xml(text)
    data_path: DataPath = ()
    # For each open element: its values, the start of its contents, and whether it has text and children.
    above: list[tuple[_Values, int, bool, bool]] = []
    found: _Values = []
    inside, has_text, has_children = 0, False, False
    at = 0
    for hit in MARKUP.finditer(text):
        start, end = hit.span()
        if start > at and not has_text and above:
            has_text = bool(text[at:start].strip().strip("\ufeff"))
        at = end
        kind = hit.lastgroup
        if kind == "tag":
            name, first, last, is_empty = hit["name"], hit.start("attributes"), hit.end("attributes"), hit["empty"]
            own = (*data_path, name)
            has_children = True
            values = [
                ((*own, f"@{each[1]}"), (each.start(2) + 1, each.end(2) - 1))
                for each in (ATTRIBUTE.finditer(text, first, last) if last > first else ())
            ]
            if is_empty:
                found += values
            else:
                above.append((found, inside, has_text, has_children))
                found += values
                found, data_path = [], own
                inside, has_text, has_children = end, False, False
        elif kind == "close":
            if not has_children:
                found = [(data_path, _bare(text, inside, start))]
            elif has_text:
                found = [(data_path, (inside, start))]
            inner, own = found, data_path
            found, inside, has_text, has_children = above.pop()
            found += inner
            data_path = own[:-1]
        elif kind == "refused":
            raise NotKeyed(tr("a document type or a raw section"))
    yield from found


def _bare(text: str, start: int, end: int) -> Span:
    """The span of a text without the blanks around it; the whole span if it has only blanks or comments."""
    body = text[start:end]
    said = body.strip()
    if not said or "<" in said:
        return start, end
    first = start + body.index(said)
    return first, first + len(said)
