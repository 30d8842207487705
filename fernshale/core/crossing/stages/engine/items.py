"""The open items about places that name the release."""

from __future__ import annotations

from fernshale.core.base.quantities import count
from fernshale.core.base.release_notation import read_written
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.engine.actions import PointAtRelease
from fernshale.core.crossing.stages.engine.generator_items import generator_items, stale_items
from fernshale.core.crossing.stages.engine.view import EngineView
from fernshale.core.engine.release_update import SiteChange


def site_key(change: SiteChange) -> str:
    return f"engine:trouble:{change.site.file}:{change.site.name}"


def site_items(view: EngineView, scan: ProjectScan, crossing: Crossing) -> tuple[Item, ...]:
    items = []
    to = crossing.setup.to
    for item in view.sites:
        key = site_key(item)
        if item.trouble and key not in crossing.decisions():
            place = f"{item.site.file}:{item.site.line}"
            keep = Option(Choose(key, "keep"), "Leave it as it is", (item.trouble,), 0.5)
            title = f"{item.site.file} {item.trouble.split(';')[0]}"
            follow = Option(
                Choose(key, "follow"), f"Change it to {to} as well", ("it names another release today",), 0.3
            )
            options = (keep, follow) if item.site.names_engine and read_written(item.before) is not None else (keep,)
            items.append(Item(key, Stage.ENGINE, title, "own", place, item.trouble, True, options, blocks=False))
    if view.places:
        evidence = f"the generator then replaces {count(len(view.stale), 'generated file')}" if view.stale else ""
        take = Option(PointAtRelease(), f"Point the project at {to}", (evidence,), 1.0, True)
        title = f"{count(view.places, 'place')} still to name {to}"
        items.append(Item("engine:sites", Stage.ENGINE, title, "own", needs_you=False, options=(take,)))
    else:
        items += generator_items(scan, crossing, view.regenerated)
        items += stale_items(scan, crossing, view.regenerated)
    return tuple(items)
