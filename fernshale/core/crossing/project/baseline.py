"""The baseline: how the project built and ran before anything was changed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fernshale.core.build.known_errors import ErrorKey
from fernshale.core.crossing.project.runs import RunRecord
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.profile.model import Commands


@dataclass(frozen=True, slots=True)
class Baseline:
    """How the project built and ran before anything was changed. `log` is the file with the output of the build.

    `errors` are those of the build, as (file, code, message, how often); they are never counted as the upgrade's.
    """

    release: str
    built: bool
    build_s: float
    warnings: int
    said: str
    run: RunRecord | None
    time: float
    log: str = ""
    errors: tuple[tuple[str, str, str, int], ...] = ()

    @property
    def error_count(self) -> int:
        return sum(count for *_, count in self.errors)

    @property
    def known(self) -> dict[ErrorKey, int]:
        """How often each error was there."""
        return {(file, code, message): count for file, code, message, count in self.errors}

    def is_good(self, commands: Commands) -> bool:
        """Whether all went well that a profile has commands for, or at least is understood: errors that are known are no reason
        to stop."""
        if self.errors:
            return True
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
        "errors": [list(item) for item in baseline.errors],
    }


def _from_json(data: dict[str, Any]) -> Baseline:
    run = RunRecord.from_json(data["run"]) if data["run"] else None
    errors = tuple((file, code, message, count) for file, code, message, count in data.get("errors", ()))
    return Baseline(**{**data, "run": run, "errors": errors})


BASELINE: Fact[Baseline | None] = Fact(
    "baseline", None, _from_json, lambda value: baseline_json(value) if value is not None else None
)
