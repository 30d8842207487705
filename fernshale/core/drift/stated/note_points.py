"""The release notes in prose, cut into the points a reader ticks off."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern

_POINT = lazy_pattern(r"^\s*[-*]\s+(.*)$")
_CODE = lazy_pattern(r"`([^`]+)`")


@dataclass(frozen=True, slots=True)
class NotePoint:
    """One point of the notes and the names it mentions as code."""

    text: str
    names: tuple[str, ...]


def read_points(markdown: str) -> tuple[NotePoint, ...]:
    """The list points of release notes in Markdown, in order."""
    points: list[str] = []
    open_ = False
    for line in markdown.splitlines():
        if found := _POINT.match(line):
            points.append(found[1])
            open_ = True
        elif open_ and line.startswith((" ", "\t")) and line.strip():
            points[-1] += " " + line.strip()
        else:
            open_ = False
    return tuple(NotePoint(point, tuple(_names(point))) for point in points)


def _names(point: str) -> Iterable[str]:
    """Of each piece of code its last name; of a path the whole. A namespace in front would match half the project."""
    for code in _CODE.findall(point):
        names = [code] if "/" in code else re.findall(r"[A-Za-z_]\w{2,}", code.split("(")[0])[-1:]
        yield from names
