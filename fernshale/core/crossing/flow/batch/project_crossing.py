"""One project as far as it goes, with the playbook of an earlier crossing where there is one."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.autopilot import Step, cross
from fernshale.core.crossing.flow.batch.progress import PlaybookOutcome, current_stage
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Recorded
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.reporting.playbook import Playbook, follow_playbook, unfit
from fernshale.core.crossing.stages.overview import Overview


def cross_one(
    crossing: Crossing,
    playbook: Playbook | None,
    recorded: Mapping[str, Recorded],
    on_step: Callable[[Step], None],
    on_stage: Callable[[Stage, Overview], None],
    work: Work,
) -> tuple[Overview, PlaybookOutcome]:
    """Cross as far as possible; returns the overview at the end and the outcome of the playbook. Raises Cancelled."""
    if playbook is not None:
        with crossing.acting():
            recorded = {**recorded, **follow_playbook(crossing, scan_crossing(crossing, work), playbook)}
    taken: list[str] = []

    def note_step(step: Step) -> None:
        taken.append(step.item.key)
        on_step(step)

    overview = cross(crossing, recorded, note_step, on_stage, Work(progress=work.progress, token=work.token))
    if playbook is None:
        return overview, PlaybookOutcome()
    return overview, PlaybookOutcome(*unfit(playbook, crossing, taken, current_stage(overview)))
