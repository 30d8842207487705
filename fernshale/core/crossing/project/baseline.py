"""The baseline: how the project built and ran before anything was changed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fernshale.core.crossing.project.runs import RunRecord
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.profile.model import Commands


@dataclass(frozen=True, slots=True)
class Baseline:
    """How the project built and ran before anything was changed. `log` is the file with the output of the build."""

    release: str
    built: bool
    build_s: float
    warnings: int
    said: str
    run: RunRecord | None
    time: float
    log: str = ""

    def is_good(self, commands: Commands) -> bool:
        """Whether all went well that a profile has commands for."""
        return self.built and (commands.run is None or (self.run is not None and self.run.passed))


def read_baseline(crossing: Crossing) -> Baseline | None:
    """The baseline of a crossing, None where none was taken."""
    return crossing.read(BASELINE)


def baseline_json(baseline: Baseline) -> dict[str, object]:
    """The baseline as JSON."""
    return {
        "release": baseline.release,
        "built": baseline.built,
        "build_s": baseline.build_s,
        "warnings": baseline.warnings,
        "said": baseline.said,
        "run": baseline.run.to_json() if baseline.run else None,
        "time": baseline.time,
        "log": baseline.log,
    }


def _from_json(data: dict[str, Any]) -> Baseline:
    run = RunRecord.from_json(data["run"]) if data["run"] else None
    return Baseline(**{**data, "run": run})


BASELINE: Fact[Baseline | None] = Fact(
    "baseline", None, _from_json, lambda value: baseline_json(value) if value is not None else None
)
