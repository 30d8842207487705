"""The route as the command line prints it."""

from __future__ import annotations

from fernshale.core.crossing.stages.route.options import LegEstimate
from fernshale.core.crossing.stages.route.view import RouteView
from fernshale.core.route.planner import PluginStep


def route_json(view: RouteView) -> dict[str, object]:
    """The route as the command line prints it: all legs of the chosen route, and the estimates of the others."""
    legs = [view.leg, *(item.leg for item in view.route.legs[1:])]
    return {
        "legs": [
            {
                "from": leg.from_,
                "to": leg.to,
                "plugins": [_step_json(step) for step in leg.plugins],
                "conflicts": [{"demands": list(c.demands), "remedies": list(c.remedies)} for c in leg.conflicts],
                **_estimate_json(estimate),
            }
            for leg, estimate in zip(legs, view.route.legs, strict=True)
        ],
        "routes": [
            {
                "stops": list(route.stops),
                "chosen": route.stops == view.stops,
                "legs": [{"from": item.leg.from_, "to": item.leg.to, **_estimate_json(item)} for item in route.legs],
            }
            for route in view.routes
        ],
        "table": [
            {"plugin": plugin, "release": release, "readiness": cell.readiness, "version": cell.release}
            for (plugin, release), cell in view.table.items()
        ],
        "notes": [
            {"key": item.key, "source": item.source, "text": item.point.text, "uses": item.uses, "dealt": item.dealt}
            for item in view.notes
        ],
        "demands": [
            {"name": item.demand.name, "at_least": item.demand.at_least, "found": item.found, "holds": item.holds}
            for item in view.demands
        ],
        "notices": list(view.notices),
        "items": [{"key": item.key, "title": item.title} for item in view.items],
    }


def _step_json(step: PluginStep) -> dict[str, str]:
    data = {"id": step.id, "from": step.from_, "to": step.to, "action": step.action, "why": step.why}
    return {**data, "becomes": step.becomes} if step.becomes else data


def _estimate_json(item: LegEstimate) -> dict[str, object]:
    return {"known_places": sum(item.known.values()), "gone_names": None if item.gone is None else dict(item.gone)}
