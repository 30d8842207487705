"""The automatic crossing: carry out high-confidence actions and earlier decisions, and stop where a person is needed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import takewhile

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import carry_out, parse_action, use_rules
from fernshale.core.crossing.record.actions import Action, Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Recorded
from fernshale.core.crossing.record.items import Item, choose
from fernshale.core.crossing.record.stage import STAGES, Stage
from fernshale.core.crossing.stages.build.actions import RunBuild, UseRule
from fernshale.core.crossing.stages.build.attempt_runs import try_if_wanted
from fernshale.core.crossing.stages.overview import Overview, inspect
from fernshale.core.crossing.stages.trial.actions import BeginNextLeg

# How often one fix of a cause is tried, so that fixes that undo one another end.
_PATIENCE = 3

# The author of an action: a file of decisions, or no person.
RECORDED, AUTOMATIC = "decisions file", "automatic"


@dataclass(frozen=True, slots=True)
class Step:
    """An action that the automatic crossing is about to carry out."""

    stage: Stage
    item: Item
    action: Action
    author: Author

    @property
    def title(self) -> str:
        """The title of the option, or its id where the item does not list it."""
        option = self.item.option(self.action.option)
        return option.title if option is not None else self.action.option


def cross(
    crossing: Crossing,
    recorded: Mapping[str, Recorded],
    on_step: Callable[[Step], None],
    on_stage: Callable[[Stage, Overview], None],
    work: Work,
) -> Overview:
    """Cross until done or until a person is needed; returns the overview at the end.

    `on_step` is called before each step, `on_stage` when a stage is left.
    """
    overview = inspect(crossing, work)
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
    blocked: Stage | None = None
    for stage in STAGES:
        # References in assets can be mended although the code does not compile yet.
        if blocked is not None and not (blocked is Stage.BUILD and stage is Stage.LINKS):
            continue
        leg = overview.setup.leg
        overview = _cross_stage(crossing, overview, stage, recorded, on_step, work)
        if overview.setup.leg != leg:
            return overview
        on_stage(stage, overview)
        if blocked is None and any(item.blocks for item in overview.items_of(stage)):
            blocked = stage
    return overview


def _cross_stage(
    crossing: Crossing,
    overview: Overview,
    stage: Stage,
    recorded: Mapping[str, Recorded],
    on_step: Callable[[Step], None],
    work: Work,
) -> Overview:
    """Take the steps of one stage, until none is left or the next leg has begun."""
    tried: Counter[tuple[str, str]] = Counter()

    def begin(step: Step) -> None:
        tried[_attempt(step.item, step.action)] += 1
        on_step(step)

    while step := next(steps := _next_steps(overview, stage, recorded, tried), None):
        work.check()
        if _is_fix(step):
            _apply_fixes(crossing, overview, [step, *takewhile(_is_fix, steps)], begin, work)
        else:
            begin(step)
            carry_out(crossing, step.action, step.author, work)
        overview = inspect(crossing, work)
        if isinstance(step.action, BeginNextLeg):
            return overview
        if isinstance(step.action, RunBuild) and try_if_wanted(crossing, overview.build, work):
            overview = inspect(crossing, work)
    return overview


def _apply_fixes(
    crossing: Crossing, overview: Overview, steps: Sequence[Step], begin: Callable[[Step], None], work: Work
) -> None:
    """Take steps that apply fixes; those that change the same text as one before come after the next inspection."""
    by_action = {step.action: step for step in steps}
    fixes = [(action, step.author) for action, step in by_action.items() if isinstance(action, UseRule)]
    use_rules(crossing, fixes, lambda action: begin(by_action[action]), work, overview)


def _next_steps(
    overview: Overview, stage: Stage, recorded: Mapping[str, Recorded], tried: Mapping[tuple[str, str], int]
) -> Iterator[Step]:
    """The steps for the items of a stage that can be resolved: decisions and fixes before the commands that test them."""

    def may_try(item: Item, action: Action) -> bool:
        return tried.get(_attempt(item, action), 0) < _limit(item)

    for open_item in sorted(overview.items_of(stage), key=_is_command):
        known = recorded.get(open_item.key)
        if known is not None:
            action: Action = choose(open_item, known.take, known.text) or parse_action(
                open_item.key, known.take, known.text
            )
            if may_try(open_item, action):
                yield Step(stage, open_item, action, Author(RECORDED, known.why))
            continue
        for option in open_item.options:
            automatic = choose(open_item, option.id) if option.is_automatic else None
            if automatic is not None and may_try(open_item, automatic):
                why = "; ".join(part for part in option.evidence if part)
                yield Step(stage, open_item, automatic, Author(AUTOMATIC, why))
                break


def _is_fix(step: Step) -> bool:
    """Whether the step applies a fix that is automatic: those of one inspection are applied together."""
    return step.author.who == AUTOMATIC and isinstance(step.action, UseRule)


def _is_command(item: Item) -> bool:
    return item.key in ("build:run", "trial:run", "engine:generate")


def _attempt(item: Item, action: Action) -> tuple[str, str]:
    """Return the key under which attempts are counted: each fix of a cause has its own, since a package may need several fixes."""
    return item.key, action.option if _is_cause(item) else ""


def _is_cause(item: Item) -> bool:
    return item.key.startswith("cause:")


def _limit(item: Item) -> int:
    # A build is repeated, a decision is taken once.
    return 20 if _is_command(item) else _PATIENCE if _is_cause(item) else 1
