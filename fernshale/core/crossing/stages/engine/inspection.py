"""Inspect the places that name the release, generated files, copies of engine files, workarounds."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace

from fernshale.core.base.release import parse_release, same_release
from fernshale.core.base.release_notation import written_like
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.generator import files_to_replace, read_regenerated
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing, Setup
from fernshale.core.crossing.stages.engine.forked_files import copy_items, find_copies
from fernshale.core.crossing.stages.engine.items import given_values, site_items, site_key
from fernshale.core.crossing.stages.engine.view import EngineView
from fernshale.core.crossing.stages.engine.workarounds import find_lines, workaround_items
from fernshale.core.engine.release_update import NewReleases, SiteChange, plan_sites
from fernshale.core.route.shelf import NotOnShelf
from fernshale.core.survey.workspace_members import choose_members

_NOTHING: Mapping[str, str] = {}


def site_changes(
    scan: ProjectScan, from_: str, to: str, asked: Collection[str] = (), given: Mapping[str, str] = _NOTHING
) -> tuple[SiteChange, ...]:
    """The new value of each site; a plugin's version number follows the release in its folder.

    `asked` are keys of sites that name another release and are to be changed as well. `given` are values that belong to the
    target, as a person said them.
    """
    versions = {item.id: item.version for item in scan.plugins if item.version}
    releases = NewReleases(from_, to, versions, _values_of(scan, from_), _values_of(scan, to), given)
    planned = plan_sites(scan.sites, releases)
    return tuple(_asked_for(item, to) if site_key(item) in asked else item for item in planned)


def _asked_for(change: SiteChange, to: str) -> SiteChange:
    return replace(change, after=written_like(change.before, to), trouble="")


def _values_of(scan: ProjectScan, release: str) -> Mapping[str, str]:
    """The values that belong to a release of the engine, as the shelf has them."""
    try:
        return scan.shelf.engine(scan.profile.id, release).values if scan.shelf is not None else {}
    except NotOnShelf:
        return {}


def inspect_engine(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> EngineView:
    """Inspect the engine stage; writes nothing. Raises Cancelled."""
    setup = crossing.setup
    asked = {key for key, item in crossing.decisions().items() if item.choice == "follow"}
    given = given_values(crossing)
    sites = _leg_changes(scan, setup, asked, given)
    overrides = _overrides(scan, setup) if setup.members else ()
    there = parse_release(scan.release) == parse_release(setup.to) and not overrides
    stale = files_to_replace(scan, crossing, is_moved=there)
    regenerated = read_regenerated(crossing, scan.release)
    copies = find_copies(scan, crossing, token)
    lines = find_lines(scan, setup.to)
    view = EngineView(sites, overrides, stale, regenerated, scan.release, copies, (), lines)
    more = (*copy_items(copies, crossing), *workaround_items(lines, setup.to, crossing.left_so()))
    return replace(view, items=(*site_items(view, scan, crossing), *more))


def _leg_changes(
    scan: ProjectScan, setup: Setup, asked: Collection[str], given: Mapping[str, str]
) -> tuple[SiteChange, ...]:
    """The new value of each site on the current leg. Where only some members of a workspace cross, the sites of the others
    stay."""
    changes = site_changes(scan, setup.from_, setup.to, asked, given)
    if not setup.members:
        return changes
    chosen = {item.folder for item in choose_members(scan.members, setup.members)}
    return tuple(
        item if item.site.member in chosen else replace(item, after=item.before, trouble="") for item in changes
    )


def _overrides(scan: ProjectScan, setup: Setup) -> tuple[TreePath, ...]:
    chosen = choose_members(scan.members, setup.members)
    return tuple(
        item.descriptor for item in chosen if item.how == "inherits" and not same_release(item.release, setup.to)
    )
