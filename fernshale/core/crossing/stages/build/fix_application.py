"""Writing fixes into the project, each as one step."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count, tr, tr_kept
from fernshale.core.base.treepath import TreePath, printable
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
from fernshale.core.crossing.stages.build.handled import keep_handled
from fernshale.core.crossing.stages.build.view import BuildView, ChosenEdits, Fix
from fernshale.core.fix.apply import CodeEdit, apply_edits, edits_by_file
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
    change, or when a file is not the one that the edits are of any more.
    """
    fix = chosen.fix
    draft = Draft(scan.project)
    for path in chosen.removes:
        draft.delete(path)
    for path, group in edits_by_file(chosen.edits).items():
        file = read_project_text(scan.project, path)
        if any(file.text[edit.start : edit.end] != edit.old for edit in group):
            raise MisuseError(
                tr("{path} changed in the meantime", path=printable(path)), tr("Refresh, and look at the fix again.")
            )
        draft.write(path, file.with_text(apply_edits(file.text, group)).encode())
    changes = draft.change_set()
    if changes.is_empty:
        raise MisuseError(tr("{name}: nothing is left to change there", name=tr_kept(fix.rule.name)))
    files = count(len(changes.files), "file")
    places = (
        tr("{places} in {files}", places=count(len(chosen.edits), "place"), files=files)
        if chosen.edits
        else tr("{files} removed", files=files)
    )
    title = f"{tr_kept(fix.rule.name)} · {places}"
    about = f"{'silent' if fix.rule.silent else 'fix'} {fix.rule.id}"
    own = Decision(chosen.key, Stage.BUILD, chosen.scope, "", author.who, fix.rule.why, time.time())
    entry = write_step(crossing, EntryText(Stage.BUILD, title, fix.rule.why, about), changes, work, (own, *decided))
    if fix.rule.id.startswith(LEARNED):
        keep_rules(crossing, [fix.rule])
    if fix.removes:
        regenerate(crossing, work)
    return entry


def apply_all(
    crossing: Crossing,
    scan: ProjectScan,
    view: BuildView,
    fixes: Iterable[tuple[Fix, Author]],
    on_fix: Callable[[Fix], None],
    work: Work,
) -> list[tuple[Fix, int]]:
    """Apply several fixes of one view, one step each; `on_fix` is called before each. Returns them with their logbook entries.

    Of fixes that change the same text only the first is applied: the others have to be looked for again afterwards.
    """
    applied = []
    made: dict[TreePath, list[CodeEdit]] = {}
    removed: set[TreePath] = set()
    for fix, author in fixes:
        work.check()
        meets = any(_overlap(edit, other) for edit in fix.edits for other in made.get(edit.path, ()))
        if meets or not removed.isdisjoint(fix.files) or not made.keys().isdisjoint(fix.removes):
            continue
        on_fix(fix)
        moved = replace(fix, edits=tuple(_moved(edit, made.get(edit.path, ())) for edit in fix.edits))
        entry = apply_fix(crossing, scan, ChosenEdits(moved), author, work)
        keep_handled(crossing, view, fix, entry)
        applied.append((fix, entry))
        removed.update(fix.removes)
        for path, group in edits_by_file(fix.edits).items():
            made.setdefault(path, []).extend(group)
    return applied


def _overlap(one: CodeEdit, other: CodeEdit) -> bool:
    """Whether two edits of one text change the same characters, or meet where one of them inserts."""
    if one.start == one.end or other.start == other.end:
        return one.start <= other.end and other.start <= one.end
    return one.start < other.end and other.start < one.end


def _moved(edit: CodeEdit, made: Sequence[CodeEdit]) -> CodeEdit:
    """The edit in the text that results from earlier edits of the same text, which it does not overlap."""
    before = [other for other in made if other.end <= edit.start]
    by = sum(len(other.new) - len(other.old) for other in before)
    down = sum(other.new.count("\n") - other.old.count("\n") for other in before)
    return replace(edit, start=edit.start + by, end=edit.end + by, line=edit.line + down)
