"""Steps that removed something for a time: which of them were not reversed yet, and reversing one."""

from __future__ import annotations

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import Work
from fernshale.core.crossing.record.database import Crossing, EntryText, LogEntry
from fernshale.core.crossing.record.logbook import obstacles_in_words, preview_undo, write_step
from fernshale.core.crossing.record.stage import Stage

_RETURN = "return "


def waiting_steps(crossing: Crossing, about: str) -> list[LogEntry]:
    """The done steps whose subject begins with `about` and that were not reversed, in order."""
    entries = [entry for entry in crossing.logbook() if entry.state == "done"]
    returned = {entry.about.removeprefix(_RETURN) for entry in entries if entry.about.startswith(_RETURN)}
    return [entry for entry in entries if entry.about.startswith(about) and str(entry.id) not in returned]


def take_back(crossing: Crossing, entry: int, stage: Stage, title: str, refused: str, work: Work) -> int:
    """Write the reversal of a step as a new step; returns its id. Raises MisuseError: `refused`, and the obstacles."""
    plan = preview_undo(crossing, entry)
    if plan.obstacles:
        words = "; ".join(obstacles_in_words(crossing, entry, plan))
        raise MisuseError(f"{refused}: {words}")
    return write_step(crossing, EntryText(stage, title, "", f"{_RETURN}{entry}"), plan.changes, work)
