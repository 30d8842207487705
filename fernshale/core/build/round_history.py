"""Rounds: one build each, and whether we are getting anywhere."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from fernshale.core.build.causes import Cause
from fernshale.core.build.owners import Owned

# The state of a cause over the rounds.
CauseState = Literal["new", "still there", "came back", "gone"]


@dataclass(frozen=True, slots=True)
class Round:
    """One build in numbers; `errors` by owner, `causes` by key with their count of errors. `known` errors were there before the
    upgrade and are in none of these."""

    number: int
    passed: bool
    elapsed_s: float
    errors: Mapping[str, int]
    warnings: int
    causes: Mapping[str, int]
    known: int = 0

    @property
    def total(self) -> int:
        return sum(self.errors.values())

    def to_json(self) -> dict[str, Any]:
        return {
            "number": self.number,
            "passed": self.passed,
            "elapsed_s": self.elapsed_s,
            "errors": dict(self.errors),
            "warnings": self.warnings,
            "causes": dict(self.causes),
            "known": self.known,
        }

    @staticmethod
    def from_json(data: Mapping[str, Any]) -> Round:
        return Round(**data)


def count_round(
    number: int,
    passed: bool,
    elapsed_s: float,
    diagnostics: Sequence[Owned],
    causes: Sequence[Cause],
    *,
    known: int = 0,
) -> Round:
    """The numbers of a build."""
    errors = Counter(owned.owner for owned in diagnostics if owned.diagnostic.severity == "error")
    warnings = sum(owned.diagnostic.severity == "warning" for owned in diagnostics)
    return Round(
        number, passed, elapsed_s, dict(sorted(errors.items())), warnings, {c.key: c.count for c in causes}, known
    )


def cause_states(rounds: Sequence[Round]) -> Mapping[str, CauseState]:
    """Return the state of each cause after the last round, by key."""
    states: dict[str, CauseState] = {}
    for round_ in rounds:
        for key in states.keys() | round_.causes.keys():
            before = states.get(key)
            if key not in round_.causes:
                states[key] = "gone"
            elif before is None:
                states[key] = "new"
            else:
                states[key] = "came back" if before == "gone" else "still there"
    return states
