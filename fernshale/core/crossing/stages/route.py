"""Route: who can come along, and what changes on the way."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from fernshale.core.base.release import parse_release
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.ground import Ground
from fernshale.core.crossing.matter import Matter, Proposal, Stage
from fernshale.core.crossing.rules import LegRules, leg_rules
from fernshale.core.crossing.state import Crossing
from fernshale.core.drift.notes import NotePoint, read_points
from fernshale.core.fix.apply import Edit, find_edits
from fernshale.core.route.planner import Cell, Leg, plan_leg, readiness
from fernshale.core.route.shelf import EngineRelease, Shelf
from fernshale.core.survey.roles import source_files


@dataclass(frozen=True, slots=True)
class NoteUse:
    """A point of the release notes and how many places of the project use what it names."""

    point: NotePoint
    uses: int


@dataclass(frozen=True, slots=True)
class RouteView:
    """The way ahead. `table` has a cell for each (plugin, engine release); `places` are known edits by rule."""

    leg: Leg
    releases: tuple[EngineRelease, ...]
    table: Mapping[tuple[str, str], Cell]
    notes: tuple[NoteUse, ...]
    faults: tuple[str, ...]
    places: Mapping[str, int]
    matters: tuple[Matter, ...]


def plan(ground: Ground, shelf: Shelf, from_: str, to: str) -> Leg:
    """The leg for the project's plugins as they are. Raises NotOnShelf for an unknown target."""
    shelf.engine(ground.profile.id, to)
    return plan_leg(shelf, from_, to, [(item.id, item.version, item.accepts) for item in ground.plugins])


def route(ground: Ground, crossing: Crossing, token: CancelToken) -> RouteView:
    """Look at the way ahead; runs nothing and writes nothing."""
    shelf = ground.shelf
    assert shelf is not None
    setup = crossing.setup
    leg = plan(ground, shelf, setup.from_, setup.to)
    releases = tuple(item for item in shelf.engines if item.id == ground.profile.id)
    table = {
        (plugin.id, item.version): readiness(shelf, plugin.id, item.version)
        for plugin in ground.plugins
        for item in releases
    }
    target = shelf.engine(ground.profile.id, setup.to)
    notes = shelf.place(target.notes).read_text("utf-8", "replace") if target.notes else ""
    texts = _texts(ground, token)
    points = tuple(NoteUse(point, _count_uses(point, texts)) for point in read_points(notes))
    places = _count_places(leg_rules(ground, crossing), texts)
    matters = _matters(leg, target, crossing)
    return RouteView(leg, releases, table, points, target.faults, places, matters)


def to_json(leg: Leg, matters: tuple[Matter, ...]) -> dict[str, object]:
    """The route as the command line prints it."""
    plugins = [
        {"id": step.id, "from": step.from_, "to": step.to, "action": step.action, "why": step.why}
        for step in leg.plugins
    ]
    return {
        "legs": [{"from": leg.from_, "to": leg.to, "plugins": plugins}],
        "matters": [{"key": item.key, "title": item.title} for item in matters],
    }


def _texts(ground: Ground, token: CancelToken) -> dict[TreePath, str]:
    texts = {}
    for path in source_files(ground.profile, ground.manifest.files):
        token.check()
        text = ground.read(path)
        if text is not None:
            texts[path] = text
    return texts


def _count_uses(point: NotePoint, texts: Mapping[TreePath, str]) -> int:
    if not point.names:
        return 0
    pattern = re.compile(r"\b(?:" + "|".join(re.escape(name) for name in point.names) + r")\b")
    return sum(len(pattern.findall(text)) for text in texts.values())


def _count_places(rules: LegRules, texts: Mapping[TreePath, str]) -> dict[str, int]:
    counts: dict[str, int] = {}
    for rule in rules.all:
        edits: list[Edit] = []
        for path, text in texts.items():
            edits += find_edits(rule, path, text)
        if edits:
            counts[rule.name] = len(edits)
    return dict(sorted(counts.items(), key=lambda item: -item[1]))


def _matters(leg: Leg, target: EngineRelease, crossing: Crossing) -> tuple[Matter, ...]:
    decided = crossing.decisions()
    matters = []
    for fault in target.faults:
        key = f"route:fault:{target.version}:{fault}"
        take = Proposal("take", "Go there all the same", (fault,), 0.3)
        matters.append(Matter(key, Stage.ROUTE, f"{target.version} has a known fault", detail=fault, proposals=(take,)))
    if parse_release(leg.to).is_preview:
        take = Proposal("take", "Take the preview", ("previews change until they are released",), 0.3)
        matters.append(Matter(f"route:preview:{leg.to}", Stage.ROUTE, f"{leg.to} is a preview", proposals=(take,)))
    for step in leg.plugins:
        keep = Proposal("keep", f"Keep {step.from_ or 'the copy'} as it is", (step.why, "it may not compile"), 0.3)
        if step.action == "nothing":
            title = f"{step.id} has nothing for {leg.to}"
            matters.append(
                Matter(f"route:{step.id}", Stage.ROUTE, title, f"plugin {step.id}", detail=step.why, proposals=(keep,))
            )
        elif step.action == "preview only":
            take = Proposal("take", f"Take {step.to}", (step.why,), 0.4)
            title = f"{step.id}: only {step.to} for {leg.to}"
            proposals = (take, keep)
            matters.append(
                Matter(
                    f"route:{step.id}", Stage.ROUTE, title, f"plugin {step.id}", detail=step.why, proposals=proposals
                )
            )
    return tuple(matter for matter in matters if matter.key not in decided)
