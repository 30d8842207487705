"""Rehearsals: what a crossing would cost, learned on a scratch copy."""

from __future__ import annotations

from fernshale.core.crossing.flow.rehearsal.comparison import (
    best_of,
    cell_lines,
    comparison_page,
    comparison_rows,
    comparison_text,
    decision_list,
)
from fernshale.core.crossing.flow.rehearsal.effort import Pace, measure_pace
from fernshale.core.crossing.flow.rehearsal.new_releases import NewRelease, new_releases
from fernshale.core.crossing.flow.rehearsal.outcome import Outcome, RehearsalPlan
from fernshale.core.crossing.flow.rehearsal.rehearse import (
    Rehearsed,
    carry_out_rehearsed,
    rehearse,
    rehearse_all,
    rehearsed_of,
    releases_of,
)

__all__ = [
    "NewRelease",
    "Outcome",
    "Pace",
    "RehearsalPlan",
    "Rehearsed",
    "best_of",
    "carry_out_rehearsed",
    "cell_lines",
    "comparison_page",
    "comparison_rows",
    "comparison_text",
    "decision_list",
    "measure_pace",
    "new_releases",
    "rehearse",
    "rehearse_all",
    "rehearsed_of",
    "releases_of",
]
