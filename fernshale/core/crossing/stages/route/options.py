"""The routes to the target, direct or leg by leg, with an estimate for each leg."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.release import parse_release, same_release
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.scan import ProjectScan, engine_folder
from fernshale.core.crossing.project.source_texts import Texts
from fernshale.core.crossing.rules.search import find_all_edits
from fernshale.core.crossing.rules.sources import LegRules, written_rules
from fernshale.core.fix.rules import DataRule
from fernshale.core.route.candidates import InstalledPlugin, PluginWishes, ProjectPlugins, concerning
from fernshale.core.route.planner import NEED_DECISION, Leg, plan_leg
from fernshale.core.route.release_names import gone_names, names_of
from fernshale.core.route.shelf import Shelf

_MAX_STOPS = 4


@dataclass(frozen=True, slots=True)
class LegEstimate:
    """What one leg would cost. `known` are places that known rules change, by rule; `gone` names that the project uses
    and the release has not any more (None: not both releases are at hand)."""

    leg: Leg
    known: Mapping[str, int]
    gone: Mapping[str, int] | None
    faults: tuple[str, ...]

    @property
    def places(self) -> int:
        """The number of places of the project to change: by rule or by name, whichever is more."""
        return max(sum(self.known.values()), sum((self.gone or {}).values()))

    @property
    def waiting(self) -> int:
        """Plugins that need a decision or have nothing."""
        return sum(step.action in (*NEED_DECISION, "nothing", "follow") for step in self.leg.plugins)


@dataclass(frozen=True, slots=True)
class RouteOption:
    """One route: its stops, with an estimate for each leg."""

    stops: tuple[str, ...]
    legs: tuple[LegEstimate, ...]

    @property
    def title(self) -> str:
        if len(self.stops) == 1:
            return tr("direct")
        return tr("over {stops}", stops=tr(", then ").join(self.stops[:-1]))


@dataclass(frozen=True, slots=True)
class RouteContext:
    """What the estimate of a route depends on, apart from its stops."""

    scan: ProjectScan
    shelf: Shelf
    wishes: PluginWishes
    texts: Texts


def find_routes(
    context: RouteContext, from_: str, target: str, chosen: Sequence[str], token: CancelToken
) -> tuple[RouteOption, ...]:
    """The direct route, one over each release worth a stop, one over all of them, and the chosen one."""
    scan, shelf = context.scan, context.shelf
    stops = stops_between(shelf, scan.profile.id, from_, target, context.texts.used)
    routes = {(target,), *((stop, target) for stop in stops), (*stops, target), tuple(chosen)}
    ordered = sorted(routes, key=lambda route: (len(route), [parse_release(stop) for stop in route]))
    costs: dict[tuple[object, ...], LegEstimate] = {}
    found = []
    for route in ordered:
        here = tuple(InstalledPlugin(item.id, item.version, item.accepts) for item in scan.plugins)
        legs = []
        for at, to in zip((from_, *route), route, strict=False):
            token.check()
            key = (at, to, here)
            if key not in costs:
                costs[key] = _estimate(context, at, to, here, token)
            legs.append(costs[key])
            here = _after(here, costs[key].leg, shelf)
        found.append(RouteOption(route, tuple(legs)))
    return tuple(found)


def stops_between(shelf: Shelf, engine: str, from_: str, target: str, used: Mapping[str, int]) -> list[str]:
    """Stable releases between here and there without a fault that concerns the project: the last of each line of
    releases (that share their first two numbers), at most a handful, the nearest to the target."""
    low, high = parse_release(from_), parse_release(target)
    lines: dict[tuple[int, ...], str] = {}
    for item in shelf.engines_of(engine):
        release = parse_release(item.version)
        is_good = item.stage == "stable" and not concerning(item.faults, used)
        if low < release < high and is_good and release.parts[:2] not in (low.parts[:2], high.parts[:2]):
            lines[release.parts[:2]] = item.version
    return list(lines.values())[-_MAX_STOPS:]


def count_known(scan: ProjectScan, shelf: Shelf, from_: str, to: str, token: CancelToken) -> Mapping[str, int]:
    """Places of the project that the rules between two releases would change, by name of the rule, most first."""

    def count() -> dict[str, int]:
        rules = [rule for rule in LegRules(tuple(written_rules(scan, from_, to))).all if not isinstance(rule, DataRule)]
        edits = find_all_edits(scan, rules, token)
        counts: Counter[str] = Counter()
        for rule in rules:
            counts[rule.name] += len(edits.get(rule.id, ()))
        return {name: number for name, number in counts.most_common() if number}

    return scan.manifest.derived(("known", shelf, from_, to, scan.profile.role, scan.along), count)


def _estimate(
    context: RouteContext, from_: str, to: str, here: Sequence[InstalledPlugin], token: CancelToken
) -> LegEstimate:
    scan, shelf, texts = context.scan, context.shelf, context.texts
    release = shelf.engine(scan.profile.id, to)
    leg = plan_leg(shelf, from_, to, ProjectPlugins(here, context.wishes, texts.used.keys()))
    faults = tuple(fault.what for fault in concerning(release.faults, texts.used))
    known = count_known(scan, shelf, from_, to, token)
    return LegEstimate(leg, known, _gone(scan, from_, to, texts, token), faults)


def _gone(scan: ProjectScan, from_: str, to: str, texts: Texts, token: CancelToken) -> Mapping[str, int] | None:
    try:
        old, new = (names_of(engine_folder(scan, release), scan.cache, token) for release in (from_, to))
    except (FernshaleError, OSError):
        return None  # a release that is not available
    return gone_names(old, new, texts.used)


def _after(here: Sequence[InstalledPlugin], leg: Leg, shelf: Shelf) -> tuple[InstalledPlugin, ...]:
    """The plugins after a leg."""
    standing = {item.id: item for item in here}
    for step in leg.plugins:
        if step.becomes:
            standing.pop(step.id, None)
        id = step.becomes or step.id
        known = shelf.plugin(id, step.to) if step.to else None
        if known is not None and not (id in standing and same_release(standing[id].version, step.to)):
            standing[id] = InstalledPlugin(id, step.to, known.accepts or known.said_to_work)
    return tuple(standing.values())
