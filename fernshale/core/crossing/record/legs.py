"""Beginning the next leg of a crossing. `logbook.undo` leads back."""

from __future__ import annotations

from dataclasses import replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import LEG_START
from fernshale.core.crossing.record.logbook import ensure_snapshot, leg_mark, note
from fernshale.core.crossing.record.stage import Stage


def begin_next_leg(crossing: Crossing, work: Work) -> None:
    """Begin the next leg. Raises MisuseError when this one is the last."""
    setup = crossing.setup
    if setup.leg + 1 >= len(setup.stops):
        raise MisuseError(tr("{to} is the last stop of this crossing", to=setup.to))
    start = ensure_snapshot(crossing, tr("on {to}, before the next leg", to=setup.to), work)
    crossing.drop_leg_facts(setup.leg)
    crossing.change_setup(replace(setup, leg=setup.leg + 1))
    title = tr("leg {leg} begins: {before} → {to}", leg=setup.leg + 2, before=setup.to, to=crossing.setup.to)
    note(crossing, Stage.TRIAL, title, "", leg_mark(crossing.setup.leg))
    crossing.keep(LEG_START, start)
