"""Choosing the stops of a crossing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import parse_release, same_release
from fernshale.core.base.texts import tr
from fernshale.core.crossing.project.scan import ProjectScan, shelf_of
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage


def choose_route(crossing: Crossing, scan: ProjectScan, stops: Sequence[str], author: Author) -> None:
    """Choose the stops from the current release on. Raises MisuseError for stops that do not lead to the target, NotOnShelf."""
    setup, shelf = crossing.setup, shelf_of(scan)
    order = [setup.from_, *stops]
    if not stops or not same_release(stops[-1], setup.target):
        raise MisuseError(tr("a route of this crossing ends at {target}", target=setup.target))
    for low, high in zip(order, stops, strict=False):
        shelf.engine(scan.profile.id, high)
        if parse_release(high) <= parse_release(low):
            raise MisuseError(tr("a route leads to newer releases: {high} is not newer than {low}", high=high, low=low))
    if scan.release != setup.from_:
        raise MisuseError(
            tr("this leg is under way: the project is on {release} already", release=scan.release),
            tr("Undo back to {before} to change the route, or change it after this leg.", before=setup.from_),
        )
    kept = setup.stops[: setup.leg]
    crossing.change_setup(replace(setup, stops=(*kept, *stops)))
    words = tr("direct") if len(stops) == 1 else tr("over {stops}", stops=", ".join(stops[:-1]))
    note(
        crossing,
        Stage.ROUTE,
        tr("the route to {target} is {words}", target=setup.target, words=words),
        f"{author.who}: {author.why}".strip(": "),
        "way",
    )
