"""Crossing several projects: each as far as it goes, and one table of the results."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import Cancelled, FernshaleError
from fernshale.core.base.quantities import count
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.autopilot import Step
from fernshale.core.crossing.flow.autopilot import cross as cross_over
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Recorded
from fernshale.core.crossing.record.stage import STAGES, Stage
from fernshale.core.crossing.reporting.playbook import Playbook, follow_playbook, unfit
from fernshale.core.crossing.stages.overview import Overview


@dataclass(frozen=True, slots=True)
class PlaybookOutcome:
    """The parts of a playbook that did not fit a project, and the number of its decisions and rules that were not reached yet."""

    unfit: tuple[str, ...] = ()
    ahead: int = 0

    @property
    def lines(self) -> list[str]:
        ahead = (
            [f"not reached yet: {count(self.ahead, 'decision or rule', 'decisions and rules')} of the playbook"]
            if self.ahead
            else []
        )
        return [*(f"did not fit: {words}" for words in self.unfit), *ahead]


@dataclass(frozen=True, slots=True)
class ProjectProgress:
    """How far a project came: its current stage (None when it is done), how many items are open and how many need a
    person; `trouble` is why it could not be crossed at all, `followed` how it went with the playbook."""

    project: Path
    release: str
    stage: Stage | None
    errors: int
    open: int
    needs: int
    done: bool
    trouble: str = ""
    followed: PlaybookOutcome = PlaybookOutcome()

    @property
    def words(self) -> str:
        if self.trouble:
            return self.trouble
        if self.done:
            return "through"
        errors = f", {count(self.errors, 'error')}" if self.errors else ""
        return f"at {self.stage.value if self.stage else 'its end'}{errors}, {self.open} open, {self.needs} need a decision"


def cross_one(
    crossing: Crossing,
    playbook: Playbook | None,
    recorded: dict[str, Recorded],
    on_step: Callable[[Step], None],
    on_stage: Callable[[Stage, Overview], None],
    work: Work,
) -> tuple[Overview, PlaybookOutcome]:
    """Cross as far as possible, with a playbook of an earlier crossing where there is one; returns its outcome, too."""
    if playbook is not None:
        with crossing.acting():
            recorded = {**recorded, **follow_playbook(crossing, scan_crossing(crossing, work), playbook)}
    taken: list[str] = []

    def note_step(step: Step) -> None:
        taken.append(step.item.key)
        on_step(step)

    overview = cross_over(crossing, recorded, note_step, on_stage, Work(progress=work.progress, token=work.token))
    return overview, PlaybookOutcome(
        *unfit(playbook, crossing, taken, _current_stage(overview))
    ) if playbook is not None else PlaybookOutcome()


def cross_all(
    projects: Sequence[Path],
    begin: Callable[[Path], Crossing],
    playbook: Playbook | None,
    recorded: dict[str, Recorded],
    on_project: Callable[[Path], None],
    work: Work,
) -> tuple[ProjectProgress, ...]:
    """Cross each project in turn; one that cannot be crossed is reported, and the others continue. Raises Cancelled."""
    found = []
    for project in projects:
        on_project(project)
        try:
            crossing = begin(project)
            overview, followed = cross_one(
                crossing, playbook, recorded, lambda step: None, lambda stage, view: None, work
            )
            found.append(how_far(overview, followed))
        except Cancelled:
            raise
        except FernshaleError as error:
            found.append(ProjectProgress(project, "", None, 0, 0, 0, False, error.message))
    return tuple(found)


def _current_stage(overview: Overview) -> Stage | None:
    return next((stage for stage in STAGES if overview.items_of(stage)), None)


def how_far(overview: Overview, followed: PlaybookOutcome = PlaybookOutcome()) -> ProjectProgress:
    """A crossing as a row of the table."""
    errors = sum(item.open for item in overview.build.causes)
    needs = sum(open_item.needs_you for open_item in overview.items)
    return ProjectProgress(
        overview.setup.project,
        overview.scan.release,
        _current_stage(overview),
        errors,
        len(overview.items),
        needs,
        overview.is_done,
        "",
        followed,
    )
