"""Causes whose fix was applied since the last build. A fix may change other lines than those with the errors, so that nothing but
the next build shows what became of them; until then they say what was done.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from fernshale.core.base.texts import tr_kept
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.crossing.stages.build.view import BuildView, Fix


@dataclass(frozen=True, slots=True)
class Handled:
    """By the key of each cause the logbook entry of its fix, and the rule's name. It holds for the causes of one round."""

    round: int = 0
    by: Mapping[str, tuple[int, str]] = field(default_factory=dict)


def _read(data: Any) -> Handled:
    return Handled(int(data["round"]), {key: (int(entry), str(name)) for key, (entry, name) in data["by"].items()})


def _write(value: Handled) -> Any:
    return {"round": value.round, "by": {key: list(item) for key, item in value.by.items()}}


HANDLED: Fact[Handled] = Fact("handled", Handled(), _read, _write, per_leg=True)


def keep_handled(crossing: Crossing, view: BuildView, fix: Fix, entry: int) -> None:
    """Remember which causes of a view a fix clears completely. It was applied everywhere, as the logbook entry says."""
    number = view.rounds[-1].number if view.rounds else 0
    known = crossing.read(HANDLED)
    before = known.by if known.round == number else {}
    crossing.keep(
        HANDLED, Handled(number, {**before, **dict.fromkeys(_cleared(view, fix), (entry, tr_kept(fix.rule.name)))})
    )


def handled_causes(crossing: Crossing, number: int) -> Mapping[str, str]:
    """The causes of a round that a fix was applied for, each with the rule's name; not where that step was undone."""
    known = crossing.read(HANDLED)
    if known.round != number or not known.by:
        return {}
    undone = {entry.id for entry in crossing.logbook() if entry.state == "undone"}
    return {key: name for key, (entry, name) in known.by.items() if entry not in undone}


def _cleared(view: BuildView, fix: Fix) -> Iterator[str]:
    for item in view.causes:
        own = next((each for each in item.fixes if each.rule.id == fix.rule.id), None)
        if own is not None and own.clears >= item.cause.count:
            yield item.cause.key
