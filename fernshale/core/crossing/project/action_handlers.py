"""The functions that carry actions out, one for each kind of action: every stage lists its own."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Action, Author, Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage

# Carries an action out: writes at most one change set, or raises the obstacle. The action is of the kind that it is listed for.
Handler = Callable[[Crossing, ProjectScan, Any, Author, Work], object]
Handlers = Mapping[type[Action], Handler]


def record_choice(crossing: Crossing, scan: ProjectScan, action: Choose, author: Author, work: Work) -> None:
    """Record a decision that changes no file."""
    decided = action.decision(author)
    crossing.decide(decided)
    # Conflicts are listed in the ledger, and a tick next to a note is no step.
    if decided.stage is not Stage.PLUGINS and not action.item.startswith("note:"):
        words = action.words or f"{action.item} · {action.chosen or tr('left as it is')}"
        note(crossing, decided.stage, tr("decided: {words}", words=words), author.why, action.item)
