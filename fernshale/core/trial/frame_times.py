"""Frame times and start times of runs, and whether a difference between them is more than noise."""

from __future__ import annotations

import csv
import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from statistics import median
from typing import Literal

_MAX_FRAMES = 200_000
# Smaller differences are not reported, even if significant.
_MIN_DIFFERENCE = 0.03
_MAX_P = 0.01
# A hitch is this many times the usual spread above the middle frame, and so many times as long.
_HITCH_SPREADS = 8.0
_HITCH_FACTOR = 2.5
# A frame that is longer by less than this is not noticeable, milliseconds.
_MIN_HITCH_MS = 2.0
_MAX_HITCHES = 20


TimingVerdict = Literal["slower", "faster", "as before", "noise", "too few runs"]


@dataclass(frozen=True, slots=True)
class FrameTimes:
    """Times of frames in milliseconds: how many, the middle one, the one that 5 in 100 exceed, the longest."""

    count: int
    median_ms: float
    slow_ms: float
    longest_ms: float


@dataclass(frozen=True, slots=True)
class Timing:
    """The durations of several runs before and now: medians in seconds, their ratio (1.1: a tenth longer), and whether it is
    more than

    noise; `chance` is the probability of such a difference by noise alone.
    """

    name: str
    before: float
    now: float
    ratio: float
    verdict: TimingVerdict
    chance: float | None
    runs: tuple[int, int]


@dataclass(frozen=True, slots=True)
class Hitch:
    """A frame that is much longer than its neighbours in most runs; `usual_ms` is the usual duration there before."""

    frame: int
    now_ms: float
    usual_ms: float
    runs: int


def read_frames(path: Path, column: str, per_second: float) -> tuple[float, ...]:
    """Read the frame times in a CSV table with a header, in milliseconds; none if there is no table.

    Fields that are no number are skipped. `per_second` is the number of the table's units per second.
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
                if len(times) >= _MAX_FRAMES:
                    break
    except (OSError, csv.Error):
        return ()
    return tuple(times)


def summarise(times_ms: Sequence[float]) -> FrameTimes | None:
    """`times_ms` in a few numbers; None for none."""
    if not times_ms:
        return None
    ordered = sorted(times_ms)
    slow = ordered[min(len(ordered) - 1, math.ceil(0.95 * len(ordered)) - 1)]
    return FrameTimes(len(ordered), ordered[len(ordered) // 2], slow, ordered[-1])


def compare_times(name: str, before: Sequence[float], now: Sequence[float], felt: float = 0.0) -> Timing | None:
    """Compare one duration from each run in seconds, before and now; None if a side has none. A change of less than `felt` is
    ignored.

    The samples are runs, not frames, since the frames of one run are not independent. Welch's t-test on logarithms (Welch 1947), so
    that ratios are compared and the variances may differ.
    """
    first, second = [value for value in before if value > 0], [value for value in now if value > 0]
    if not first or not second:
        return None
    old, new = median(first), median(second)
    ratio, runs = new / old, (len(first), len(second))
    if min(runs) < 2:
        return Timing(name, old, new, ratio, "too few runs", None, runs)
    chance = _welch([math.log(value) for value in first], [math.log(value) for value in second])
    if abs(ratio - 1) < _MIN_DIFFERENCE or abs(new - old) < felt:
        return Timing(name, old, new, ratio, "as before", chance, runs)
    if chance > _MAX_P:
        return Timing(name, old, new, ratio, "noise", chance, runs)
    return Timing(name, old, new, ratio, "slower" if ratio > 1 else "faster", chance, runs)


def _welch(first: Sequence[float], second: Sequence[float]) -> float:
    from scipy.stats import ttest_ind

    # Runs that are the same to the last digit have no spread at all; a clock is not that good.
    least = 1e-4
    shaken = [[value + least * ((at % 2) - 0.5) for at, value in enumerate(side)] for side in (first, second)]
    return float(ttest_ind(*shaken, equal_var=False).pvalue)


def find_hitches(before: Sequence[Sequence[float]], now: Sequence[Sequence[float]]) -> tuple[Hitch, ...]:
    """Return frames that stand out in more than half of the runs now and in none before, longest first. Times in milliseconds.

    The spread is the median absolute deviation (Hampel 1974), which the outliers themselves do not widen.
    """
    outside = [_outliers(run) for run in now]
    known = {frame for run in before for frame in _outliers(run)}
    found = []
    for frame in sorted({frame for run in outside for frame in run}):
        times = [run[frame] for run in outside if frame in run]
        if len(times) * 2 > len(now) and frame not in known:
            usual = [run[frame] for run in before if frame < len(run)]
            found.append(Hitch(frame, median(times), median(usual) if usual else 0.0, len(times)))
    return tuple(sorted(found, key=lambda item: -item.now_ms)[:_MAX_HITCHES])


def _outliers(run: Sequence[float]) -> dict[int, float]:
    if len(run) < 8:
        return {}
    middle = median(run)
    spread = 1.4826 * median(abs(time - middle) for time in run)
    limit = max(middle + _HITCH_SPREADS * spread, _HITCH_FACTOR * middle, middle + _MIN_HITCH_MS)
    return {frame: time for frame, time in enumerate(run) if time > limit}
