"""The whole way by itself: takes what is sure or was decided before, stops at what needs a person."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import in_words, option_title, settle
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Recorded, Taken
from fernshale.core.crossing.record.items import STAGES, Item, Stage
from fernshale.core.crossing.stages.overview import Overview, look

# Rounds without fewer open items before it gives up: fixes that undo one another must not go on for ever.
_PATIENCE = 3


@dataclass(frozen=True, slots=True)
class Step:
    """Something the automatic crossing is about to do."""

    stage: Stage
    item: Item
    taken: Taken

    @property
    def title(self) -> str:
        return option_title(self.item, self.taken.option)


def cross(
    crossing: Crossing,
    recorded: Mapping[str, Recorded],
    on_step: Callable[[Step], None],
    on_stage: Callable[[Stage, Overview], None],
    work: Work,
) -> Overview:
    """Go on until done or until a person is needed; the overview at the end says which.

    `on_step` hears of each step before it is taken, `on_stage` of each stage when it is left.
    """
    overview = look(crossing, work)
    while True:
        leg = overview.setup.leg
        overview = _cross_leg(crossing, overview, recorded, on_step, on_stage, work)
        if overview.setup.leg == leg:
            return overview


def _cross_leg(
    crossing: Crossing,
    overview: Overview,
    recorded: Mapping[str, Recorded],
    on_step: Callable[[Step], None],
    on_stage: Callable[[Stage, Overview], None],
    work: Work,
) -> Overview:
    """One leg, to its end or to where a person is needed; at its end the next one has begun."""
    for stage in STAGES:
        tried: dict[str, int] = {}
        while step := _next_step(overview, stage, recorded, tried):
            work.check()
            tried[step.item.key] = tried.get(step.item.key, 0) + 1
            on_step(step)
            settle(crossing, step.taken, work)
            overview = look(crossing, work)
            if step.taken.option == "next":
                return overview
        on_stage(stage, overview)
        if overview.items_of(stage):
            break
    return overview


def _next_step(
    overview: Overview, stage: Stage, recorded: Mapping[str, Recorded], tried: Mapping[str, int]
) -> Step | None:
    """The next item of a stage that can be settled: decisions and fixes before the commands that try them."""
    items = [item for item in overview.items_of(stage) if tried.get(item.key, 0) < _limit(item)]
    for open_item in sorted(items, key=_is_command):
        known = recorded.get(open_item.key)
        if known is not None:
            words = in_words(open_item, known.take)
            taken = Taken(open_item.key, known.take, "decisions file", known.why, known.text, words)
            return Step(stage, open_item, taken)
        for option in open_item.options:
            if option.sure:
                why = "; ".join(part for part in option.evidence if part)
                words = in_words(open_item, option.id)
                return Step(stage, open_item, Taken(open_item.key, option.id, "automatic", why, words=words))
    return None


def _is_command(item: Item) -> bool:
    return item.key in ("build:run", "trial:run", "engine:generate")


def _limit(item: Item) -> int:
    # A build is run again and again, a decision is taken once.
    return 20 if _is_command(item) else _PATIENCE if item.key.startswith("cause:") else 1
