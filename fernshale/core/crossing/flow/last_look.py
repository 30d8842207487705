"""The state of a crossing as of its last overview, for lists of crossings: a new overview would take seconds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fernshale.core.base.texts import tr
from fernshale.core.crossing.flow.summaries import finding_of
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.crossing.record.stage import STAGES, Stage, StageState
from fernshale.core.crossing.stages.overview import Overview


@dataclass(frozen=True, slots=True)
class LastLook:
    """The state of each stage and its number of open items, in order; the finding of the stage to go on with, and the title of the
    item to go on with."""

    stages: tuple[tuple[str, int], ...] = ()
    finding: str = ""
    coming: str = ""

    @property
    def is_known(self) -> bool:
        return len(self.stages) == len(STAGES)

    def state_of(self, stage: Stage) -> StageState:
        return StageState(self.stages[STAGES.index(stage)][0])

    def open_in(self, stage: Stage) -> int:
        return self.stages[STAGES.index(stage)][1]


def _read(data: Any) -> LastLook:
    return LastLook(
        tuple((str(StageState(state).value), int(number)) for state, number in data[0]), str(data[1]), str(data[2])
    )


LAST_LOOK: Fact[LastLook] = Fact(
    "last look", LastLook(), _read, lambda value: [[list(item) for item in value.stages], value.finding, value.coming]
)


def keep_last_look(crossing: Crossing, overview: Overview) -> None:
    """Remember how a crossing stands; nothing is written where it stands as before."""
    stages = tuple((overview.states[stage].value, len(overview.items_of(stage))) for stage in STAGES)
    left = [stage for stage in STAGES if overview.states[stage] is not StageState.CLEAR]
    waiting = next((stage for stage in left if overview.states[stage] is StageState.NEEDS_YOU), (*left, STAGES[-1])[0])
    items = sorted(overview.items, key=lambda item: not item.needs_you)
    coming = items[0].title if items else tr("nothing is left open")
    look = LastLook(stages, finding_of(waiting, overview).plain, coming)
    if crossing.read(LAST_LOOK) != look:
        crossing.keep(LAST_LOOK, look)
