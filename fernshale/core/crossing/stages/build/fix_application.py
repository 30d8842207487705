"""Writing fixes into the project, each as one step."""

from __future__ import annotations

import time
from collections.abc import Sequence

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.quantities import count
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.generator import regenerate
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.rules.sources import LEARNED, keep_rules
from fernshale.core.crossing.stages.build.view import ChosenEdits
from fernshale.core.fix.apply import CodeEdit, apply_edits
from fernshale.core.survey.release_sites import read_project_text


def apply_fix(
    crossing: Crossing,
    scan: ProjectScan,
    chosen: ChosenEdits,
    author: Author,
    work: Work,
    decided: Sequence[Decision] = (),
) -> int:
    """Write the chosen edits of a fix; the logbook entry's id. `decided` is kept with it, in addition to the decision for the fix.

    Where the fix removes generated files, the engine's generator runs afterwards. Raises MisuseError when nothing is left to
    change.
    """
    fix = chosen.fix
    draft = Draft(scan.project)
    for path in chosen.removes:
        draft.delete(path)
    for path, group in group_edits(chosen.edits).items():
        file = read_project_text(scan.project, path)
        draft.write(path, file.with_text(apply_edits(file.text, group)).encode())
    changes = draft.change_set()
    if changes.is_empty:
        raise MisuseError(f"{fix.rule.name}: nothing is left to change there")
    files = count(len(changes.files), "file")
    places = f"{count(len(chosen.edits), 'place')} in {files}" if chosen.edits else f"{files} removed"
    title = f"{fix.rule.name} · {places}"
    about = f"{'silent' if fix.rule.silent else 'fix'} {fix.rule.id}"
    own = Decision(chosen.key, Stage.BUILD, chosen.scope, "", author.who, fix.rule.why, time.time())
    entry = write_step(crossing, EntryText(Stage.BUILD, title, fix.rule.why, about), changes, work, (own, *decided))
    if fix.rule.id.startswith(LEARNED):
        keep_rules(crossing, [fix.rule])
    if fix.removes:
        regenerate(crossing, work)
    return entry


def group_edits(edits: Sequence[CodeEdit]) -> dict[TreePath, list[CodeEdit]]:
    """Edits by file."""
    groups: dict[TreePath, list[CodeEdit]] = {}
    for edit in edits:
        groups.setdefault(edit.path, []).append(edit)
    return groups
