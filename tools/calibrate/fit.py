"""Fit the weights of the signals and what a score means.

The weights are those of a regularised logistic regression in which the candidates of one old name, and having none, compete
(multinomial logit). They are pulled towards anchors, so that a signal without data has a sensible weight. Scores become
probabilities by isotonic regression. Each library counts by the square root of its number of names, so that none decides alone.
"""

from __future__ import annotations

import itertools
import math
import tomllib
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from scipy.optimize import isotonic_regression, minimize

from calibrate.measure import Measured
from fernshale.core.drift.signal_weights import WeightTable

_ANCHORS = Path(__file__).with_name("anchors.toml")
# The strength of the pull towards the anchors, in names per squared unit of log odds.
_PULL = 1.0
# The highest probability that the number of truths can support.
_MAX_CHANCE = 0.99


def read_anchors() -> WeightTable:
    """The weights that the fit is pulled towards."""
    read = tomllib.loads(_ANCHORS.read_text())
    return WeightTable(read["prior"], read["weights"])


def fit_weights(measured: Sequence[Measured], former: WeightTable) -> WeightTable:
    """Fit all weights and the prior to the pairs of some libraries."""
    names = sorted(former.weights)
    column = {name: at + 1 for at, name in enumerate(names)}
    rows: list[np.ndarray] = []
    groups: list[int] = []
    right: list[bool] = []
    shares: list[float] = []
    for library in measured:
        share = 1 / math.sqrt(max(1, len(library.pairs)))
        for pairs in library.pairs:
            for values, is_right in pairs:
                row = np.zeros(len(names) + 1)
                row[0] = 1.0
                for name, value in values:
                    row[column[name]] += value
                rows.append(row)
                groups.append(len(shares))
                right.append(is_right)
            shares.append(share)
    matrix, group, is_answer = np.array(rows), np.array(groups), np.array(right)
    weight = np.array(shares)
    weight *= len(weight) / weight.sum()
    start = np.array([former.prior, *(former.weights[name] for name in names)])
    # A name whose successor was weighed has it as the answer, any other has none.
    has_answer = np.bincount(group, is_answer, minlength=len(weight)) > 0

    def loss(values: np.ndarray) -> tuple[float, np.ndarray]:
        odds = np.minimum(matrix @ values, 30.0)
        powers = np.exp(odds)
        whole = 1.0 + np.bincount(group, powers, minlength=len(weight))
        chance = powers / whole[group]
        answered = np.bincount(group, np.where(is_answer, powers, 0.0), minlength=len(weight))
        likelihood = np.where(has_answer, answered, 1.0) / whole
        off = values - start
        total = -(weight * np.log(likelihood)).sum() + _PULL * (off @ off) / 2
        wanted = np.where(is_answer, powers / np.where(answered > 0, answered, 1.0)[group], 0.0)
        gradient = matrix.T @ (weight[group] * (chance - wanted)) + _PULL * off
        return float(total), gradient

    found = minimize(loss, start, jac=True, method="L-BFGS-B").x
    return WeightTable(round(float(found[0]), 3), {name: round(float(found[column[name]]), 3) for name in names})


def fit_calibration(scored: Sequence[tuple[float, bool, float]]) -> tuple[tuple[float, float], ...]:
    """Return points of score and probability from scores, whether they were right, and how much each counts."""
    ordered = sorted(scored)
    scores = np.array([item[0] for item in ordered])
    weights = np.array([item[2] for item in ordered])
    found = isotonic_regression(np.array([float(item[1]) for item in ordered]), weights=weights)
    points = [(0.0, 0.0)]
    for start, end in itertools.pairwise(found.blocks):
        # A run of right ones proves no more than its length does, and one of wrong ones no less.
        number = end - start
        points.append((float(scores[start:end].mean()), float((found.x[start] * number + 0.5) / (number + 1))))
    # Some hundred names cannot show more.
    points = [(score, min(chance, _MAX_CHANCE)) for score, chance in points]
    points.append((1.0, _MAX_CHANCE))
    return tuple((round(score, 3), round(chance, 3)) for score, chance in _ascending(points))


def _ascending(points: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    kept: list[tuple[float, float]] = []
    for score, chance in points:
        if not kept or score > kept[-1][0] + 0.01:
            kept.append((score, max(chance, kept[-1][1] if kept else 0.0)))
    return kept
