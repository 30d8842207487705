"""Diagnostics as values, independent of the tool that printed them (see `reading`)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import takewhile
from typing import Literal

from fernshale.core.base.lazy_pattern import lazy_pattern

# Of the largest number of lines that a file can have.
_MAX_DIGITS = 12

Severity = Literal["error", "warning", "note"]

# How compilers of C and C++ introduce the place where a macro is used, innermost first, and a place in its code, outermost first.
_MACRO_USE = lazy_pattern(r"^in expansion of macro .(?P<macro>\w+)")
_MACRO_CODE = lazy_pattern(r"^(?:expanded from|in definition of) macro .(?P<macro>\w+)")


@dataclass(frozen=True, slots=True)
class SourcePlace:
    """A place named by a tool; `line` and `column` are 1-based, 0 if unknown. `folder` is the tool's working directory, if
    known."""

    file: str
    line: int
    column: int = 0
    folder: str = ""


def place_number(text: str | None) -> int:
    """Return a line or column as a number; 0 if it is missing or impossible."""
    return int(text) if text and len(text) <= _MAX_DIGITS else 0


@dataclass(frozen=True, slots=True)
class Note:
    """An additional message of a diagnostic, with its place."""

    place: SourcePlace
    message: str


@dataclass(frozen=True, slots=True)
class SuggestedLine:
    """A line as a tool suggests to write it. `old` is the whole line as the tool shows it, which may have spaces for tabs."""

    place: SourcePlace
    old: str
    new: str


def macro_use(note: Note) -> str:
    """Return the macro whose use the note points at, "" for other notes."""
    found = _MACRO_USE.match(note.message)
    return found["macro"] if found is not None else ""


def macro_code(note: Note) -> str:
    """Return the macro whose code the note points into, "" for other notes."""
    found = _MACRO_CODE.match(note.message)
    return found["macro"] if found is not None else ""


@dataclass(frozen=True, slots=True)
class Diagnostic:
    """A message of a tool.

    `context` are the places that caused it: instantiations and calls, usually with the project's own last. `included` are the
    including files, innermost first. `count` is how often the same message was reported. `suggestions` are changes that the tool
    itself shows, one or another of them, each with all lines that it changes.
    """

    place: SourcePlace
    severity: Severity
    code: str
    message: str
    tool: str
    notes: tuple[Note, ...] = ()
    context: tuple[SourcePlace, ...] = ()
    included: tuple[SourcePlace, ...] = ()
    count: int = 1
    suggestions: tuple[tuple[SuggestedLine, ...], ...] = ()

    @property
    def key(self) -> tuple[object, ...]:
        """Equal for reports of the same diagnostic. In the code of a macro, each use of the macro has its own."""
        place = self.place
        uses = tuple(note.place for note in takewhile(macro_use, self.notes))
        return place.file, place.line, place.column, place.folder, self.severity, self.message, uses


def merge_repeats(found: Iterable[Diagnostic]) -> tuple[Diagnostic, ...]:
    """Return each diagnostic once, in order of first appearance: every file that includes a header reports its errors.

    A wrapper that repeats a compiler's line omits the details; the more complete report is kept.
    """
    seen: dict[tuple[object, ...], Diagnostic] = {}
    for item in found:
        key = item.key
        known = seen.setdefault(key, item)
        if known is not item:
            fuller = known if len(known.notes) >= len(item.notes) else item
            seen[key] = replace(fuller, count=known.count + item.count)
    return tuple(seen.values())
