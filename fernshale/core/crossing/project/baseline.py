"""The baseline: how the project built and ran before anything was changed."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.crossing.project.runs import RunRecord
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.profile.model import Commands


@dataclass(frozen=True, slots=True)
class Baseline:
    """How the project built and ran before anything was touched; `log` is where what the build said is kept."""

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
    """The baseline that was kept, None where none was taken."""
    data = crossing.fact("baseline")
    if data is None:
        return None
    run = RunRecord.from_json(data["run"]) if data["run"] else None
    return Baseline(**{**data, "run": run})
