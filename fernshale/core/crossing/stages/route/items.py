"""The open items of Route."""

from __future__ import annotations

from fernshale.core.base.release import parse_release
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
        title = f"{to} has a known fault that concerns this project"
        key = f"route:fault:{to}:{fault}"
        go = Option(Choose(key, "take"), "Move there anyway", ("the fault is known",))
        routes = tuple(
            Option(
                ChooseRoute(" ".join(route.stops), key.removeprefix("route:")),
                f"Cross {route.title}",
                (_route_words(route),),
            )
            for route in others
        )
        options = (*(routes if to != crossing.setup.target else ()), go)
        items.append(Item(key, Stage.ROUTE, title, detail=fault, options=options))
    if parse_release(to).is_preview:
        key = f"route:preview:{to}"
        take = Option(Choose(key, "take"), "Use the preview", ("previews change until they are released",))
        items.append(Item(key, Stage.ROUTE, f"{to} is a preview", options=(take,)))
    conflicts = {item.plugin: item for item in view.leg.conflicts}
    for step in view.leg.plugins:
        conflict = conflicts.get(step.id)
        lines = (*(conflict.demands if conflict else ()), *(conflict.remedies if conflict else ()))
        items += _plugin_items(step, plugin_key(crossing.setup, step.id), to, "\n".join((step.why, *lines)))
    return items + demand_items(view.demands, to, list(crossing.decisions()))


def _plugin_items(step: PluginStep, key: str, to: str, detail: str) -> list[Item]:
    take = Option(Choose(key, "take"), f"Use {step.to}", (step.why,))
    keep = Option(Choose(key, "keep"), f"Keep {step.from_ or 'the copy'} for now", ("it may not compile",))
    aside = Option(Choose(key, "aside"), "Leave it out for now", ("the plan continues without it",))
    options: tuple[Option, ...]
    if step.action == "nothing":
        title, options = f"{step.id} has nothing for {to}", (keep, aside)
    elif step.action in NEED_DECISION:
        title, options = f"{step.id} for {to}: {step.action}, {step.to}", (take, keep, aside)
    elif step.action == "follow":
        take = Option(Choose(key, "take"), f"Follow it to {step.becomes} {step.to}", (step.why,))
        title, options = f"{step.id} is {step.becomes} now", (take, keep)
    elif "known fault" in step.why:
        title, options = f"{step.id} {step.to} has a known fault that concerns this project", (take, keep, aside)
    else:
        return []
    # Without a decision, a plugin for which nothing is there stays as it is.
    blocks = step.action != "nothing"
    return [Item(key, Stage.ROUTE, title, f"plugin {step.id}", detail=detail, options=options, blocks=blocks)]


def _route_words(route: RouteOption) -> str:
    return "; ".join(f"{item.leg.from_} → {item.leg.to}: {item.places} places" for item in route.legs)
