"""Change certain lines that still read as they did."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import accumulate

from fernshale.core.fix.rules import LinesRule


def find(rule: LinesRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    wanted = [change for change in rule.changes if change.file == path]
    if not wanted:
        return
    # Compilers count lines by this mark alone.
    lines = text.split("\n")
    starts = [0, *accumulate(len(line) + 1 for line in lines)]
    for change in wanted:
        if change.line <= len(lines) and lines[change.line - 1].removesuffix("\r") == change.old:
            first, last = _differing(change.old, change.new)
            start = starts[change.line - 1]
            yield start + first, start + len(change.old) - last, change.new[first : len(change.new) - last]


def _differing(old: str, new: str) -> tuple[int, int]:
    """How many characters of two lines are the same at their starts and at their ends, without cutting a name."""
    first = _equal_at_start(old, new)
    while first and _is_inside_name(old, first) | _is_inside_name(new, first):
        first -= 1
    shorter = min(len(old), len(new)) - first
    last = min(_equal_at_start(old[::-1], new[::-1]), shorter)
    while last and _is_inside_name(old, len(old) - last) | _is_inside_name(new, len(new) - last):
        last -= 1
    return first, last


def _equal_at_start(one: str, other: str) -> int:
    pairs = zip(one, other, strict=False)
    return next((at for at, (a, b) in enumerate(pairs) if a != b), min(len(one), len(other)))


def _is_inside_name(line: str, at: int) -> bool:
    """Whether a name goes on over a boundary between two characters."""
    return all(char.isalnum() or char == "_" for char in line[at - 1 : at + 1]) and 0 < at < len(line)
