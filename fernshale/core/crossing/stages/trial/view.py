"""Trial: the last run on the target compared with the baseline."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fernshale.core.crossing.project.baseline import Baseline
from fernshale.core.crossing.project.check_runs import CheckRow
from fernshale.core.crossing.project.runs import RunRecord
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.stages.trial.check_list import ProposedCheck
from fernshale.core.trial.frame_times import Hitch, Timing
from fernshale.core.trial.image_diff import PictureDifference
from fernshale.core.trial.log_diff import LogComparison


@dataclass(frozen=True, slots=True)
class PicturePair:
    """A picture of the baseline and of the run, and how they differ; `trouble` where one is missing or cannot be read."""

    name: str
    before: str
    now: str
    difference: PictureDifference | None
    trouble: str = ""


@dataclass(frozen=True, slots=True)
class TrialView:
    """The last run on the target and the baseline's. `is_stale`: files changed since. `accepted` are differences that a decision
    calls meant, with why."""

    run: RunRecord | None
    baseline: Baseline | None
    log: LogComparison
    is_stale: bool
    items: tuple[Item, ...]
    checks: tuple[CheckRow, ...] = ()
    proposed: tuple[ProposedCheck, ...] = ()
    timings: tuple[Timing, ...] = ()
    hitches: tuple[Hitch, ...] = ()
    pictures: tuple[PicturePair, ...] = ()
    accepted: Mapping[str, str] = field(default_factory=dict)
    release: str = ""
    can_run: bool = True

    @property
    def before(self) -> RunRecord | None:
        return self.baseline.run if self.baseline else None

    @property
    def passed(self) -> bool:
        run = self.run
        if run is None:
            return not self.can_run
        return run.passed and all(check.is_good for check in run.checks) and not self.is_stale
