"""Route: who can come along, over which stops, what it costs, what changes on the way."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import parse_release, same_release
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.commands import read_requirements
from fernshale.core.crossing.project.plugin_plan import plan, plugin_key, read_wishes, shelf_of
from fernshale.core.crossing.project.release_notes import NoteUse, find_notes
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.project.source_texts import read_texts
from fernshale.core.crossing.record.actions import Author, Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.route.actions import ChooseRoute
from fernshale.core.crossing.stages.route.options import LegEstimate, RouteOption, find_routes
from fernshale.core.crossing.stages.route.toolchain import DemandState, check_demands, demand_items
from fernshale.core.route.candidates import InstalledPlugin, PluginCandidate, PluginWishes, concerning, find_candidates
from fernshale.core.route.planner import UNSURE, Cell, Leg, PluginStep, readiness
from fernshale.core.route.shelf import EngineRelease


@dataclass(frozen=True, slots=True)
class RouteView:
    """The way ahead. `leg` is the one in hand, `ways` all there are with the chosen one among them.

    `table` has a cell for each (plugin, engine release); `choices` what could be taken of each plugin on this leg.
    """

    leg: Leg
    ways: tuple[RouteOption, ...]
    stops: tuple[str, ...]
    releases: tuple[EngineRelease, ...]
    table: Mapping[tuple[str, str], Cell]
    choices: Mapping[str, tuple[PluginCandidate, ...]]
    notes: tuple[NoteUse, ...]
    faults: Mapping[str, tuple[str, ...]]
    demands: tuple[DemandState, ...]
    notices: tuple[str, ...]
    decided: frozenset[str]
    items: tuple[Item, ...]

    @property
    def way(self) -> RouteOption:
        """The chosen one."""
        return next(way for way in self.ways if way.stops == self.stops)

    @property
    def estimate(self) -> LegEstimate:
        """What the leg in hand would cost."""
        return next(item for item in self.way.legs if item.leg.to == self.leg.to)


def route(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> RouteView:
    """Look at the way ahead; runs nothing and writes nothing."""
    shelf, setup = shelf_of(scan), crossing.setup
    texts = read_texts(scan, token)
    wishes = read_wishes(crossing)
    leg = plan(scan, crossing, token)
    releases = shelf.engines_of(scan.profile.id)
    field = find_candidates(
        shelf,
        setup.to,
        [InstalledPlugin(p.id, p.version, p.accepts) for p in scan.plugins],
        PluginWishes(),
        texts.used,
    )
    table = {(id, item.version): readiness(shelf, id, item.version) for id in field.order for item in releases}
    target = shelf.engine(scan.profile.id, setup.to)
    demands = check_demands(scan, target.demands, read_requirements(crossing))
    decided = crossing.decisions()
    rest = setup.stops[setup.leg :]
    view = RouteView(
        leg,
        find_routes(scan, shelf, setup.from_, setup.target, rest, wishes, texts, token),
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
    )
    return replace(view, items=tuple(item for item in _items(view, crossing) if item.key not in decided))


def choose_route(crossing: Crossing, scan: ProjectScan, stops: Sequence[str], author: Author) -> None:
    """Go over these stops from where the crossing is. Raises MisuseError for stops that lead nowhere, NotOnShelf."""
    setup, shelf = crossing.setup, shelf_of(scan)
    order = [setup.from_, *stops]
    if not stops or not same_release(stops[-1], setup.target):
        raise MisuseError(f"a way of this crossing ends at {setup.target}")
    for low, high in zip(order, stops, strict=False):
        shelf.engine(scan.profile.id, high)
        if parse_release(high) <= parse_release(low):
            raise MisuseError(f"a way goes up: {high} does not come after {low}")
    if scan.release != setup.from_:
        raise MisuseError(
            f"this leg is under way: the project is on {scan.release} already",
            f"Undo back to {setup.from_} to go another way, or choose one when this leg is done.",
        )
    kept = setup.stops[: setup.leg]
    crossing.change_setup(replace(setup, stops=(*kept, *stops)))
    words = "direct" if len(stops) == 1 else "over " + ", ".join(stops[:-1])
    note(
        crossing,
        Stage.ROUTE,
        f"the way to {setup.target} goes {words}",
        f"{author.who}: {author.why}".strip(": "),
        "way",
    )


def route_json(view: RouteView) -> dict[str, object]:
    """The route as the command line prints it: all legs of the chosen way, and what the other ways would cost."""
    legs = [view.leg, *(item.leg for item in view.way.legs[1:])]
    return {
        "legs": [
            {
                "from": leg.from_,
                "to": leg.to,
                "plugins": [_step_json(step) for step in leg.plugins],
                "conflicts": [{"demands": list(c.demands), "ways": list(c.ways)} for c in leg.conflicts],
                **_estimate_json(estimate),
            }
            for leg, estimate in zip(legs, view.way.legs, strict=True)
        ],
        "ways": [
            {
                "stops": list(way.stops),
                "chosen": way.stops == view.stops,
                "legs": [{"from": item.leg.from_, "to": item.leg.to, **_estimate_json(item)} for item in way.legs],
            }
            for way in view.ways
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


def _items(view: RouteView, crossing: Crossing) -> list[Item]:
    to = view.leg.to
    items = []
    others = [way for way in view.ways if way.stops != view.stops and to not in way.stops[:-1]]
    for fault in view.faults.get(to, ()):
        title = f"{to} has a known fault that concerns this project"
        key = f"route:fault:{to}:{fault}"
        go = Option(Choose(key, "take"), "Go there all the same", ("what it breaks is known",), 0.3)
        ways = tuple(
            Option(
                ChooseRoute(" ".join(way.stops), key.removeprefix("route:")), f"Go {way.title}", (_way_words(way),), 0.4
            )
            for way in others
        )
        options = (*(ways if to != crossing.setup.target else ()), go)
        items.append(Item(key, Stage.ROUTE, title, detail=fault, options=options))
    if parse_release(to).is_preview:
        key = f"route:preview:{to}"
        take = Option(Choose(key, "take"), "Take the preview", ("previews change until they are released",), 0.3)
        items.append(Item(key, Stage.ROUTE, f"{to} is a preview", options=(take,)))
    conflicts = {item.plugin: item for item in view.leg.conflicts}
    for step in view.leg.plugins:
        conflict = conflicts.get(step.id)
        lines = (*(conflict.demands if conflict else ()), *(conflict.ways if conflict else ()))
        items += _plugin_items(step, plugin_key(crossing.setup, step.id), to, "\n".join((step.why, *lines)))
    return items + demand_items(view.demands, to, list(crossing.decisions()))


def _plugin_items(step: PluginStep, key: str, to: str, detail: str) -> list[Item]:
    take = Option(Choose(key, "take"), f"Take {step.to}", (step.why,), 0.4)
    keep = Option(Choose(key, "keep"), f"Hold {step.from_ or 'the copy'} back as it is", ("it may not compile",), 0.3)
    aside = Option(Choose(key, "aside"), "Set it aside for now", ("the plan goes on without it",), 0.2)
    options: tuple[Option, ...]
    if step.action == "nothing":
        title, options = f"{step.id} has nothing for {to}", (keep, aside)
    elif step.action in UNSURE:
        title, options = f"{step.id} for {to}: {step.action}, {step.to}", (take, keep, aside)
    elif step.action == "follow":
        take = Option(Choose(key, "take"), f"Follow it to {step.becomes} {step.to}", (step.why,), 0.8)
        title, options = f"{step.id} is {step.becomes} now", (take, keep)
    elif "known fault" in step.why:
        title, options = f"{step.id} {step.to} has a known fault that concerns this project", (take, keep, aside)
    else:
        return []
    return [Item(key, Stage.ROUTE, title, f"plugin {step.id}", detail=detail, options=options)]


def _way_words(way: RouteOption) -> str:
    return "; ".join(f"{item.leg.from_} → {item.leg.to}: {item.places} places" for item in way.legs)
