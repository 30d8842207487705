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
from collections.abc import Iterable, Mapping
from pathlib import Path

from fernshale.core.base.disk import sync_folder, write_atomic, write_synced
from fernshale.core.base.errors import ChangedUnderneath, FernshaleError, ProjectError
from fernshale.core.base.treepath import TreePath, on_disk, parents, tree_path
from fernshale.core.base.work import CancelToken
from fernshale.core.change.model import ChangeSet, FileChange
from fernshale.core.snapshot.manifest import Entry, Kind
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.walk import entry_at

# The name under which a rollback writes what it brings back.
_BACK = ".fernshale-back"


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
        contents = {**_read_before(root, changes, store), **changes.contents}
        store.put_all(contents.values())
        staged = _staging_places(root, changes, uuid.uuid4().hex[:12])
        names = [str(place.relative_to(root)) for place in staged.values()]
        record = {"format": "fernshale-journal/1", "root": str(root), "staged": names, "changes": changes.to_json()}
        write_atomic(journal, json.dumps(record).encode())
    except OSError as error:
        raise ApplyFailed(f"nothing was written: {_describe(error)}", _hint(error)) from error
    try:
        _carry_out(root, changes, store, staged)
    except OSError as error:
        _roll_back(root, changes, store, staged.values())
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
        root, changes = Path(record["root"]), ChangeSet.from_json(record["changes"])
        staged = [on_disk(root, tree_path(name)) for name in record["staged"]]
    except (ValueError, KeyError, TypeError, ProjectError) as error:
        raise JournalUnfinished(f"the journal {journal} is damaged: {error}") from error
    try:
        if all(entry_at(on_disk(root, change.path)) == change.after for change in changes.changes):
            _remove_staged(staged)
            outcome = "finished"
        else:
            _roll_back(root, changes, store, staged)
            outcome = "rolled back"
        _finish(journal)
    except OSError as error:
        raise JournalUnfinished(f"an interrupted change cannot be rolled back: {_describe(error)}") from error
    return outcome


def _read_before(root: Path, changes: ChangeSet, store: Store) -> dict[str, bytes]:
    """What the store does not have of what stands there now."""
    files = {
        item.before.content: item.path for item in changes.changes if item.before and item.before.kind is Kind.FILE
    }
    missing = {content: path for content, path in files.items() if not store.has_all_of(bytes.fromhex(content))}
    return {content: on_disk(root, path).read_bytes() for content, path in missing.items()}


def _staging_places(root: Path, changes: ChangeSet, run: str) -> dict[TreePath, Path]:
    """Where each new content waits for its turn: beside its target, or in the nearest folder above that stays.

    The same file system, so that a rename is all that is left to do once everything is written.
    """
    goes = {item.path for item in changes.changes if _is(item.before, Kind.FOLDER) and not _is(item.after, Kind.FOLDER)}
    places: dict[TreePath, Path] = {}
    for number, item in enumerate(changes.changes):
        if item.after is None or item.after.kind is Kind.FOLDER or not _differs_beyond_mode(item):
            continue
        staying = [up for up in parents(item.path) if up not in goes and on_disk(root, up).is_dir()]
        folder = root / staying[-1] if staying else root
        # Short whatever the file is called: a name may already be as long as the file system allows.
        places[item.path] = folder / f".fernshale-{run}-{number}"
    return places


def _carry_out(root: Path, changes: ChangeSet, store: Store, staged: Mapping[TreePath, Path]) -> None:
    """Everything new under temporary names; then what goes; then folders; then the renames."""
    touched: set[Path] = set()
    after = {item.path: item.after for item in changes.changes}
    for path, place in staged.items():
        entry = after[path]
        assert entry is not None
        _stage(place, entry, store)
        touched.add(place.parent)
    for item in changes.changes:
        if item.before is None or item.before.kind is Kind.FOLDER or not (_is_nothing_or_folder(item.after)):
            continue
        on_disk(root, item.path).unlink()
        touched.add(on_disk(root, item.path).parent)
    for item in reversed(changes.changes):  # paths are in order, so what lies deeper comes first here
        if _is(item.before, Kind.FOLDER) and not _is(item.after, Kind.FOLDER):
            on_disk(root, item.path).rmdir()
            touched.add(on_disk(root, item.path).parent)
    for item in changes.changes:
        target = on_disk(root, item.path)
        if item.after is None:
            continue
        if item.after.kind is Kind.FOLDER and not _is(item.before, Kind.FOLDER):
            target.mkdir()
        if item.path in staged:
            os.rename(staged[item.path], target)
        elif item.after.kind is not Kind.LINK:
            target.chmod(item.after.mode)
        touched.add(target.parent)
    _sync(touched)


def _roll_back(root: Path, changes: ChangeSet, store: Store, staged: Iterable[Path]) -> None:
    """Make each path what it was before; idempotent, so it can itself be killed and run again."""
    staged = list(staged)
    _remove_staged(staged)
    touched = {place.parent for place in staged}
    wrong = [item for item in changes.changes if entry_at(root / item.path) != item.before]
    for item in reversed(wrong):
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
    for item in wrong:
        if item.before is None:
            continue
        target = root / item.path
        if item.before.kind is Kind.FOLDER:
            target.mkdir(exist_ok=True)
            target.chmod(item.before.mode)
        else:
            temporary = target.with_name(_BACK)
            temporary.unlink(missing_ok=True)
            _stage(temporary, item.before, store)
            os.rename(temporary, target)
        touched.add(target.parent)
    _sync(touched)


def _remove_staged(staged: Iterable[Path]) -> None:
    for place in staged:
        # A killed rollback may have left its own temporary file beside it.
        for leftover in (place, place.with_name(_BACK)):
            with contextlib.suppress(FileNotFoundError, NotADirectoryError):
                leftover.unlink()


def _is_nothing_or_folder(entry: Entry | None) -> bool:
    return entry is None or entry.kind is Kind.FOLDER


def _stage(path: Path, entry: Entry, store: Store) -> None:
    if entry.kind is Kind.LINK:
        os.symlink(entry.content, path)
    else:
        write_synced(path, store.get(entry.content), entry.mode, entry.attributes)


def _differs_beyond_mode(item: FileChange) -> bool:
    old, new = item.before, item.after
    return (
        old is None
        or new is None
        or old.kind is not new.kind
        or (old.content, old.attributes) != (new.content, new.attributes)
    )


def _is(entry: Entry | None, kind: Kind) -> bool:
    return entry is not None and entry.kind is kind


def _sync(folders: Iterable[Path]) -> None:
    for folder in folders:
        with contextlib.suppress(FileNotFoundError, NotADirectoryError):
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
