"""How far a project came, as a row of the table."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.record.stage import STAGES, Stage
from fernshale.core.crossing.stages.overview import Overview


@dataclass(frozen=True, slots=True)
class PlaybookOutcome:
    """The parts of a playbook that did not fit a project, and the number of its decisions and rules that were not reached yet."""

    unfit: tuple[str, ...] = ()
    ahead: int = 0

    @property
    def lines(self) -> list[str]:
        ahead = (
            [
                tr(
                    "not reached yet: {decisions_and_rules} of the playbook",
                    decisions_and_rules=count(self.ahead, "decision or rule", "decisions and rules"),
                )
            ]
            if self.ahead
            else []
        )
        return [*(tr("did not fit: {words}", words=words) for words in self.unfit), *ahead]


@dataclass(frozen=True, slots=True)
class ProjectProgress:
    """How far a project came: its current stage (None when it is done), how many items are open and how many need a
    person; `trouble` is why it could not be crossed at all, `followed` the outcome of the playbook, `file` the exported crossing
    where it was crossed on another machine."""

    project: Path
    release: str = ""
    stage: Stage | None = None
    errors: int = 0
    open: int = 0
    needs: int = 0
    done: bool = False
    trouble: str = ""
    followed: PlaybookOutcome = PlaybookOutcome()
    file: Path | None = None

    @property
    def words(self) -> str:
        if self.trouble:
            return self.trouble
        if self.done:
            return tr("through")
        errors = f", {count(self.errors, 'error')}" if self.errors else ""
        return tr(
            "at {stage}{errors}, {open} open, {needs} need a decision",
            stage=self.stage.title if self.stage else tr("its end"),
            errors=errors,
            open=self.open,
            needs=self.needs,
        )


def current_stage(overview: Overview) -> Stage | None:
    return next((stage for stage in STAGES if overview.items_of(stage)), None)


def how_far(overview: Overview, followed: PlaybookOutcome = PlaybookOutcome()) -> ProjectProgress:
    """A crossing as a row of the table."""
    return ProjectProgress(
        overview.setup.project,
        overview.scan.release,
        current_stage(overview),
        sum(item.open for item in overview.build.causes),
        len(overview.items),
        sum(open_item.needs_you for open_item in overview.items),
        overview.is_done,
        "",
        followed,
    )
