"""Steps: snapshot, apply, write down; and the way back."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Literal

from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.treepath import is_gits_own, on_disk, under
from fernshale.core.base.words import count
from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.change.apply import apply_changes, recover
from fernshale.core.change.model import ChangeSet, changes_between
from fernshale.core.crossing.gitwork import commit_steps
from fernshale.core.crossing.matter import Decision, Stage
from fernshale.core.crossing.state import UNSETTLED, Crossing, Entry
from fernshale.core.crossing.wayback import WayBack, find_way_back
from fernshale.core.snapshot.manifest import Manifest
from fernshale.core.snapshot.store import UnknownSnapshot
from fernshale.core.snapshot.walk import entry_at, scan_tree

Rewind = Literal["undo", "redo", "back to"]


class CannotUndo(FernshaleError):
    """What stands in the way of undoing a step."""


def write_step(
    crossing: Crossing,
    stage: Stage,
    title: str,
    why: str,
    about: str,
    changes: ChangeSet,
    progress: Progress,
    token: CancelToken,
    decided: Sequence[Decision] = (),
) -> int:
    """Snapshot the project, apply `changes`, write the logbook entry; its id.

    `decided` are the decisions that the step carries out: they are kept with it, and with it undone they are due again.
    Raises what `apply_changes` raises; then nothing was written, into the logbook neither.
    """
    settle_interrupted(crossing)
    snapshot = ensure_snapshot(crossing, f"before: {title}", progress, token)
    id = crossing.write_entry(stage, title, why, about, snapshot, changes, "pending", decided)
    try:
        apply_changes(crossing.setup.project, changes, crossing.store, crossing.journal, token)
    except FernshaleError:
        crossing.drop_entry(id)
        raise
    crossing.mark_entry(id, "done")
    commit_steps(crossing)
    return id


def note(crossing: Crossing, stage: Stage, title: str, why: str, about: str) -> int:
    """A logbook entry for something that wrote nothing."""
    return crossing.write_entry(stage, title, why, about, "", None, "done")


@contextlib.contextmanager
def watching(
    crossing: Crossing, stage: Stage, title: str, why: str, progress: Progress, token: CancelToken
) -> Iterator[None]:
    """Around a foreign command: what it changes in the project becomes a step that can be undone."""
    settle_interrupted(crossing)
    snapshot = ensure_snapshot(crossing, f"before: {title}", progress, token)
    try:
        yield
    finally:
        # Also when the command failed or was cancelled: half of its work must not go unrecorded.
        before = crossing.store.manifest(snapshot)
        after = crossing.store.scan(crossing.setup.project, before, progress, CancelToken())
        changes = _changes(before, after)
        if not changes.is_empty:
            crossing.write_entry(stage, title, why, "", snapshot, changes, "done")
            commit_steps(crossing)


def ensure_snapshot(crossing: Crossing, note: str, progress: Progress, token: CancelToken) -> str:
    """The id of a snapshot of the project as it is: the latest one when nothing changed since, else a new one."""
    known = crossing.fact("snapshot")
    if known:
        with contextlib.suppress(UnknownSnapshot):
            before = crossing.store.manifest(known)
            now = scan_tree(crossing.setup.project, before, progress, token)
            if _changes(before, now).is_empty:
                return str(known)
    taken = crossing.store.take(crossing.setup.project, note, progress, token)
    crossing.keep_fact("snapshot", taken.id)
    return taken.id


def _changes(before: Manifest, after: Manifest) -> ChangeSet:
    """What differs, but for git's own folder: snapshots keep it, steps leave it alone."""
    changes = changes_between(before, after)
    return ChangeSet(tuple(item for item in changes.changes if not is_gits_own(item.path)))


def settle_interrupted(crossing: Crossing) -> str:
    """Settle a change a kill interrupted: "", "finished" or "rolled back". Safe to call at any time.

    The logbook follows the project: an entry says what is so, also where the kill came between the two.
    """
    outcome = recover(crossing.journal, crossing.store)
    for entry in crossing.logbook():
        if entry.state not in UNSETTLED or entry.changes is None:
            continue
        wanted = entry.changes.inverse() if entry.state == "undoing" else entry.changes
        written = outcome == "finished" or (outcome == "" and _stands(crossing, wanted))
        if entry.state == "pending" and not written:
            crossing.drop_entry(entry.id)
        else:
            crossing.mark_entry(entry.id, "done" if written == (entry.state != "undoing") else "undone")
    return outcome


def undo(crossing: Crossing, id: int, progress: Progress, token: CancelToken) -> None:
    """Undo one step, byte for byte; beside later changes of other lines it is a step of its own that takes it back.

    Raises CannotUndo with what stands in the way.
    """
    settle_interrupted(crossing)
    _carry_out(crossing, _undoable(crossing, id), preview_undo(crossing, id), progress, token, is_undo=True)
    _return_to_leg_of(crossing, id)
    progress("undone", 1, 1)


def redo(crossing: Crossing, id: int, progress: Progress, token: CancelToken) -> None:
    """Do a step again that was undone, byte for byte, or beside later changes of other lines as a step of its own.

    Raises CannotUndo with what stands in the way.
    """
    settle_interrupted(crossing)
    _carry_out(crossing, _entry(crossing, id), preview_redo(crossing, id), progress, token, is_undo=False)
    progress("done again", 1, 1)


def _carry_out(
    crossing: Crossing, entry: Entry, way: WayBack, progress: Progress, token: CancelToken, *, is_undo: bool
) -> None:
    meanwhile, after, word = ("undoing", "undone", "undo") if is_undo else ("redoing", "done", "redo")
    _refuse(crossing, entry, way)
    if way.is_exact:
        _carry_over(crossing, entry, way.changes, meanwhile, after, token)
    else:
        title = f"took back “{entry.title}”" if is_undo else f"did “{entry.title}” again"
        about = f"{word} {entry.id}"
        write_step(crossing, entry.stage, f"{title}, beside later changes", "asked for", about, way.changes, progress, token)
        crossing.mark_entry(entry.id, after)
    _follow(crossing, entry, was_undone=is_undo)
    commit_steps(crossing)


def preview_undo(crossing: Crossing, id: int) -> WayBack:
    """What undoing a step would change now. Raises CannotUndo for an entry that wrote nothing."""
    entry = _undoable(crossing, id)
    assert entry.changes is not None
    return find_way_back(crossing.setup.project, crossing.store, entry.changes.inverse())


def preview_redo(crossing: Crossing, id: int) -> WayBack:
    """What doing an undone step again would change now. Raises CannotUndo where it was not undone."""
    entry = _entry(crossing, id)
    if not entry.can_redo or entry.changes is None:
        raise CannotUndo(f"entry {id} was not undone")
    if _leg_of(crossing, id) != crossing.setup.leg:
        raise CannotUndo(f"entry {id} belongs to another leg than the one in hand")
    return find_way_back(crossing.setup.project, crossing.store, entry.changes)


def preview_undo_back_to(crossing: Crossing, id: int) -> WayBack:
    """What undoing a step and every later one would change now, all in all. Raises CannotUndo where there is none."""
    steps = steps_back_to(crossing, id)
    if not steps:
        raise CannotUndo(f"no step from entry {id} on wrote anything that could be undone")
    whole = ChangeSet.joined(entry.changes for entry in reversed(steps) if entry.changes is not None)
    return find_way_back(crossing.setup.project, crossing.store, whole.inverse())


def preview_way(crossing: Crossing, id: int, what: Rewind) -> tuple[WayBack, list[str]]:
    """What it would change to undo a step, to do it again, or to undo it and every later one; and in words what stands in the
    way. Raises CannotUndo where there is nothing to be done."""
    if what == "back to":
        # What lies behind the last step that is undone can stand in the way, the steps themselves do not.
        return (way := preview_undo_back_to(crossing, id)), obstacles_in_words(crossing, steps_back_to(crossing, id)[0].id, way)
    way = preview_undo(crossing, id) if what == "undo" else preview_redo(crossing, id)
    return way, obstacles_in_words(crossing, id, way)


def steps_back_to(crossing: Crossing, id: int) -> list[Entry]:
    """The steps from entry `id` on that can be undone, the latest first."""
    return [entry for entry in reversed(crossing.logbook()) if entry.id >= id and entry.can_undo]


def obstacles_in_words(crossing: Crossing, id: int, way: WayBack) -> list[str]:
    """Of each obstacle: the path, what stands in the way, and which steps put it there."""
    lines = []
    for obstacle in way.obstacles:
        later = [
            item.title
            for item in crossing.logbook()
            if item.id > id and item.can_undo and _touches(item, obstacle.path)
        ]
        by = "by " + ", ".join(f"“{title}”" for title in later) if later else "outside Fernshale"
        lines.append(f"{obstacle.path}: {obstacle.what} ({by})")
    return lines


def _follow(crossing: Crossing, entry: Entry, *, was_undone: bool) -> None:
    """A step that took another one back, or did it again, was undone or done again: so the other one changes too."""
    what, _, id = entry.about.partition(" ")
    if what in ("undo", "redo") and id.isdigit():
        crossing.mark_entry(int(id), "done" if was_undone == (what == "undo") else "undone")


def _undoable(crossing: Crossing, id: int) -> Entry:
    entry = _entry(crossing, id)
    if not entry.can_undo or entry.changes is None:
        raise CannotUndo(f"entry {id} wrote nothing that could be undone")
    return entry


def _refuse(crossing: Crossing, entry: Entry, way: WayBack) -> None:
    if way.obstacles:
        lines = obstacles_in_words(crossing, entry.id, way)
        more = f"\nand {len(lines) - 8} more" if len(lines) > 8 else ""
        words = "\n".join(lines[:8])
        raise CannotUndo(
            f"“{entry.title}” cannot be carried over; nothing was changed:\n{words}{more}",
            "Undo those steps first, or take the lines back by hand.",
        )
    if way.changes.is_empty:
        raise CannotUndo(f"nothing of “{entry.title}” is left to change")


def _entry(crossing: Crossing, id: int) -> Entry:
    entry = next((item for item in crossing.logbook() if item.id == id), None)
    if entry is None:
        raise MisuseError(f"the logbook has no entry {id}")
    return entry


def _carry_over(
    crossing: Crossing, entry: Entry, changes: ChangeSet, meanwhile: str, after: str, token: CancelToken
) -> None:
    """Apply `changes` of an entry; its state says what is going on, so that a kill in between can be settled."""
    crossing.mark_entry(entry.id, meanwhile)
    try:
        apply_changes(crossing.setup.project, changes, crossing.store, crossing.journal, token)
    except FernshaleError:
        crossing.mark_entry(entry.id, entry.state)
        raise
    crossing.mark_entry(entry.id, after)


def undo_back_to(crossing: Crossing, id: int, progress: Progress, token: CancelToken) -> int:
    """Undo entry `id` and every later step, the latest first; how many."""
    steps = steps_back_to(crossing, id)
    for number, entry in enumerate(steps):
        progress(f"undoing {entry.title}", number, len(steps))
        undo(crossing, entry.id, progress, token)
    return len(steps)


def leg_mark(leg: int) -> str:
    """What an entry is `about` after which the crossing is on that leg."""
    return f"leg {leg}"


def _leg_of(crossing: Crossing, entry: int) -> int:
    """The leg in which a logbook entry was written: what the last mark before it says."""
    marks = {leg_mark(leg): leg for leg in range(len(crossing.setup.stops))}
    legs = [marks[item.about] for item in crossing.logbook() if item.id <= entry and item.about in marks]
    return legs[-1] if legs else 0


def _return_to_leg_of(crossing: Crossing, entry: int) -> None:
    """Be on the leg in which a logbook entry was written, once it is undone; what came behind it begins anew."""
    leg = _leg_of(crossing, entry)
    if leg < crossing.setup.leg:
        crossing.drop_leg_facts(leg)
        crossing.change_setup(replace(crossing.setup, leg=leg))
        setup = crossing.setup
        note(crossing, Stage.TRIAL, f"back on leg {leg + 1}: {setup.from_} → {setup.to}", "", leg_mark(leg))


def _stands(crossing: Crossing, changes: ChangeSet) -> bool:
    root = crossing.setup.project
    return all(entry_at(on_disk(root, change.path)) == change.after for change in changes.changes)


def _touches(entry: Entry, path: str) -> bool:
    return entry.changes is not None and any(change.path == path for change in entry.changes.changes)


def restore_snapshot(
    crossing: Crossing, id: str, paths: tuple[str, ...], progress: Progress, token: CancelToken
) -> int:
    """Make the project (or `paths` of it) what it was in a snapshot, as a step; the entry's id, 0 when it is so already."""
    then = crossing.store.manifest(id)
    now = scan_tree(crossing.setup.project, then, progress, token)
    changes = _changes(now, then)
    if paths:
        changes = ChangeSet(tuple(item for item in changes.changes if any(under(item.path, path) for path in paths)))
    if changes.is_empty:
        return 0
    when = crossing.store.summary(id)
    title = f"restored {count(len(changes.files), 'file')} from the snapshot “{when.note}”"
    return write_step(crossing, Stage.SURVEY, title, "asked for", "restore", changes, progress, token)
