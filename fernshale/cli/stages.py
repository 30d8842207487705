"""survey, route, engine."""

from __future__ import annotations

import argparse
import sys
from typing import Any

from fernshale.api.actions import Author, PointAtRelease
from fernshale.api.changes import unified_diff
from fernshale.api.crossings import carry_out, find_crossing, inspect, inspect_project, survey_json, write_changes
from fernshale.api.projects import give_role, role_at
from fernshale.api.releases import draft_sites, engine_json, route_json, site_changes
from fernshale.cli.begin import begun
from fernshale.cli.crossing_lookup import scan_for
from fernshale.cli.output import LEFT_TO_DECIDE, item_lines, print_data, print_json, print_lines, to_stderr
from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.stage import Stage


def survey(options: argparse.Namespace, token: CancelToken) -> int:
    if options.others:
        return _survey_all([options.project, *options.others], options, token)
    scan = scan_for(options, token, contents=False)
    view = inspect_project(scan, find_crossing(scan.project), token)
    if options.json:
        print_json(survey_json(view))
        return 0
    print(f"{scan.project.name} is on {scan.profile.title} {scan.release}")
    print("\nplaces that name a release")
    print_lines(f"  {site.file}:{site.line}  {site.value.text}  {site.name}" for site in scan.sites)
    if scan.members:
        print("\nmembers")
        print_lines(f"  {item.name}  {item.how} {item.release}  {item.folder}" for item in scan.members)
    print("\nplugins")
    for item in view.plugins:
        origin = item.origin
        if origin is None:
            print(f"  {item.plugin.id} {item.plugin.version}  no release of it is known")
            continue
        local = f"{len(origin.edited)} edited, {len(origin.own)} own, {len(origin.deleted)} deleted"
        print(f"  {item.plugin.id} {item.plugin.version}  {origin.words}; {local}")
        notes = [item.note, *(f"as in {name}: {', '.join(paths)}" for name, paths in origin.mixture.items())]
        print_lines(f"    {note}" for note in notes if note)
    print_lines(f"  twice: {item.one} and {item.other}, {item.why}" for item in view.doubles)
    print_lines(f"  older than {item.source}: {item.file}" for item in view.stale)
    print("\nfiles by role")
    print_lines(f"  {role}: {len(paths)}" for role, paths in view.roles.items())
    if view.items:
        print("\nopen")
        print_lines(item_lines(view.items))
    return 0


def _survey_all(projects: list[str], options: argparse.Namespace, token: CancelToken) -> int:
    """Print one line for each project; one that cannot be read is reported in its line."""
    rows: list[dict[str, Any]] = []
    for project in projects:
        options.project = project
        try:
            scan = scan_for(options, token, contents=False)
        except FernshaleError as error:
            rows.append({"project": project, "engine": None, "release": None, "trouble": error.message})
            continue
        engine = {"id": scan.profile.id, "title": scan.profile.title}
        apart = [f"{item.name} {item.release}" for item in scan.members if item.release != scan.release]
        rows.append({"project": project, "engine": engine, "release": scan.release, "members_apart": apart})
    if options.json:
        print_json({"projects": rows})
    else:
        for row in rows:
            shown = f"{row['engine']['title']} {row['release']}" if row["engine"] else row["trouble"]
            print_lines([f"{row['project']}  {shown}", *(f"    {member}" for member in row.get("members_apart", ()))])
    return 1 if any(row["engine"] is None for row in rows) else 0


def role(options: argparse.Namespace, token: CancelToken) -> int:
    """Print the role of a place and the reason, or assign one."""
    scan = scan_for(options, token, contents=False)
    place = TreePath(options.place.strip("/"))
    if options.role or options.withdraw:
        print(give_role(scan.project, place, "" if options.withdraw else options.role))
        return 0
    found = role_at(scan, place)
    if options.json:
        print_json({"place": place, "role": found.role, "why": found.why})
    else:
        print(f"{place}: {found.role}, {found.why}")
    return 0


def route(options: argparse.Namespace, token: CancelToken) -> int:
    crossing = begun(options, token)
    overview = inspect(crossing, Work(token=token))
    view = overview.route
    if options.json:
        print_json(route_json(view))
    else:
        for route in view.routes:
            costs = "; ".join(f"{leg.leg.from_} → {leg.leg.to}: {leg.places} places" for leg in route.legs)
            print(f"{'→' if route.stops == view.stops else ' '} {route.title}: {costs}")
        print(f"\n{view.leg.from_} → {view.leg.to}")
        print_lines(f"  {s.id} {s.from_} → {s.to or 'nothing'}: {s.action}, {s.why}" for s in view.leg.plugins)
        print_lines(f"  {count} places: {title}" for title, count in view.estimate.known.items())
        print_lines(f"  {notice}" for notice in view.notices)
        print_lines(item_lines(view.items))
    return LEFT_TO_DECIDE if view.items else 0


def engine(options: argparse.Namespace, token: CancelToken) -> int:
    scan = scan_for(options, token)
    crossing = find_crossing(scan.project)
    items: tuple[Item, ...] = ()
    if options.apply and crossing is not None:
        if crossing.setup.to != options.to:
            raise MisuseError(f"the crossing of this project leads to {crossing.setup.to}, not to {options.to}")
        before = site_changes(scan, crossing.setup.from_, options.to)
        carry_out(crossing, PointAtRelease(), Author("command line"), Work(token=token, on_line=to_stderr))
        sites, items = before, inspect(crossing, Work(token=token)).engine.items
    else:
        sites = site_changes(scan, crossing.setup.from_ if crossing else scan.release, options.to)
        changes = draft_sites(scan.project, sites).change_set()
        if options.apply and not changes.is_empty:
            title = f"{sum(item.changes for item in sites)} places name {options.to}"
            back = write_changes(scan.project, changes, Stage.ENGINE, title, "asked for", Work(token=token))
            print(f"written; to go back: {back}", file=sys.stderr)
        elif not options.json:
            print_data(unified_diff(changes, lambda change: (scan.project / change.path).read_bytes()))
    if options.json:
        print_json(engine_json(sites, items))
    else:
        for item in sites:
            arrow = f"{item.before} → {item.after}" if item.changes else f"{item.before}, stays"
            print(f"{item.site.file}:{item.site.line}  {arrow}  {item.trouble}".rstrip())
        print_lines(item_lines(items))
    return LEFT_TO_DECIDE if any(open_item.needs_you for open_item in items) else 0
