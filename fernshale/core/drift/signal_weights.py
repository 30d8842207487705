"""The weights of the signals that two symbols are the same, and what a score means, as fitted and kept in `weights.toml`."""

from __future__ import annotations

import tomllib
from bisect import bisect_right
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

_FILE = Path(__file__).with_name("weights.toml")


@dataclass(frozen=True)
class WeightTable:
    """`prior` are the log odds of two symbols without signals, `weights` the log odds of each signal per unit of its value.

    `scores` and `probabilities` are the points of the calibration: ascending scores, and how often candidates with that score
    were right. Between two points it is linear.
    """

    prior: float
    weights: Mapping[str, float]
    scores: tuple[float, ...] = (0.0, 1.0)
    probabilities: tuple[float, ...] = (0.0, 1.0)

    def probability_of(self, score: float) -> float:
        """Return the calibrated probability, 0..1, of a score."""
        at = bisect_right(self.scores, score)
        if at == 0:
            return self.probabilities[0]
        if at == len(self.scores):
            return self.probabilities[-1]
        low, high = self.scores[at - 1], self.scores[at]
        share = (score - low) / (high - low)
        return self.probabilities[at - 1] + share * (self.probabilities[at] - self.probabilities[at - 1])


@cache
def fitted_weights() -> WeightTable:
    """Return the fitted table."""
    read = tomllib.loads(_FILE.read_text("utf-8"))
    points = read["calibration"]
    return WeightTable(
        read["prior"], read["weights"], tuple(point[0] for point in points), tuple(point[1] for point in points)
    )
