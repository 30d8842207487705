"""Inspect the route: the plan of the leg, the possible routes, notes, faults, demands."""

from __future__ import annotations

from dataclasses import replace

from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.commands import read_requirements
from fernshale.core.crossing.project.plugin_plan import plan, read_wishes
from fernshale.core.crossing.project.release_notes import find_notes
from fernshale.core.crossing.project.scan import ProjectScan, shelf_of
from fernshale.core.crossing.project.source_texts import read_texts
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.plugin_updates import plugin_updates
from fernshale.core.crossing.stages.route.items import route_items
from fernshale.core.crossing.stages.route.options import RouteContext, find_routes
from fernshale.core.crossing.stages.route.toolchain import check_demands
from fernshale.core.crossing.stages.route.view import RouteView
from fernshale.core.route.candidates import InstalledPlugin, ProjectPlugins, concerning, find_candidates
from fernshale.core.route.planner import readiness


def inspect_route(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> RouteView:
    """Inspect the route; runs nothing and writes nothing. Raises Cancelled."""
    shelf, setup = shelf_of(scan), crossing.setup
    texts = read_texts(scan, token)
    wishes = read_wishes(crossing)
    leg = plan(scan, crossing, token)
    releases = shelf.engines_of(scan.profile.id)
    here = [InstalledPlugin(plugin.id, plugin.version, plugin.accepts) for plugin in scan.plugins]
    field = find_candidates(shelf, setup.to, ProjectPlugins(here, used=texts.used))
    table = {(id, item.version): readiness(shelf, id, item.version) for id in field.order for item in releases}
    target = shelf.engine(scan.profile.id, setup.to)
    demands = check_demands(scan, target.demands, read_requirements(crossing))
    decided = crossing.decisions()
    rest = setup.stops[setup.leg :]
    view = RouteView(
        leg,
        find_routes(RouteContext(scan, shelf, wishes, texts), setup.from_, setup.target, rest, token),
        rest,
        releases,
        table,
        field.of,
        find_notes(shelf, scan.profile, leg, texts, decided),
        {item.version: tuple(fault.what for fault in concerning(item.faults, texts.used)) for item in releases},
        demands,
        shelf.notices,
        frozenset(decided),
        (),
        _before(scan, crossing),
    )
    return replace(view, items=tuple(item for item in route_items(view, crossing) if item.key not in decided))


def _before(scan: ProjectScan, crossing: Crossing) -> dict[str, str]:
    ids = {str(plugin.folder): plugin.id for plugin in scan.plugins}
    updates = plugin_updates(crossing)
    return {ids[folder]: update.from_ for folder, update in updates.items() if folder in ids}
