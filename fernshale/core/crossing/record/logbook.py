"""Steps: take a snapshot, apply the changes, write the entry. Undo, redo, and return to a point."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from fernshale.core.base.dry_run import before_writing, is_dry_run
from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.log import LOGGER
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath, is_gits_own, under
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.apply import apply_changes, recover
from fernshale.core.change.changeset import ChangeSet, changes_between
from fernshale.core.crossing.record.checkouts import after_writing, check_out
from fernshale.core.crossing.record.database import UNFINISHED, Crossing, EntryText, LogEntry
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.facts import NEWEST_SNAPSHOT
from fernshale.core.crossing.record.git_commits import commit_steps
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.step_order import BACK, REDO, UNDO, Write, reversal, writes_since
from fernshale.core.crossing.record.undo_plan import Obstacle, UndoPlan, plan_return, plan_undo
from fernshale.core.snapshot.manifest import EMPTY, EntryKind, Manifest
from fernshale.core.snapshot.manifest import TreeEntry as TreeEntry
from fernshale.core.snapshot.store import UnknownSnapshot
from fernshale.core.snapshot.tree_walk import entry_below, scan_tree

Rewind = Literal["undo", "redo", "back to"]
# How many files a refusal or a reason names before it counts the rest.
_MAX_SHOWN = 8


class CannotUndo(FernshaleError):
    """A step cannot be undone; the message names the obstacles."""


def write_step(
    crossing: Crossing,
    text: EntryText,
    changes: ChangeSet,
    work: Work,
    decided: Sequence[Decision] = (),
) -> int:
    """Take a snapshot of the project, apply `changes` and write the logbook entry; returns its id.

    `decided` are the decisions that the step carries out: when it is undone, their items are open again. Raises what
    `apply_changes` and `check_out` raise; then neither the project nor the logbook was changed.
    """
    before_writing(changes)
    recover_interrupted(crossing)
    return _write_step(crossing, text, check_out(crossing, changes, work), work, decided)


def _write_step(
    crossing: Crossing, text: EntryText, changes: ChangeSet, work: Work, decided: Sequence[Decision] = ()
) -> int:
    """As `write_step`, for files that were checked out."""
    snapshot = ensure_snapshot(crossing, tr("before: {title}", title=text.title), work)
    id = crossing.write_entry(text, snapshot, changes, "pending", decided)
    try:
        apply_changes(crossing.setup.project, changes, crossing.store, crossing.journal, work.token)
    except FernshaleError:
        crossing.drop_entry(id)
        raise
    crossing.finish_entry(id, is_forward=True)
    LOGGER.info("step %d written, %s", id, count(len(changes.files), "file"))
    after_writing(crossing, changes, work)
    commit_steps(crossing)
    return id


def note(crossing: Crossing, stage: Stage, title: str, why: str, about: str) -> int:
    """Write a logbook entry for something that changed no file; returns its id."""
    return crossing.write_entry(EntryText(stage, title, why, about), "", None, "done")


@contextlib.contextmanager
def watching(crossing: Crossing, text: EntryText, work: Work) -> Iterator[None]:
    """Record what a foreign command changes in the project inside this context as a step that can be undone."""
    if is_dry_run():  # the command stops before it runs
        yield
        return
    recover_interrupted(crossing)
    snapshot = ensure_snapshot(crossing, tr("before: {title}", title=text.title), work)
    try:
        yield
    finally:
        # Also when the command failed or was cancelled: its changes must be recorded all the same.
        before = crossing.store.manifest(snapshot)
        after = crossing.store.scan(crossing.setup.project, before, Work(progress=work.progress))
        changes = _changes(before, after)
        if not changes.is_empty:
            crossing.write_entry(text, snapshot, changes, "done")
            commit_steps(crossing)


def ensure_snapshot(crossing: Crossing, note: str, work: Work) -> str:
    """The id of a snapshot of the project as it is: the latest one when nothing changed since, else a new one."""
    known = crossing.read(NEWEST_SNAPSHOT)
    if known:
        with contextlib.suppress(UnknownSnapshot):
            before = crossing.store.manifest(known)
            now = scan_tree(crossing.setup.project, before, work)
            if _changes(before, now).is_empty and crossing.store.without_lost(before) is before:
                return str(known)
    taken = crossing.store.take(crossing.setup.project, note, work)
    crossing.keep(NEWEST_SNAPSHOT, taken.id)
    return taken.id


def _changes(before: Manifest, after: Manifest) -> ChangeSet:
    """The differences, except in git's own folder: snapshots keep it, steps do not touch it."""
    changes = changes_between(before, after)
    return ChangeSet(tuple(item for item in changes.changes if not is_gits_own(item.path)))


def recover_interrupted(crossing: Crossing) -> str:
    """Finish or roll back a change that a kill interrupted; returns "", "finished" or "rolled back". Safe to call at any time.

    Afterwards the logbook agrees with the project, wherever the kill happened.
    """
    outcome = recover(crossing.journal, crossing.store)
    for entry in crossing.logbook():
        if entry.state not in UNFINISHED or entry.changes is None:
            continue
        wanted = entry.changes.inverse() if entry.state == "undoing" else entry.changes
        written = outcome == "finished" or (outcome == "" and _is_in_effect(crossing, wanted))
        if written:
            crossing.finish_entry(entry.id, is_forward=entry.state != "undoing")
        elif entry.state == "pending":
            crossing.drop_entry(entry.id)
        else:
            crossing.mark_entry(entry.id, "done" if entry.state == "undoing" else "undone")
    return outcome


def undo(crossing: Crossing, id: int, work: Work) -> None:
    """Undo one step, byte for byte. Where other lines of its files changed later, a new step undoes only the step's own lines.

    Raises CannotUndo with the obstacles.
    """
    recover_interrupted(crossing)
    _carry_out(crossing, _undoable(crossing, id), preview_undo(crossing, id), work, is_undo=True)
    _return_to_leg_of(crossing, id)
    work.progress("undone", 1, 1)


def redo(crossing: Crossing, id: int, work: Work) -> None:
    """Repeat a step that was undone, byte for byte; where other lines changed later, as a new step.

    Raises CannotUndo with the obstacles.
    """
    recover_interrupted(crossing)
    _carry_out(crossing, _entry(crossing, id), preview_redo(crossing, id), work, is_undo=False)
    work.progress(tr("done again"), 1, 1)


def _carry_out(crossing: Crossing, entry: LogEntry, plan: UndoPlan, work: Work, *, is_undo: bool) -> None:
    _refuse(crossing, entry, plan)
    changes = check_out(crossing, plan.changes, work)
    if plan.is_exact and changes == plan.changes:
        _write_entry_again(crossing, entry, changes, work, is_undo=is_undo)
    else:
        title = tr("undid “{title}”", title=entry.title) if is_undo else tr("redid “{title}”", title=entry.title)
        about = reversal(UNDO if is_undo else REDO, entry.id)
        words = title if plan.is_exact else tr("{title}, later changes kept", title=title)
        _write_step(crossing, EntryText(entry.stage, words, "asked for", about), changes, work)
    commit_steps(crossing)


def preview_undo(crossing: Crossing, id: int) -> UndoPlan:
    """What undoing a step would change now. Raises CannotUndo for an entry that wrote nothing."""
    entry = _undoable(crossing, id)
    assert entry.changes is not None
    return plan_undo(crossing.setup.project, crossing.store, entry.changes.inverse())


def preview_redo(crossing: Crossing, id: int) -> UndoPlan:
    """What repeating an undone step would change now. Raises CannotUndo where it was not undone."""
    entry = _entry(crossing, id)
    if not entry.can_redo or entry.changes is None:
        raise CannotUndo(tr("entry {id} was not undone", id=id))
    if _leg_of(crossing, id) != crossing.setup.leg:
        raise CannotUndo(tr("entry {id} belongs to another leg than the current one", id=id))
    return plan_undo(crossing.setup.project, crossing.store, entry.changes)


def preview_undo_plan(crossing: Crossing, id: int, what: Rewind) -> tuple[UndoPlan, list[str]]:
    """The changes that undo a step, repeat it, or return to before it; and the obstacles in words.

    Raises CannotUndo where nothing can be undone.
    """
    if what == "back to":
        return (plan := preview_back_to(crossing, id)), [_by_hand(item) for item in plan.obstacles]
    plan = preview_undo(crossing, id) if what == "undo" else preview_redo(crossing, id)
    return plan, obstacles_in_words(crossing, id, plan)


def preview_back_to(crossing: Crossing, id: int) -> UndoPlan:
    """Return the changes that a return to before entry `id` would make now; empty when the project is as it was then.

    Only edits made by hand can be obstacles, since all steps since then are undone. Raises MisuseError, StoreError.
    """
    _entry(crossing, id)
    changes = {entry.id: entry.changes for entry in crossing.logbook() if entry.changes is not None}
    steps = (
        changes[write.entry].inverse() if write.is_forward else changes[write.entry]
        for write in reversed(_writes_since(crossing, id))
    )
    return plan_return(crossing.setup.project, crossing.store, steps)


def steps_since(crossing: Crossing, id: int) -> int:
    """The number of steps that a return to before entry `id` undoes."""
    return len(_writes_since(crossing, id))


def _writes_since(crossing: Crossing, id: int) -> tuple[Write, ...]:
    subjects = {entry.id: entry.about for entry in crossing.logbook()}
    return writes_since(crossing.writes(), subjects, id)


@dataclass(frozen=True, slots=True)
class WentBack:
    """The result of a return: the number of steps it undid, and the files in which later edits by hand were kept."""

    steps: int
    kept: tuple[TreePath, ...]


def go_back_to(crossing: Crossing, id: int, work: Work) -> WentBack:
    """Restore the project as it was before entry `id` in one step, except for edits made by hand since.

    All or nothing. Raises CannotUndo with the edits that are obstacles, MisuseError, StoreError, Cancelled.
    """
    recover_interrupted(crossing)
    entry, steps = _entry(crossing, id), steps_since(crossing, id)
    plan = preview_back_to(crossing, id)
    if plan.obstacles:
        raise CannotUndo(
            _several(
                tr("going back to before “{title}” is not possible; nothing was changed", title=entry.title),
                map(_by_hand, plan.obstacles),
            ),
            tr("Put these files back as the last step left them, or save your edits elsewhere, and try again."),
        )
    work.progress(tr("comparing with the project of then"), 0, 0)
    kept = edits_since(crossing, id, plan, work.token)
    if steps:
        why = _several(tr("asked for; edits made by hand stayed in"), kept) if kept else "asked for"
        title = tr("went back to before “{title}”, {steps}", title=entry.title, steps=count(steps, "step"))
        write_step(crossing, EntryText(entry.stage, title, why, reversal(BACK, id)), plan.changes, work)
    _return_to_leg_of(crossing, id)
    work.progress("undone", 1, 1)
    return WentBack(steps, kept)


def edits_since(crossing: Crossing, id: int, plan: UndoPlan, token: CancelToken) -> tuple[TreePath, ...]:
    """The files that will differ from before entry `id` after `plan` was carried out: those edited by hand since.

    Edits from before the first step after that entry cannot be distinguished from the project of then, which was not recorded.
    Where its snapshot was deleted, only files that steps wrote are compared. Raises StoreError, Cancelled.
    """
    then, undone = _point(crossing, id)
    now = scan_tree(crossing.setup.project, then or EMPTY, Work(token=token))
    then = then or now
    coming = {item.path: item.after for item in plan.changes.changes}
    paths = {*coming, *undone, *(item.path for item in _changes(then, now).changes)}

    def differs(path: TreePath) -> bool:
        before = undone[path] if path in undone else then.entries.get(path)
        after = coming[path] if path in coming else now.entries.get(path)
        return before != after and any(
            side is not None and side.kind is not EntryKind.FOLDER for side in (before, after)
        )

    return tuple(sorted(path for path in paths if differs(path)))


def _point(crossing: Crossing, id: int) -> tuple[Manifest | None, dict[TreePath, TreeEntry | None]]:
    """The project before entry `id`: the next snapshot, with the files written between the two as they were before."""
    entries = {entry.id: entry for entry in crossing.logbook()}
    undone: dict[TreePath, TreeEntry | None] = {}
    for write in crossing.writes():
        entry = entries[write.entry]
        if write.latest < id or entry.changes is None:
            continue
        if write.is_forward and entry.id >= id:  # the first write of an entry, taken with its snapshot before it
            with contextlib.suppress(UnknownSnapshot):
                return crossing.store.manifest(entry.snapshot), undone
        changes = entry.changes if write.is_forward else entry.changes.inverse()
        for item in changes.changes:
            undone.setdefault(item.path, item.before)
    return None, undone


def obstacles_in_words(crossing: Crossing, id: int, plan: UndoPlan) -> list[str]:
    """One line for each obstacle: the path, the reason, and whether later steps or edits by hand caused it."""
    lines = []
    entries = {entry.id: entry for entry in crossing.logbook()}
    for obstacle in plan.obstacles:
        later, is_edited = _changed_since(crossing, entries, id, obstacle.path)
        by = [tr("by {later}", later=", ".join(f"“{title}”" for title in later))] if later else []
        if is_edited or not later:
            by.append(tr("outside Fernshale"))
        lines.append(f"{obstacle.path}: {obstacle.what} ({' and '.join(by)})")
    return lines


def _changed_since(
    crossing: Crossing, entries: Mapping[int, LogEntry], id: int, path: TreePath
) -> tuple[list[str], bool]:
    """The titles of later steps that changed a file, and whether it was also edited by hand between or after them."""
    left = next((item.after for item in (entries[id].changes or ChangeSet(())).changes if item.path == path), None)
    titles: list[str] = []
    is_edited = False
    for write in crossing.writes():
        entry = entries[write.entry]
        change = next((item for item in (entry.changes or ChangeSet(())).changes if item.path == path), None)
        if write.entry <= id or change is None:
            continue
        before, after = (change.before, change.after) if write.is_forward else (change.after, change.before)
        is_edited |= before != left
        left = after
        if entry.can_undo and entry.title not in titles:
            titles.append(entry.title)
    return titles, is_edited or entry_below(crossing.setup.project, path) != left


def _undoable(crossing: Crossing, id: int) -> LogEntry:
    entry = _entry(crossing, id)
    if not entry.can_undo or entry.changes is None:
        raise CannotUndo(tr("entry {id} wrote nothing that could be undone", id=id))
    return entry


def _refuse(crossing: Crossing, entry: LogEntry, plan: UndoPlan) -> None:
    if plan.obstacles:
        lines = obstacles_in_words(crossing, entry.id, plan)
        raise CannotUndo(
            _several(tr("“{title}” cannot be undone; nothing was changed", title=entry.title), lines),
            tr("Undo those steps first, or restore the lines by hand."),
        )
    if plan.changes.is_empty:
        raise CannotUndo(tr("nothing of “{title}” is left to change", title=entry.title))


def _several(head: str, lines: Iterable[str]) -> str:
    """A heading with the first lines below it, and the number of further lines."""
    lines = list(lines)
    more = [tr("and {number} more", number=len(lines) - _MAX_SHOWN)] if len(lines) > _MAX_SHOWN else []
    return "\n".join((f"{head}:", *lines[:_MAX_SHOWN], *more))


def _by_hand(obstacle: Obstacle) -> str:
    return tr("{path}: {what} (outside Fernshale)", path=obstacle.path, what=obstacle.what)


def _entry(crossing: Crossing, id: int) -> LogEntry:
    entry = next((item for item in crossing.logbook() if item.id == id), None)
    if entry is None:
        raise MisuseError(tr("the logbook has no entry {id}", id=id))
    return entry


def _write_entry_again(crossing: Crossing, entry: LogEntry, changes: ChangeSet, work: Work, *, is_undo: bool) -> None:
    """Apply `changes` of an entry; its state records the operation, so that `recover_interrupted` can finish it after a kill."""
    crossing.mark_entry(entry.id, "undoing" if is_undo else "redoing")
    try:
        apply_changes(crossing.setup.project, changes, crossing.store, crossing.journal, work.token)
    except FernshaleError:
        crossing.mark_entry(entry.id, entry.state)
        raise
    crossing.finish_entry(entry.id, is_forward=not is_undo)
    LOGGER.info("step %d %s", entry.id, "undone" if is_undo else "redone")
    after_writing(crossing, changes, work)


def leg_mark(leg: int) -> str:
    """The `about` of the entry that begins a leg."""
    return tr("leg {leg}", leg=leg)


def _leg_of(crossing: Crossing, entry: int) -> int:
    """The leg in which a logbook entry was written, by the last leg mark before it."""
    marks = {leg_mark(leg): leg for leg in range(len(crossing.setup.stops))}
    legs = [marks[item.about] for item in crossing.logbook() if item.id <= entry and item.about in marks]
    return legs[-1] if legs else 0


def _return_to_leg_of(crossing: Crossing, entry: int) -> None:
    """Make the leg of an undone entry the current one again, and delete the facts of later legs."""
    leg = _leg_of(crossing, entry)
    if leg < crossing.setup.leg:
        crossing.drop_leg_facts(leg)
        crossing.change_setup(replace(crossing.setup, leg=leg))
        setup = crossing.setup
        note(
            crossing,
            Stage.TRIAL,
            tr("back on leg {leg}: {before} → {to}", leg=leg + 1, before=setup.from_, to=setup.to),
            "",
            leg_mark(leg),
        )


def _is_in_effect(crossing: Crossing, changes: ChangeSet) -> bool:
    root = crossing.setup.project
    return all(entry_below(root, change.path) == change.after for change in changes.changes)


def restore_snapshot(crossing: Crossing, id: str, paths: tuple[str, ...], work: Work) -> int:
    """Restore the project, or `paths` of it, from a snapshot as a step; returns the entry's id, 0 when nothing differs."""
    then = crossing.store.manifest(id)
    now = scan_tree(crossing.setup.project, then, work)
    changes = _changes(now, then)
    if paths:
        changes = ChangeSet(tuple(item for item in changes.changes if any(under(item.path, path) for path in paths)))
    if changes.is_empty:
        return 0
    when = crossing.store.summary(id)
    title = tr("restored {files} from the snapshot “{note}”", files=count(len(changes.files), "file"), note=when.note)
    return write_step(crossing, EntryText(Stage.SURVEY, title, "asked for", "restore"), changes, work)
