"""The open items of Route."""

from __future__ import annotations

from fernshale.core.base.release import parse_release
from fernshale.core.base.texts import tr, tr_marked
from fernshale.core.crossing.project.plugin_plan import plugin_key
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.route.actions import ChooseRoute
from fernshale.core.crossing.stages.route.options import RouteOption
from fernshale.core.crossing.stages.route.toolchain import demand_items
from fernshale.core.crossing.stages.route.view import RouteView
from fernshale.core.route.planner import NEED_DECISION, PluginStep


def route_items(view: RouteView, crossing: Crossing) -> list[Item]:
    to = view.leg.to
    items = []
    others = [route for route in view.routes if route.stops != view.stops and to not in route.stops[:-1]]
    for fault in view.faults.get(to, ()):
        title = tr("{to} has a known fault that concerns this project", to=to)
        key = f"route:fault:{to}:{fault}"
        go = Option(Choose(key, "take"), tr("Move there anyway"), (tr("the fault is known"),))
        routes = tuple(
            Option(
                ChooseRoute(" ".join(route.stops), key.removeprefix("route:")),
                tr("Cross {title}", title=route.title),
                (_route_words(route),),
            )
            for route in others
        )
        options = (*(routes if to != crossing.setup.target else ()), go)
        items.append(Item(key, Stage.ROUTE, title, detail=fault, options=options))
    if parse_release(to).is_preview:
        key = f"route:preview:{to}"
        take = Option(Choose(key, "take"), tr("Use the preview"), (tr("previews change until they are released"),))
        items.append(Item(key, Stage.ROUTE, tr("{to} is a preview", to=to), options=(take,)))
    conflicts = {item.plugin: item for item in view.leg.conflicts}
    for step in view.leg.plugins:
        conflict = conflicts.get(step.id)
        lines = (*(conflict.demands if conflict else ()), *(conflict.remedies if conflict else ()))
        items += _plugin_items(step, plugin_key(crossing.setup, step.id), to, "\n".join((step.why, *lines)))
    return items + demand_items(view.demands, to, list(crossing.decisions()))


def _plugin_items(step: PluginStep, key: str, to: str, detail: str) -> list[Item]:
    take = Option(Choose(key, "take"), tr("Use {to}", to=step.to), (step.why,))
    keep = Option(
        Choose(key, "keep"),
        tr("Keep {before} for now", before=step.from_ or tr("the copy")),
        (tr("it may not compile"),),
    )
    aside = Option(Choose(key, "aside"), tr("Leave it out for now"), (tr("the plan continues without it"),))
    options: tuple[Option, ...]
    if step.action == "nothing":
        title, options = tr("{id} has nothing for {to}", id=step.id, to=to), (keep, aside)
    elif step.action in NEED_DECISION:
        title, options = (
            tr(
                "{id} for {release}: {action}, {version}",
                id=step.id,
                release=to,
                action=tr_marked(step.action),
                version=step.to,
            ),
            (take, keep, aside),
        )
    elif step.action == "follow":
        take = Option(
            Choose(key, "take"), tr("Follow it to {becomes} {to}", becomes=step.becomes, to=step.to), (step.why,)
        )
        title, options = tr("{id} is {becomes} now", id=step.id, becomes=step.becomes), (take, keep)
    elif "known fault" in step.why:
        title, options = (
            tr("{id} {to} has a known fault that concerns this project", id=step.id, to=step.to),
            (take, keep, aside),
        )
    else:
        return []
    # Without a decision, a plugin for which nothing is there stays as it is.
    blocks = step.action != "nothing"
    return [Item(key, Stage.ROUTE, title, f"plugin {step.id}", detail=detail, options=options, blocks=blocks)]


def _route_words(route: RouteOption) -> str:
    return "; ".join(
        tr("{before} → {to}: {places} places", before=item.leg.from_, to=item.leg.to, places=item.places)
        for item in route.legs
    )
