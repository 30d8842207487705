"""A value found in a file, and how values are replaced."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.base.textfile import position


@dataclass(frozen=True, slots=True)
class FoundValue:
    """A value and its half-open span of characters, quotes not included."""

    text: str
    start: int
    end: int


def replace_values(text: str, edits: list[tuple[FoundValue, str]]) -> str:
    """`text` with each value replaced; everything else stays as it is."""
    for value, new in sorted(edits, key=lambda edit: -edit[0].start):
        text = text[: value.start] + new + text[value.end :]
    return text


def line_of(text: str, value: FoundValue) -> int:
    """1-based line of a value."""
    return position(text, value.start)[0]
