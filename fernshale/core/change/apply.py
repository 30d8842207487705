"""Apply a change set all or nothing, with a write-ahead journal.

Covered: a kill at any moment (the next `recover` rolls back to before, or finds it done), a full disk and refused
writes (everything new is written and synced under temporary names before the first file is replaced; what fails
then is rolled back from the store), a file that is not what the preview saw (nothing is written). The journal is
written and synced before the first change and removed last; `recover` may be killed and run again.
Not covered: a program that writes into the same files while this runs.
"""

from __future__ import annotations

import contextlib
import json
import os
import uuid
from collections.abc import Iterable
from pathlib import Path

from fernshale.core.base.disk import sync_folder, write_atomic, write_synced
from fernshale.core.base.errors import ChangedUnderneath, FernshaleError
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.base.work import CancelToken
from fernshale.core.change.model import ChangeSet, FileChange
from fernshale.core.snapshot.manifest import Entry, Kind, entry_at
from fernshale.core.snapshot.store import Store


class ApplyFailed(FernshaleError):
    """The change set could not be written; the project is as it was before."""


class JournalUnfinished(FernshaleError):
    """An interrupted change could not be rolled back yet."""


def apply_changes(root: Path, changes: ChangeSet, store: Store, journal: Path, token: CancelToken) -> None:
    """Bring the tree at `root` from before to after.

    Raises ChangedUnderneath (nothing written), ApplyFailed (rolled back), Cancelled (before the first write),
    JournalUnfinished when `journal` is of an earlier change that was not recovered.
    """
    if journal.exists():
        raise JournalUnfinished(
            f"an earlier change was interrupted: {journal}", "Open the project again to recover it."
        )
    differing = [change.path for change in changes.changes if entry_at(on_disk(root, change.path)) != change.before]
    if differing:
        raise ChangedUnderneath(differing)
    token.check()
    try:
        contents = {**_read_before(root, changes), **changes.contents}
        store.put_all(contents.values())
        run = uuid.uuid4().hex[:12]
        record = {"format": "fernshale-journal/1", "root": str(root), "run": run, "changes": changes.to_json()}
        write_atomic(journal, json.dumps(record).encode())
    except OSError as error:
        raise ApplyFailed(f"nothing was written: {_describe(error)}", _hint(error)) from error
    try:
        _carry_out(root, changes, store, run)
    except OSError as error:
        _roll_back(root, changes, store, run)
        _finish(journal)
        raise ApplyFailed(f"the change was rolled back: {_describe(error)}", _hint(error)) from error
    _finish(journal)


def recover(journal: Path, store: Store) -> str:
    """Settle what an interrupted change left: "" where there was none, else "finished" or "rolled back".

    Raises JournalUnfinished when that is not possible now; it can be tried again.
    """
    if not journal.exists():
        return ""
    try:
        record = json.loads(journal.read_bytes())
        root, run, changes = Path(record["root"]), record["run"], ChangeSet.from_json(record["changes"])
    except (ValueError, KeyError, TypeError) as error:
        raise JournalUnfinished(f"the journal {journal} is damaged: {error}") from error
    try:
        if all(entry_at(on_disk(root, change.path)) == change.after for change in changes.changes):
            _remove_staged(root, changes, run)
            outcome = "finished"
        else:
            _roll_back(root, changes, store, run)
            outcome = "rolled back"
        _finish(journal)
    except OSError as error:
        raise JournalUnfinished(f"an interrupted change cannot be rolled back: {_describe(error)}") from error
    return outcome


def _read_before(root: Path, changes: ChangeSet) -> dict[str, bytes]:
    files = [change for change in changes.changes if change.before is not None and change.before.kind is Kind.FILE]
    return {change.before.content: on_disk(root, change.path).read_bytes() for change in files if change.before}


def _carry_out(root: Path, changes: ChangeSet, store: Store, run: str) -> None:
    """Folders, then everything new under temporary names, then what goes, then the renames."""
    touched: set[Path] = set()
    blocked = [item for item in changes.changes if _is(item.before, Kind.FOLDER) and not _is(item.after, Kind.FOLDER)]
    inside = tuple(item.path + "/" for item in blocked)
    replaced = [item for item in changes.changes if _is(item.after, Kind.FOLDER) and not _is(item.before, Kind.FOLDER)]
    for item in sorted(replaced, key=lambda item: item.path):
        target = on_disk(root, item.path)
        if item.before is not None:
            target.unlink()
        target.mkdir()
        target.chmod(item.after.mode if item.after else 0o755)
        touched.add(target.parent)
    # A file that takes a folder's place is staged beside that folder, so it can wait until the folder has gone.
    for number, item in enumerate(changes.changes):
        if item.after is not None and item.after.kind is not Kind.FOLDER and _differs_beyond_mode(item):
            _stage(on_disk(root, item.path).with_name(_staged(run, number)), item.after, store)
    for item in changes.changes:
        goes = item.after is None and item.before is not None and item.before.kind is not Kind.FOLDER
        if goes or (item.path.startswith(inside) and not _is(item.before, Kind.FOLDER)):
            on_disk(root, item.path).unlink(missing_ok=True)
            touched.add(on_disk(root, item.path).parent)
    for item in sorted(blocked, key=lambda item: item.path, reverse=True):
        on_disk(root, item.path).rmdir()
        touched.add(on_disk(root, item.path).parent)
    for number, item in enumerate(changes.changes):
        target = on_disk(root, item.path)
        if item.after is None:
            continue
        if item.after.kind is not Kind.FOLDER and _differs_beyond_mode(item):
            os.rename(target.with_name(_staged(run, number)), target)
        elif item.after.kind is not Kind.LINK:
            target.chmod(item.after.mode)
        touched.add(target.parent)
    _sync(touched)


def _roll_back(root: Path, changes: ChangeSet, store: Store, run: str) -> None:
    """Make each path what it was before; idempotent, so it can itself be killed and run again."""
    _remove_staged(root, changes, run)
    touched: set[Path] = set()
    wrong = [item for item in changes.changes if entry_at(root / item.path) != item.before]
    for item in sorted(wrong, key=lambda item: item.path, reverse=True):
        here = entry_at(root / item.path)
        if here is None or (item.before is not None and item.before.kind is here.kind):
            continue
        target = root / item.path
        if here.kind is Kind.FOLDER:
            # A stranger's file in a folder of ours stays, and the folder with it.
            with contextlib.suppress(OSError):
                target.rmdir()
        else:
            target.unlink()
        touched.add(target.parent)
    for item in sorted(wrong, key=lambda item: item.path):
        if item.before is None:
            continue
        target = root / item.path
        if item.before.kind is Kind.FOLDER:
            target.mkdir(exist_ok=True)
            target.chmod(item.before.mode)
        else:
            temporary = target.with_name(f".fernshale-{run}-back")
            temporary.unlink(missing_ok=True)
            _stage(temporary, item.before, store)
            os.rename(temporary, target)
        touched.add(target.parent)
    _sync(touched)


def _remove_staged(root: Path, changes: ChangeSet, run: str) -> None:
    for number, item in enumerate(changes.changes):
        for name in (_staged(run, number), f".fernshale-{run}-back"):
            with contextlib.suppress(FileNotFoundError, NotADirectoryError):
                (root / item.path).with_name(name).unlink()


def _stage(path: Path, entry: Entry, store: Store) -> None:
    if entry.kind is Kind.LINK:
        os.symlink(entry.content, path)
    else:
        write_synced(path, store.get(entry.content), entry.mode)


def _staged(run: str, number: int) -> str:
    # Short whatever the file is called: a name may already be as long as the file system allows.
    return f".fernshale-{run}-{number}"


def _differs_beyond_mode(item: FileChange) -> bool:
    old, new = item.before, item.after
    return old is None or new is None or old.kind is not new.kind or old.content != new.content


def _is(entry: Entry | None, kind: Kind) -> bool:
    return entry is not None and entry.kind is kind


def _sync(folders: Iterable[Path]) -> None:
    for folder in folders:
        with contextlib.suppress(FileNotFoundError):
            sync_folder(folder)


def _finish(journal: Path) -> None:
    journal.unlink()
    sync_folder(journal.parent)


def _describe(error: OSError) -> str:
    where = f"{error.filename}: " if error.filename else ""
    return f"{where}{error.strerror or error}"


def _hint(error: OSError) -> str:
    import errno

    hints = {
        errno.ENOSPC: "Make room on the disk and try again.",
        errno.EACCES: "Give yourself the right to write there and try again.",
        errno.EROFS: "The file system is mounted read-only.",
        errno.EDQUOT: "Your disk quota is used up.",
    }
    return hints.get(error.errno or 0, "")


def paths_of(changes: ChangeSet) -> tuple[TreePath, ...]:
    """The paths a change set touches."""
    return tuple(change.path for change in changes.changes)
