"""Change sets for a project without a crossing: take a snapshot, apply, and name the snapshot to restore."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

from fernshale.core.base.data_folder import home
from fernshale.core.base.lock import Held, locked
from fernshale.core.base.texts import count, tr
from fernshale.core.base.work import Work
from fernshale.core.change.apply import apply_changes, recover
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.record.database import AnotherActs, EntryText, find_crossing
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.links.reference_index import Linkage, read_bytes
from fernshale.core.links.relink import replacements, rewrite
from fernshale.core.snapshot.store import Store, default_store


def write_changes(project: Path, changes: ChangeSet, stage: Stage, title: str, why: str, work: Work) -> str:
    """Apply `changes`, as a step of the crossing where there is one; returns how to go back, in words.

    Raises AnotherActs when another process is changing the project, ApplyFailed when nothing could be written.
    """
    crossing = find_crossing(project)
    if crossing is not None:
        with crossing.acting():
            entry = write_step(crossing, EntryText(stage, title, why), changes, work)
        return tr("entry {entry} of the logbook", entry=entry)
    store = Store(default_store())
    journal = home() / "journals" / f"{hashlib.sha256(os.fsencode(project.resolve())).hexdigest()[:16]}.json"
    journal.parent.mkdir(parents=True, exist_ok=True)
    try:
        with locked(journal.with_suffix(".lock")):
            recover(journal, store)
            snapshot = store.take(project, tr("before: {title}", title=title), work)
            apply_changes(project, changes, store, journal, work.token)
    except Held as error:
        raise AnotherActs(
            tr("another Fernshale ({holder}) is writing into {project}", holder=error.holder, project=project),
            tr("Wait for it to finish, then try again."),
        ) from error
    return tr("snapshot {id}", id=snapshot.id)


def write_links(tree: Path, linkage: Linkage, work: Work) -> str:
    """Write all high-confidence replacements of missing references as one change; returns how to go back, "" for no change."""
    chosen = [(item, candidate) for item in linkage.missing for candidate in item.automatic]
    draft = Draft(tree.resolve())
    for path, data in rewrite(
        linkage.now.index.rules, replacements(chosen), lambda path: read_bytes(tree, path)
    ).items():
        draft.write(path, data)
    changes = draft.change_set()
    if changes.is_empty:
        return ""
    title = tr(
        "{links} follow in {files}",
        links=count(len({item.id for item, _ in chosen}), "link"),
        files=count(len(changes.files), "file"),
    )
    return write_changes(tree, changes, Stage.LINKS, title, "asked for", work)
