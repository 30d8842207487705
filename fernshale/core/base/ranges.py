"""Ranges of releases in the notations people write: brackets `[2.5,3.0)` and comparators `>=2.5, <3.0`.

A range keeps how it was written, so that a widened one is written back in the same style.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Literal

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import Release, parse_release

_INTERVAL = re.compile(r"^\s*([\[(])\s*([^,\s\])]*)\s*(?:(,\s*)([^,\s\])]*))?\s*([\])])\s*$")
_COMPARATOR = re.compile(r"\s*(>=|<=|==|=|>|<)\s*([^\s,]+)\s*")


@dataclass(frozen=True, slots=True)
class End:
    """One end of a range; an open end does not include its release."""

    release: Release
    closed: bool


@dataclass(frozen=True, slots=True)
class Range:
    """Releases between two ends; a missing end is unbounded. `separator` is what stood between the two."""

    low: End | None
    high: End | None
    style: Literal["interval", "comparators"]
    separator: str = ","

    def contains(self, release: Release) -> bool:
        return not self._is_below(release) and not self._is_above(release)

    def widened(self, release: Release) -> Range:
        """The smallest range that contains this one and `release`, which becomes a closed end."""
        end = End(release, True)
        low = end if self._is_below(release) else self.low
        high = end if self._is_above(release) else self.high
        return replace(self, low=low, high=high)

    def _is_below(self, release: Release) -> bool:
        low = self.low
        return low is not None and (release < low.release or (release == low.release and not low.closed))

    def _is_above(self, release: Release) -> bool:
        high = self.high
        return high is not None and (release > high.release or (release == high.release and not high.closed))

    def __str__(self) -> str:
        if self.style == "interval":
            low, high = self.low, self.high
            left = ("[" if low.closed else "(") + low.release.text if low else "("
            right = high.release.text + ("]" if high.closed else ")") if high else ")"
            return f"{left}{self.separator}{right}"
        parts = []
        if self.low:
            parts.append((">=" if self.low.closed else ">") + self.low.release.text)
        if self.high:
            parts.append(("<=" if self.high.closed else "<") + self.high.release.text)
        return self.separator.join(parts) or "*"


def parse_range(text: str) -> Range:
    """Raises MisuseError when `text` is in no notation that is known."""
    if found := _INTERVAL.match(text):
        opening, low, separator, high, closing = found.groups()
        if separator is None:
            if (opening, closing) != ("[", "]") or not low:
                raise MisuseError(f"{text!r} is not a range of releases", "A single release is written [3.0.2].")
            end = End(parse_release(low), True)
            return Range(end, end, "interval")
        return Range(
            End(parse_release(low), opening == "[") if low else None,
            End(parse_release(high), closing == "]") if high else None,
            "interval",
            separator,
        )
    return _parse_comparators(text)


def _parse_comparators(text: str) -> Range:
    body = text.strip()
    if body in ("*", ""):
        return Range(None, None, "comparators")
    separator = ", " if ", " in body else "," if "," in body else " "
    low: End | None = None
    high: End | None = None
    rest = body
    while rest:
        found = _COMPARATOR.match(rest)
        if found is None:
            raise MisuseError(f"{text!r} is not a range of releases", "Write [2.5,3.0) or >=2.5, <3.0.")
        sign, release = found[1], parse_release(found[2])
        if sign in (">", ">=", "=", "=="):
            low = End(release, sign != ">")
        if sign in ("<", "<=", "=", "=="):
            high = End(release, sign != "<")
        rest = rest[found.end() :].lstrip(",")
    return Range(low, high, "comparators", separator)
