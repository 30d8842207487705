"""What a tool has to say: diagnostics as values, whichever tool printed them (see `reading`)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

# Of the largest number of lines that a file can have.
_MAX_DIGITS = 12

Severity = Literal["error", "warning", "note"]


@dataclass(frozen=True, slots=True)
class SourcePlace:
    """A spot a tool named; `line` and `column` are 1-based, 0 where unknown. `folder` is where the tool worked, if known."""

    file: str
    line: int
    column: int = 0
    folder: str = ""


def place_number(text: str | None) -> int:
    """A line or column as a tool wrote it; 0 where there is none, or one that no file has."""
    return int(text) if text and len(text) <= _MAX_DIGITS else 0


@dataclass(frozen=True, slots=True)
class Note:
    """What a tool adds to a diagnostic, and where."""

    place: SourcePlace
    message: str


@dataclass(frozen=True, slots=True)
class Diagnostic:
    """One thing a tool has to say.

    `context` are the places that brought it about: instantiations and calls, the project's own as a rule last.
    `included` are the including files, innermost first. `count` is how often the very same was reported.
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

    @property
    def key(self) -> tuple[object, ...]:
        """What makes two reports the same one."""
        place = self.place
        return place.file, place.line, place.column, place.folder, self.severity, self.message


def merge_repeats(found: Iterable[Diagnostic]) -> tuple[Diagnostic, ...]:
    """Each diagnostic once, in order of first appearance: a header's error is reported by every file that includes it.

    A wrapper that prints a compiler's line once more leaves out what belongs to it; the fuller one is kept.
    """
    seen: dict[tuple[object, ...], Diagnostic] = {}
    for item in found:
        key = item.key
        known = seen.setdefault(key, item)
        if known is not item:
            fuller = known if len(known.notes) >= len(item.notes) else item
            seen[key] = replace(fuller, count=known.count + item.count)
    return tuple(seen.values())
