"""The overview: the views of all stages, their states, and every open item."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

from fernshale.core.base.treepath import GITS_OWN
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.scan import ProjectScan, scan_crossing
from fernshale.core.crossing.record.database import Crossing, LogEntry, Setup
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.logbook import recover_interrupted
from fernshale.core.crossing.record.stage import STAGES, Stage, StageState
from fernshale.core.crossing.stages.build.inspection import inspect_build
from fernshale.core.crossing.stages.build.member_states import with_members
from fernshale.core.crossing.stages.build.view import BuildView
from fernshale.core.crossing.stages.engine.inspection import inspect_engine
from fernshale.core.crossing.stages.engine.view import EngineView
from fernshale.core.crossing.stages.links.inspection import inspect_links
from fernshale.core.crossing.stages.links.view import LinksView
from fernshale.core.crossing.stages.plugins.inspection import inspect_plugins
from fernshale.core.crossing.stages.plugins.view import PluginsView
from fernshale.core.crossing.stages.route.inspection import inspect_route
from fernshale.core.crossing.stages.route.view import RouteView
from fernshale.core.crossing.stages.survey.inspection import inspect_survey
from fernshale.core.crossing.stages.survey.view import SurveyView
from fernshale.core.crossing.stages.trial.inspection import inspect_trial
from fernshale.core.crossing.stages.trial.view import TrialView
from fernshale.core.snapshot.manifest_diff import differing
from fernshale.core.snapshot.tree_walk import scan_tree


@dataclass(frozen=True, slots=True)
class Overview:
    """The state of a crossing; every view was read from the same tree. `revision` is that of the records before."""

    setup: Setup
    scan: ProjectScan
    survey: SurveyView
    route: RouteView
    plugins: PluginsView
    engine: EngineView
    build: BuildView
    links: LinksView
    trial: TrialView
    logbook: tuple[LogEntry, ...]
    states: Mapping[Stage, StageState]
    revision: bytes

    def items_of(self, stage: Stage) -> tuple[Item, ...]:
        items = {
            Stage.SURVEY: self.survey.items,
            Stage.ROUTE: self.route.items,
            Stage.PLUGINS: self.plugins.items,
            Stage.ENGINE: self.engine.items,
            Stage.BUILD: self.build.items,
            Stage.LINKS: self.links.items,
            Stage.TRIAL: self.trial.items,
        }
        return items[stage]

    @property
    def items(self) -> tuple[Item, ...]:
        """Everything that is open, in the order of the stages."""
        return tuple(item for stage in STAGES for item in self.items_of(stage))

    @property
    def is_done(self) -> bool:
        """Whether the game compiles, runs and behaves as expected on the target, and no item is open."""
        return self.setup.to == self.setup.target and self.build.passed and self.trial.passed and not self.items


def inspect(crossing: Crossing, work: Work) -> Overview:
    """Read the project again and inspect every stage. An interrupted change is finished or rolled back first. Raises Cancelled."""
    with crossing.connected():
        return _inspected(crossing, work)


def _inspected(crossing: Crossing, work: Work) -> Overview:
    if not crossing.is_finished:
        with crossing.acting():
            recover_interrupted(crossing)
    revision = crossing.revision
    scan = scan_crossing(crossing, work)
    built = with_members(inspect_build(scan, crossing, work.token), scan, crossing)
    overview = Overview(
        crossing.setup,
        scan,
        inspect_survey(scan, crossing, work.token),
        inspect_route(scan, crossing, work.token),
        inspect_plugins(scan, crossing, work),
        inspect_engine(scan, crossing, work.token),
        built,
        inspect_links(scan, crossing, work.token),
        inspect_trial(scan, crossing, built.passed),
        crossing.logbook(),
        {},
        revision,
    )
    touched = {entry.stage for entry in overview.logbook if entry.state == "done"}
    states = {stage: _state(overview.items_of(stage), stage in touched) for stage in STAGES}
    return replace(overview, states=_in_order(states, touched))


def has_changed(overview: Overview, token: CancelToken) -> bool:
    """Whether the project's tree is not the one `overview` was read from; costs a stat per file."""
    before = overview.scan.manifest
    now = scan_tree(overview.setup.project, before, Work(token=token), without=GITS_OWN)
    return bool(differing(before, now))


def _state(items: tuple[Item, ...], touched: bool) -> StageState:
    if any(item.needs_you for item in items):
        return StageState.NEEDS_YOU
    if items:
        return StageState.IN_HAND if touched else StageState.UNTOUCHED
    return StageState.CLEAR


def _in_order(states: dict[Stage, StageState], touched: Collection[Stage]) -> dict[Stage, StageState]:
    """Stages without open items after a stage that is untouched are untouched, too, not clear."""
    reached = True
    for stage in STAGES:
        if not reached and states[stage] is StageState.CLEAR and stage not in touched:
            states[stage] = StageState.UNTOUCHED
        if states[stage] is StageState.UNTOUCHED or (states[stage] is StageState.NEEDS_YOU and stage is Stage.BUILD):
            reached = False
    return states
