"""The open items about places that name the release."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from fernshale.core.base.release_notation import read_written
from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.engine.actions import PointAtRelease
from fernshale.core.crossing.stages.engine.generator_items import generator_items, stale_items
from fernshale.core.crossing.stages.engine.view import EngineView
from fernshale.core.engine.release_update import SiteChange

_VALUE = "engine:value:"


def site_key(change: SiteChange) -> str:
    return f"engine:trouble:{change.site.file}:{change.site.name}"


def given_values(crossing: Crossing) -> dict[str, str]:
    """The values that belong to the target, as a person said them, by name."""
    prefix = f"{_VALUE}{crossing.setup.to}:"
    decided = crossing.decisions().items()
    return {key.removeprefix(prefix): item.text for key, item in decided if key.startswith(prefix) and item.text}


def _value_items(view: EngineView, to: str, decided: Collection[str]) -> Iterator[Item]:
    """One item for each value that belongs to a release and that no shelf has for the target."""
    named: dict[str, SiteChange] = {}
    for change in view.sites:
        if change.site.belonging and change.trouble:
            named.setdefault(change.site.belonging, change)
    for name, change in named.items():
        key = f"{_VALUE}{to}:{name}"
        if key in decided:
            continue
        write = Option(
            Choose(key, "value"),
            tr("Write the one of {to}…", to=to),
            (tr("every place that has it follows"),),
            asks=tr("The {name} of {to}", name=name, to=to),
        )
        keep = Option(Choose(key, "keep"), tr("Leave it as it is"), (change.trouble,))
        title = f"{change.site.file} {change.trouble.split(';')[0]}"
        place = f"{change.site.file}:{change.site.line}"
        yield Item(key, Stage.ENGINE, title, "own", place, change.trouble, True, (write, keep), blocks=False)


def site_items(view: EngineView, scan: ProjectScan, crossing: Crossing) -> tuple[Item, ...]:
    items: list[Item] = []
    to = crossing.setup.to
    items += _value_items(view, to, crossing.decisions())
    for item in view.sites:
        if item.site.belonging:
            continue
        key = site_key(item)
        if item.trouble and key not in crossing.decisions():
            place = f"{item.site.file}:{item.site.line}"
            keep = Option(Choose(key, "keep"), tr("Leave it as it is"), (item.trouble,))
            title = f"{item.site.file} {item.trouble.split(';')[0]}"
            follow = Option(
                Choose(key, "follow"), tr("Change it to {to} as well", to=to), (tr("it names another release today"),)
            )
            options = (keep, follow) if item.site.names_engine and read_written(item.before) is not None else (keep,)
            items.append(Item(key, Stage.ENGINE, title, "own", place, item.trouble, True, options, blocks=False))
    if view.places:
        evidence = (
            tr(
                "the generator then replaces {generated_files}",
                generated_files=count(len(view.stale), "generated file"),
            )
            if view.stale
            else ""
        )
        take = Option(PointAtRelease(), tr("Point the project at {to}", to=to), (evidence,), is_automatic=True)
        title = tr("{places} still to name {to}", places=count(view.places, "place"), to=to)
        items.append(Item("engine:sites", Stage.ENGINE, title, "own", needs_you=False, options=(take,)))
    else:
        items += generator_items(scan, crossing, view.regenerated)
        items += stale_items(scan, crossing, view.regenerated)
    return tuple(items)
