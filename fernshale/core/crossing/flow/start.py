"""Beginning a crossing, or resuming the existing one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import parse_release, same_release
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.plugin_plan import plan_for
from fernshale.core.crossing.project.scan import ProjectScan, ScanOptions, scan_project
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing, Setup, begin
from fernshale.core.crossing.record.facts import START
from fernshale.core.crossing.record.logbook import ensure_snapshot, note
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.route.stops import choose_route
from fernshale.core.profile.model import Profile
from fernshale.core.route.candidates import PluginWishes
from fernshale.core.route.shelf_sources import read_shelf
from fernshale.core.survey.workspace_members import choose_members


@dataclass(frozen=True, slots=True)
class Extent:
    """The extent of a crossing: the releases it stops at, and the members of a workspace that cross (none: all of it).

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
    scan = scan_project(project, profile, shelf, work, ScanOptions(members=members))
    stops = (*via, to)
    _check_members(scan, members)
    for low, high in zip((scan.release, *stops), stops, strict=False):
        plan_for(scan, low, high, PluginWishes(), work.token)
    setup = Setup(scan.project, profile.path, shelf.addresses, scan.release, stops, 0, tuple(members), extent.original)
    crossing = begin(setup)
    crossing.cache = scan.cache
    if not crossing.read(START):
        if parse_release(scan.release) == parse_release(to):
            raise MisuseError(tr("the project is on {to} already", to=to), tr("Choose another release."))
        with crossing.acting():
            crossing.keep(START, ensure_snapshot(crossing, tr("before anything was touched"), work))
            words = tr(", over {via}", via=", ".join(via)) if via else ""
            note(
                crossing,
                Stage.ROUTE,
                tr("target {to} chosen, from {release}{words}", to=to, release=scan.release, words=words),
                "",
                "route",
            )
    elif via and crossing.setup.stops[crossing.setup.leg :] != stops:
        with crossing.acting():
            choose_route(crossing, scan, stops, Author("", "asked for"))
    return crossing


def _check_members(scan: ProjectScan, members: Sequence[str]) -> None:
    chosen = choose_members(scan.members, members)
    if any(not same_release(item.release, scan.release) for item in chosen):
        named = ", ".join(tr("{name} is on {release}", name=item.name, release=item.release) for item in chosen)
        raise MisuseError(
            tr("these members cannot cross together: {named}", named=named), tr("Name those of one release.")
        )
