"""All stages at one glance: their views, how they stand, everything that is open."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import parse_release, same_release
from fernshale.core.base.treepath import GITS_OWN
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.plugin_plan import plan_for
from fernshale.core.crossing.project.scan import ProjectScan, scan_crossing, scan_project
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing, LogEntry, Setup, begin
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.logbook import ensure_snapshot, note, recover_interrupted
from fernshale.core.crossing.record.stage import STAGES, Stage, StageState
from fernshale.core.crossing.stages.build.rounds import build
from fernshale.core.crossing.stages.build.view import BuildView
from fernshale.core.crossing.stages.build.workspace_members import with_members
from fernshale.core.crossing.stages.engine.view import EngineView, engine
from fernshale.core.crossing.stages.links.view import LinksView, links
from fernshale.core.crossing.stages.plugins.view import PluginsView, plugins
from fernshale.core.crossing.stages.route.view import RouteView, choose_route, route
from fernshale.core.crossing.stages.survey.view import SurveyView, survey
from fernshale.core.crossing.stages.trial.view import TrialView, trial
from fernshale.core.profile.model import Profile
from fernshale.core.route.candidates import PluginWishes
from fernshale.core.route.shelf_sources import read_shelf
from fernshale.core.snapshot.manifest_diff import differing
from fernshale.core.snapshot.tree_walk import scan_tree
from fernshale.core.survey.workspace_members import choose_members


@dataclass(frozen=True, slots=True)
class Overview:
    """A crossing as it stands; every view was read from the same tree."""

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
        """The game compiles, runs and does what is expected on the last stop, and nothing is open."""
        return self.setup.to == self.setup.target and self.build.passed and self.trial.passed and not self.items


@dataclass(frozen=True, slots=True)
class Extent:
    """How far a crossing reaches: over which releases, for which members of a workspace (none: all of it).

    `original` is the project that the one to be crossed is a copy of, "" where it is crossed in place.
    """

    via: Sequence[str] = ()
    members: Sequence[str] = ()
    original: str = ""


WHOLE = Extent()


def begin_crossing(
    project: Path,
    profile: Profile,
    shelves: Sequence[str | Path],
    to: str,
    work: Work,
    extent: Extent = WHOLE,
) -> Crossing:
    """Begin (or resume) a crossing to the release `to`; the project is snapshotted and else left alone.

    Raises NotOnShelf for a release that is not there, MisuseError for a target that the project is on already.
    """
    via, members = extent.via, extent.members
    shelf = read_shelf(shelves)
    scan = scan_project(project, profile, shelf, work, members=members)
    stops = (*via, to)
    _check_members(scan, members)
    for low, high in zip((scan.release, *stops), stops, strict=False):
        plan_for(scan, low, high, PluginWishes(), work.token)
    setup = Setup(scan.project, profile.path, shelf.addresses, scan.release, stops, 0, tuple(members), extent.original)
    crossing = begin(setup)
    if crossing.fact("start") is None:
        if parse_release(scan.release) == parse_release(to):
            raise MisuseError(f"the project is on {to} already", "Choose another release to go to.")
        with crossing.acting():
            crossing.keep_fact("start", ensure_snapshot(crossing, "before anything was touched", work))
            words = f", over {', '.join(via)}" if via else ""
            note(crossing, Stage.ROUTE, f"target {to} chosen, from {scan.release}{words}", "", "route")
    elif via and crossing.setup.stops[crossing.setup.leg :] != stops:
        with crossing.acting():
            choose_route(crossing, scan, stops, Author("", "asked for"))
    return crossing


def _check_members(scan: ProjectScan, members: Sequence[str]) -> None:
    chosen = choose_members(scan.members, members)
    if any(not same_release(item.release, scan.release) for item in chosen):
        named = ", ".join(f"{item.name} is on {item.release}" for item in chosen)
        raise MisuseError(f"these members cannot cross together: {named}", "Name those of one release.")


def inspect(crossing: Crossing, work: Work) -> Overview:
    """Read everything anew. An interrupted change is settled first; else nothing is written into the project."""
    if not crossing.is_settled:
        with crossing.acting():
            recover_interrupted(crossing)
    scan = scan_crossing(crossing, work)
    built = with_members(build(scan, crossing, work.token), scan, crossing)
    overview = Overview(
        crossing.setup,
        scan,
        survey(scan, crossing, work.token),
        route(scan, crossing, work.token),
        plugins(scan, crossing, work),
        engine(scan, crossing, work.token),
        built,
        links(scan, crossing, work.token),
        trial(scan, crossing, built.passed),
        crossing.logbook(),
        {},
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
    """What has nothing open yet because nothing was done before it is untouched, not clear."""
    reached = True
    for stage in STAGES:
        if not reached and states[stage] is StageState.CLEAR and stage not in touched:
            states[stage] = StageState.UNTOUCHED
        if states[stage] is StageState.UNTOUCHED or (states[stage] is StageState.NEEDS_YOU and stage is Stage.BUILD):
            reached = False
    return states
