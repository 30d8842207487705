"""Frame times of a run, read from the table it leaves."""

from __future__ import annotations

import csv
import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

_MOST = 2_000_000


@dataclass(frozen=True, slots=True)
class FrameTimes:
    """Times of frames in milliseconds: how many, the middle one, the one that 5 in 100 exceed, the longest."""

    count: int
    median_ms: float
    slow_ms: float
    longest_ms: float


def read_frames(path: Path, column: str, per_second: float) -> FrameTimes | None:
    """The frame times in a CSV table with a head line, None where there are none. Fields that are no number are skipped.

    `per_second` says how many of the table's units make a second.
    """
    times: list[float] = []
    try:
        with open(path, encoding="utf-8", errors="replace", newline="") as file:
            for row in csv.DictReader(file):
                try:
                    time = float(row.get(column) or "") * 1000.0 / per_second
                except ValueError:
                    continue
                if math.isfinite(time) and time >= 0:
                    times.append(time)
                if len(times) >= _MOST:
                    break
    except (OSError, csv.Error):
        return None
    return summarise(times)


def summarise(times_ms: Sequence[float]) -> FrameTimes | None:
    """`times_ms` in a few numbers; None for none."""
    if not times_ms:
        return None
    ordered = sorted(times_ms)
    slow = ordered[min(len(ordered) - 1, math.ceil(0.95 * len(ordered)) - 1)]
    return FrameTimes(len(ordered), ordered[len(ordered) // 2], slow, ordered[-1])
