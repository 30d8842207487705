"""Release numbers: read, order, print.

A release is numbers between dots, then maybe a pre-release mark: `3.0.2`, `2026.4`, `3.2.0-pre1`, `1.0rc2`. A pre-release
comes before its release; marks are compared word by word, numbers as numbers (Semantic Versioning 2.0.0, section 11,
widened to any count of numbers).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import total_ordering

from fernshale.core.base.errors import MisuseError

_SHAPE = re.compile(r"^[vV]?(\d+(?:\.\d+)*)(?:[-._]?([A-Za-z][0-9A-Za-z.-]*))?(?:\+[0-9A-Za-z.-]+)?$")


@total_ordering
@dataclass(frozen=True, slots=True)
class Release:
    """`numbers` without trailing zeros, so that 3.0 and 3.0.0 are one; `mark` is empty for a proper release."""

    text: str
    numbers: tuple[int, ...]
    mark: tuple[tuple[int, int, str], ...]

    @property
    def is_preview(self) -> bool:
        return bool(self.mark)

    def _key(self) -> tuple[tuple[int, ...], bool, tuple[tuple[int, int, str], ...]]:
        return (self.numbers, not self.mark, self.mark)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Release) and self._key() == other._key()

    def __lt__(self, other: Release) -> bool:
        return self._key() < other._key()

    def __hash__(self) -> int:
        return hash(self._key())

    def __str__(self) -> str:
        return self.text


def parse_release(text: str) -> Release:
    """Raises MisuseError when `text` is no release number."""
    found = _SHAPE.match(text.strip())
    if found is None or (found[2] or "").lower() == "x":  # 3.x is a wildcard, not a release
        raise MisuseError(f"{text!r} is not a release number", "Numbers between dots, as 3.0.2 or 3.2.0-pre1.")
    numbers = [int(part) for part in found[1].split(".")]
    while len(numbers) > 1 and numbers[-1] == 0:
        numbers.pop()
    words = re.findall(r"\d+|[A-Za-z]+", found[2] or "")
    mark = tuple((0, int(word), "") if word.isdigit() else (1, 0, word.lower()) for word in words)
    return Release(text.strip(), tuple(numbers), mark)
