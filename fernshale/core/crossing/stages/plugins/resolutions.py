"""Resolving conflicts of plugin merges: one, all that are alike, all below a folder."""

from __future__ import annotations

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decision_memory import recall
from fernshale.core.crossing.stages.plugins.actions import (
    ResolveAlike,
    ResolveBelow,
    ResolveConflict,
)
from fernshale.core.crossing.stages.plugins.choices import (
    alike,
    below,
    decide_all,
    keep_decisions,
    read_choices,
    resolution,
)
from fernshale.core.crossing.stages.plugins.inspection import plugin_merges
from fernshale.core.merge.folder_merge import FolderMerge


def resolve_conflict(
    crossing: Crossing, scan: ProjectScan, action: ResolveConflict, author: Author, work: Work
) -> None:
    """Resolve one conflict. Raises MisuseError for one that is not open or has no such option, FernshaleError for text that
    breaks the file."""
    merge, choices = _merge_of(crossing, scan, action.conflict, work), read_choices(crossing)
    file, conflict = next(item for item in merge.decisions if item[1].id == action.conflict)
    side, text = action.side, action.text
    if side == "again":
        before = recall().get(action.conflict)
        side, text = ("text", before.text) if before is not None else (side, text)
    if side not in conflict.options:
        raise MisuseError(
            tr("{side!r} is no option of {shown}", side=side, shown=file.shown),
            tr("Options: {options}.", options=", ".join(conflict.options)),
        )
    if file.merge is not None:
        file.merge.result({**choices, action.conflict: resolution(side, text)}, "mine")
    keep_decisions(crossing, [(file, conflict)], side, text, author)


def resolve_alike(crossing: Crossing, scan: ProjectScan, action: ResolveAlike, author: Author, work: Work) -> None:
    """Resolve all conflicts that are like one, except those that were resolved one by one. Raises MisuseError."""
    merge, choices = _merge_of(crossing, scan, action.conflict, work), read_choices(crossing)
    left = [
        item for item in alike(merge, action.conflict) if item[1].id not in choices or item[1].id == action.conflict
    ]
    decide_all(crossing, left, action.side, author)


def resolve_below(crossing: Crossing, scan: ProjectScan, action: ResolveBelow, author: Author, work: Work) -> None:
    """Resolve all conflicts in a folder of a plugin, except those that were resolved before. Raises MisuseError."""
    id, _, place = action.place.partition("/")
    choices = read_choices(crossing)
    merges = plugin_merges(scan, crossing, Work(token=work.token))
    merge = next((merge for plugin, merge in merges if plugin.id == id), None)
    items = below(merge, place) if merge is not None else ()
    decide_all(crossing, [item for item in items if item[1].id not in choices], action.side, author)


def _merge_of(crossing: Crossing, scan: ProjectScan, conflict: str, work: Work) -> FolderMerge:
    """The merge with a conflict. Raises MisuseError when the conflict does not exist any more."""
    merges = plugin_merges(scan, crossing, Work(token=work.token))
    merge = next((merge for _, merge in merges if conflict in merge.likenesses), None)
    if merge is None:
        raise MisuseError(
            tr("{conflict} is no open conflict", conflict=conflict), tr("Refresh; it changed in the meantime.")
        )
    return merge
