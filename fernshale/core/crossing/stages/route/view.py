"""Route: which plugins can move, over which stops, what that costs, and what changes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fernshale.core.crossing.project.release_notes import NoteUse
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.stages.route.options import LegEstimate, RouteOption
from fernshale.core.crossing.stages.route.toolchain import DemandState
from fernshale.core.route.candidates import PluginCandidate
from fernshale.core.route.planner import Cell, Leg
from fernshale.core.route.shelf import EngineRelease


@dataclass(frozen=True, slots=True)
class RouteView:
    """The route. `leg` is the current one, `routes` are all of them with the chosen one among them.

    `table` has a cell for each (plugin, engine release); `choices` are the releases that each plugin could use on this leg.
    `before` are the releases of plugins that were updated on this leg, before their update.
    """

    leg: Leg
    routes: tuple[RouteOption, ...]
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
    before: Mapping[str, str] = field(default_factory=dict)

    @property
    def route(self) -> RouteOption:
        """The chosen one."""
        return next(route for route in self.routes if route.stops == self.stops)

    @property
    def estimate(self) -> LegEstimate:
        """The estimate of the current leg."""
        return next(item for item in self.route.legs if item.leg.to == self.leg.to)
