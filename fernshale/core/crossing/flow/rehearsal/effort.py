"""How long decisions take a person, measured on that person's earlier crossings."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.record.database import Crossing

# Fewer measured decisions say nothing.
_MIN_DECISIONS = 20
# A longer pause, seconds, was spent on something else.
_LONGEST_S = 20 * 60.0
# Those who decide without a person.
_NO_PERSONS = frozenset(("automatic", "Fernshale", "rehearsal", "decisions file", "command line", "preview", "test"))
# The quarters of the distribution between which a range lies, in percent.
_LOW, _HIGH = 25, 75


@dataclass(frozen=True, slots=True)
class Pace:
    """Seconds per decision of a person, as a range over the middle half of `decisions` measured ones."""

    low_s: float
    high_s: float
    decisions: int

    def minutes(self, number: int) -> tuple[int, int]:
        """The range for a number of decisions, minutes."""
        return round(self.low_s * number / 60), max(1, round(self.high_s * number / 60))

    def words(self, number: int) -> str:
        """As "about 20 to 50 minutes, measured on 84 decisions of yours"."""
        low, high = self.minutes(number)
        unit = (
            tr("{low} to {high} minutes", low=low, high=high)
            if high < 120
            else tr("{low:.1f} to {high:.1f} hours", low=low / 60, high=high / 60)
        )
        return tr(
            "about {time}, measured on {decisions} of yours", time=unit, decisions=count(self.decisions, "decision")
        )


def measure_pace(crossings: Iterable[Crossing]) -> Pace | None:
    """The pace of decisions in crossings; None where too few were measured."""
    gaps: list[float] = []
    for crossing in crossings:
        times = sorted(item.time for item in crossing.decisions().values() if item.who not in _NO_PERSONS)
        gaps += [later - earlier for earlier, later in pairwise(times) if later - earlier <= _LONGEST_S]
    if len(gaps) < _MIN_DECISIONS:
        return None
    low, high = np.percentile(gaps, (_LOW, _HIGH))
    return Pace(float(low), float(high), len(gaps))
