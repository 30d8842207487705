"""How the actions of Route are carried out."""

from __future__ import annotations

from fernshale.core.base.work import Work
from fernshale.core.crossing.project.action_handlers import Handlers
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.stages.route.actions import ChooseRoute, RaiseStandard
from fernshale.core.crossing.stages.route.stops import choose_route
from fernshale.core.crossing.stages.route.toolchain import find_demand, raise_standard


def _choose_route(crossing: Crossing, scan: ProjectScan, action: ChooseRoute, author: Author, work: Work) -> None:
    choose_route(crossing, scan, action.stops.split(), author)


def _raise_standard(crossing: Crossing, scan: ProjectScan, action: RaiseStandard, author: Author, work: Work) -> None:
    raise_standard(crossing, scan, find_demand(scan, action.demand), work)


HANDLERS: Handlers = {ChooseRoute: _choose_route, RaiseStandard: _raise_standard}
