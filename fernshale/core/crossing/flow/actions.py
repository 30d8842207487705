"""The one door through which window, command line, scripts and the automatic crossing act."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from fernshale.core.base.log import logged
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.action_handlers import Handlers, record_choice
from fernshale.core.crossing.project.scan import ProjectScan, scan_crossing
from fernshale.core.crossing.record.actions import Action, Author, Choose, read_action
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.fix_settings import keep_attempts_per_build, keep_automatic_from
from fernshale.core.crossing.stages.build import actions as build_actions
from fernshale.core.crossing.stages.build import automatic_rounds
from fernshale.core.crossing.stages.build import execution as build_execution
from fernshale.core.crossing.stages.build.actions import UseRule
from fernshale.core.crossing.stages.build.inspection import inspect_build
from fernshale.core.crossing.stages.engine import actions as engine_actions
from fernshale.core.crossing.stages.engine import execution as engine_execution
from fernshale.core.crossing.stages.links import actions as links_actions
from fernshale.core.crossing.stages.links import execution as links_execution
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.plugins import actions as plugins_actions
from fernshale.core.crossing.stages.plugins import execution as plugins_execution
from fernshale.core.crossing.stages.plugins.choices import withdraw_choice
from fernshale.core.crossing.stages.route import actions as route_actions
from fernshale.core.crossing.stages.route import execution as route_execution
from fernshale.core.crossing.stages.survey import actions as survey_actions
from fernshale.core.crossing.stages.survey import execution as survey_execution
from fernshale.core.crossing.stages.trial import actions as trial_actions
from fernshale.core.crossing.stages.trial import execution as trial_execution

_STAGES: tuple[tuple[tuple[type[Action], ...], Handlers], ...] = (
    (survey_actions.KINDS, survey_execution.HANDLERS),
    (route_actions.KINDS, route_execution.HANDLERS),
    (plugins_actions.KINDS, plugins_execution.HANDLERS),
    (engine_actions.KINDS, engine_execution.HANDLERS),
    (build_actions.KINDS, build_execution.HANDLERS),
    (links_actions.KINDS, links_execution.HANDLERS),
    (trial_actions.KINDS, trial_execution.HANDLERS),
)
KINDS: tuple[type[Action], ...] = tuple(kind for kinds, _ in _STAGES for kind in kinds)
_HANDLERS: Handlers = {
    Choose: record_choice,
    **{kind: how for _, handlers in _STAGES for kind, how in handlers.items()},
}


def carry_out(crossing: Crossing, action: Action, author: Author, work: Work) -> None:
    """Carry an action out. Raises what its stage raises; then its decision is not recorded."""
    with logged(crossing.folder.name, f"{action.key} {action.option}"), crossing.acting():
        handle(crossing, scan_crossing(crossing, work), action, author, work)


def handle(crossing: Crossing, scan: ProjectScan, action: Action, author: Author, work: Work) -> None:
    """Have the stage of an action carry it out; the crossing's lock is held, or the crossing is a copy for a preview."""
    _HANDLERS[type(action)](crossing, scan, action, author, work)


def use_rules(
    crossing: Crossing,
    uses: Sequence[tuple[UseRule, Author]],
    on_use: Callable[[UseRule], None],
    work: Work,
    seen: Overview | None = None,
) -> None:
    """Carry out several fixes of Build after one inspection; see `execution.use_rules`. `seen` is an overview from before: it takes
    the place of the inspection where neither the project nor the records changed since."""
    with logged(crossing.folder.name, f"{len(uses)} fixes"), crossing.acting():
        scan = scan_crossing(crossing, work)
        is_same = seen is not None and seen.scan.manifest is scan.manifest and seen.revision == crossing.revision
        view = seen.build if seen is not None and is_same else inspect_build(scan, crossing, work.token)
        build_execution.use_rules(crossing, scan, view, uses, on_use, work)


def parse_action(key: str, option: str, text: str = "") -> Action:
    """The action that is stored or typed as the key of an item and the id of an option; see `read_action`."""
    return read_action(KINDS, key, option, text)


def withdraw(crossing: Crossing, key: str) -> None:
    """Withdraw a decision that was not carried out yet."""
    with crossing.acting():
        withdraw_choice(crossing, key)


def choose_confidence(crossing: Crossing, value: float) -> None:
    """Set the confidence from which fixes are applied automatically. Raises MisuseError."""
    with crossing.acting():
        keep_automatic_from(crossing, value)


def choose_attempts(crossing: Crossing, builds: int) -> None:
    """Set how many builds in a copy are spent on trying proposals after each build. Raises MisuseError."""
    with crossing.acting():
        keep_attempts_per_build(crossing, builds)


def apply_confident_fixes(crossing: Crossing, author: Author, work: Work) -> int:
    """Apply every high-confidence fix everywhere, one step each; the number of fixes."""
    with crossing.acting():
        return len(automatic_rounds.apply_confident_fixes(crossing, author, work))


def build_and_fix(crossing: Crossing, author: Author, work: Work) -> str:
    """Build and fix automatically; returns the reason for stopping, in words. Raises MisuseError."""
    with crossing.acting():
        return automatic_rounds.build_and_fix(crossing, author, work)
