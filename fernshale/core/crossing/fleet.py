"""Several projects on the same way: each as far as it goes, and one table of how far that was."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import Cancelled, FernshaleError
from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.crossing.auto import Step
from fernshale.core.crossing.auto import cross as cross_over
from fernshale.core.crossing.ground import crossing_ground
from fernshale.core.crossing.matter import STAGES, Stage
from fernshale.core.crossing.overview import Overview
from fernshale.core.crossing.reporting.way import Way, follow_way, unfit
from fernshale.core.crossing.settle import Recorded
from fernshale.core.crossing.state import Crossing


@dataclass(frozen=True, slots=True)
class HowFar:
    """How far a project came: the stage it stands at (None when it is through), how many matters are open and how many need a
    person; `trouble` is why it could not be crossed at all, `unfit` what of the way did not fit it."""

    project: Path
    release: str
    stage: Stage | None
    errors: int
    open: int
    needs: int
    done: bool
    trouble: str = ""
    unfit: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        if self.trouble:
            return self.trouble
        if self.done:
            return "through"
        errors = f", {self.errors} errors" if self.errors else ""
        return f"at {self.stage.value if self.stage else 'its end'}{errors}, {self.open} open, {self.needs} need a decision"


def cross_one(
    crossing: Crossing,
    way: Way | None,
    recorded: dict[str, Recorded],
    on_step: Callable[[Step], None],
    on_stage: Callable[[Stage, Overview], None],
    progress: Progress,
    token: CancelToken,
) -> tuple[Overview, tuple[str, ...]]:
    """Cross as far as it goes, by a way of an earlier crossing where there is one; and what of that did not fit."""
    if way is not None:
        with crossing.acting():
            recorded = {**recorded, **follow_way(crossing, crossing_ground(crossing, progress, token), way)}
    taken: list[str] = []

    def told(step: Step) -> None:
        taken.append(step.taken.key)
        on_step(step)

    overview = cross_over(crossing, recorded, told, on_stage, lambda line: None, progress, token)
    return overview, unfit(way, crossing, taken) if way is not None else ()


def cross_all(
    projects: Sequence[Path],
    begin: Callable[[Path], Crossing],
    way: Way | None,
    recorded: dict[str, Recorded],
    on_project: Callable[[Path], None],
    progress: Progress,
    token: CancelToken,
) -> tuple[HowFar, ...]:
    """Each project in turn; one that cannot be crossed is said, and the others go on. Raises Cancelled."""
    found = []
    for project in projects:
        on_project(project)
        try:
            crossing = begin(project)
            overview, missed = cross_one(
                crossing, way, recorded, lambda step: None, lambda stage, view: None, progress, token
            )
            found.append(how_far(overview, missed))
        except Cancelled:
            raise
        except FernshaleError as error:
            found.append(HowFar(project, "", None, 0, 0, 0, False, error.message))
    return tuple(found)


def how_far(overview: Overview, missed: tuple[str, ...] = ()) -> HowFar:
    """A crossing as a row of the table."""
    stage = next((stage for stage in STAGES if overview.matters_of(stage)), None)
    errors = sum(item.open for item in overview.build.causes)
    needs = sum(matter.needs_you for matter in overview.matters)
    return HowFar(
        overview.setup.project,
        overview.ground.release,
        stage,
        errors,
        len(overview.matters),
        needs,
        overview.is_done,
        "",
        missed,
    )
