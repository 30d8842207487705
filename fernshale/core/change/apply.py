"""Apply a change set completely or not at all, with a write-ahead journal.

Covered: a kill at any moment (the next `recover` rolls back, or finds the change complete), a full disk and refused writes (all new
contents are written and synced under temporary names before the first file is replaced; a later failure is rolled back from the
store), a folder that is replaced by a symbolic link at any moment (links are not followed), a file that differs from the preview
(nothing is written). The journal is written and synced before the first change and removed last; `recover` may be killed and run
again. Not covered: a program that writes into the same files at the same time.
"""

from __future__ import annotations

import contextlib
import errno
import json
import os
import stat
import uuid
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

from fernshale.core.base.disk import sync_folder, write_atomic, write_synced
from fernshale.core.base.errors import ChangedUnderneath, FernshaleError, ProjectError
from fernshale.core.base.handles import Below, is_blocked_by_link
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, joined, parents, tree_path
from fernshale.core.base.work import CancelToken
from fernshale.core.change.changeset import ChangeSet, FileChange
from fernshale.core.snapshot.manifest import EntryKind, TreeEntry
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import entry_in

# The temporary name under which a rollback writes a restored file.
_BACK = ".fernshale-back"


class ApplyFailed(FernshaleError):
    """The change set could not be written; the project is as it was before."""


class JournalUnfinished(FernshaleError):
    """An interrupted change could not be rolled back yet."""


def apply_changes(root: Path, changes: ChangeSet, store: Store, journal: Path, token: CancelToken) -> None:
    """Bring the tree at `root` from before to after.

    Raises ChangedUnderneath (nothing written), ApplyFailed (rolled back), Cancelled (before the first write),
    JournalUnfinished when `journal` is of an earlier change that was not recovered, or when this one could not be rolled back.
    """
    if journal.exists():
        raise JournalUnfinished(
            tr("an earlier change was interrupted: {journal}", journal=journal),
            tr("Open the project again to recover it."),
        )
    with _opened(root) as tree:
        differing = [change.path for change in changes.changes if not _is_now(tree, change.path, change.before)]
        if differing:
            raise ChangedUnderneath(differing)
        token.check()
        try:
            contents = {**_read_before(tree, changes, store), **changes.contents}
            store.put_all(contents.values())
            staged = _staging_places(tree, changes, uuid.uuid4().hex[:12])
            record = {
                "format": "fernshale-journal/1",
                "root": str(root),
                "staged": list(staged.values()),
                "changes": changes.to_json(),
            }
            write_atomic(journal, json.dumps(record).encode())
        except OSError as error:
            raise ApplyFailed(tr("nothing was written: {error}", error=_describe(error)), _hint(error)) from error
        try:
            _carry_out(tree, changes, store, staged)
        except OSError as error:
            try:
                _roll_back(tree, changes, store, staged.values())
                _finish(journal)
            except OSError as further:
                raise JournalUnfinished(
                    tr(
                        "the change failed ({error}) and cannot be rolled back yet: {further}",
                        error=_describe(error),
                        further=_describe(further),
                    ),
                    tr("Put that right and open the project again: it is rolled back then."),
                ) from further
            raise ApplyFailed(
                tr("the change was rolled back: {error}", error=_describe(error)), _hint(error)
            ) from error
        _finish(journal)


def recover(journal: Path, store: Store) -> str:
    """Complete or roll back an interrupted change. Returns "" if there was none, else "finished" or "rolled back".

    Raises JournalUnfinished when that is not possible now; it can be tried again.
    """
    if not journal.exists():
        return ""
    try:
        record = json.loads(journal.read_bytes())
        root, changes = Path(record["root"]), ChangeSet.from_json(record["changes"])
        staged = [tree_path(name) for name in record["staged"]]
    except (ValueError, KeyError, TypeError, RecursionError, ProjectError) as error:
        raise JournalUnfinished(
            tr("the journal {journal} is damaged: {error}", journal=journal, error=error)
        ) from error
    try:
        with Below(root) as tree:
            if all(_is_now(tree, change.path, change.after) for change in changes.changes):
                _remove_staged(tree, staged)
                outcome = "finished"
            else:
                _roll_back(tree, changes, store, staged)
                outcome = tr("rolled back")
            _finish(journal)
    except OSError as error:
        raise JournalUnfinished(
            tr("an interrupted change cannot be rolled back: {error}", error=_describe(error))
        ) from error
    return outcome


@contextlib.contextmanager
def _opened(root: Path) -> Iterator[Below]:
    try:
        tree = Below(root)
    except OSError as error:
        raise ApplyFailed(tr("nothing was written: {error}", error=_describe(error)), _hint(error)) from error
    with tree:
        yield tree


def _is_now(tree: Below, path: TreePath, wanted: TreeEntry | None) -> bool:
    """Return whether the path has this entry now; False if a parent folder is a link now."""
    try:
        return entry_in(tree, path) == wanted
    except OSError as error:
        if is_blocked_by_link(error):
            return False
        raise


def _read_before(tree: Below, changes: ChangeSet, store: Store) -> dict[str, bytes]:
    """Return the contents at the changed paths that the store does not have."""
    files = {
        item.before.content: item.path for item in changes.changes if item.before and item.before.kind is EntryKind.FILE
    }
    missing = {content: path for content, path in files.items() if not store.has_all_of(bytes.fromhex(content))}
    return {content: tree.read(path) for content, path in missing.items()}


def _staging_places(tree: Below, changes: ChangeSet, run: str) -> dict[TreePath, TreePath]:
    """Return the temporary place of each new content: next to its target, or in the nearest parent folder that stays.

    That is the same file system, so only renames remain once everything is written.
    """
    goes = {
        item.path
        for item in changes.changes
        if _is(item.before, EntryKind.FOLDER) and not _is(item.after, EntryKind.FOLDER)
    }
    places: dict[TreePath, TreePath] = {}
    for number, item in enumerate(changes.changes):
        if item.after is None or item.after.kind is EntryKind.FOLDER or not _differs_beyond_mode(item):
            continue
        staying = [up for up in parents(item.path) if up not in goes and _is_folder(tree, up)]
        # Short, since the file's own name may already have the maximum length.
        places[item.path] = joined(staying[-1] if staying else "", f".fernshale-{run}-{number}")
    return places


def _is_folder(tree: Below, path: TreePath) -> bool:
    status = tree.status(path)
    return status is not None and stat.S_ISDIR(status.st_mode)


def _carry_out(tree: Below, changes: ChangeSet, store: Store, staged: Mapping[TreePath, TreePath]) -> None:
    """Write all new contents under temporary names, then remove, then create folders, then rename."""
    touched: set[str] = set()
    after = {item.path: item.after for item in changes.changes}
    for path, place in staged.items():
        entry = after[path]
        assert entry is not None
        _stage(tree, place, entry, store)
        touched.add(_parent(place))
    for item in changes.changes:
        if item.before is None or item.before.kind is EntryKind.FOLDER or not (_is_nothing_or_folder(item.after)):
            continue
        with tree.parent(item.path) as (folder, name):
            os.unlink(name, dir_fd=folder)
        touched.add(_parent(item.path))
    for item in reversed(changes.changes):  # paths are sorted, so this visits deeper ones first
        if _is(item.before, EntryKind.FOLDER) and not _is(item.after, EntryKind.FOLDER):
            with tree.parent(item.path) as (folder, name):
                os.rmdir(name, dir_fd=folder)
            touched.add(_parent(item.path))
    for item in changes.changes:
        if item.after is None:
            continue
        with tree.parent(item.path) as (folder, name):
            if item.after.kind is EntryKind.FOLDER and not _is(item.before, EntryKind.FOLDER):
                os.mkdir(name, dir_fd=folder)
            if item.path in staged:
                with tree.parent(staged[item.path]) as (waiting, temporary):
                    os.rename(temporary, name, src_dir_fd=waiting, dst_dir_fd=folder)
            elif item.after.kind is not EntryKind.LINK:
                _change_mode(folder, name, item.after)
        touched.add(_parent(item.path))
    _sync(tree, touched)


def _roll_back(tree: Below, changes: ChangeSet, store: Store, staged: Iterable[TreePath]) -> None:
    """Restore each path to its state before; idempotent, so it can be killed and run again."""
    staged = list(staged)
    _remove_staged(tree, staged)
    touched = {_parent(place) for place in staged}
    wrong = [item for item in changes.changes if entry_in(tree, item.path) != item.before]
    for item in reversed(wrong):
        here = entry_in(tree, item.path)
        if here is None or (item.before is not None and item.before.kind is here.kind):
            continue
        with tree.parent(item.path) as (folder, name):
            if here.kind is EntryKind.FOLDER:
                # A stranger's file in a folder of ours stays, and the folder with it.
                with contextlib.suppress(OSError):
                    os.rmdir(name, dir_fd=folder)
            else:
                os.unlink(name, dir_fd=folder)
        touched.add(_parent(item.path))
    for item in wrong:
        if item.before is None:
            continue
        with tree.parent(item.path) as (folder, name):
            if item.before.kind is EntryKind.FOLDER:
                with contextlib.suppress(FileExistsError):
                    os.mkdir(name, dir_fd=folder)
                _change_mode(folder, name, item.before)
            else:
                with contextlib.suppress(FileNotFoundError):
                    os.unlink(_BACK, dir_fd=folder)
                _stage(tree, joined(_parent(item.path), _BACK), item.before, store)
                os.rename(_BACK, name, src_dir_fd=folder, dst_dir_fd=folder)
        touched.add(_parent(item.path))
    _sync(tree, touched)


def _remove_staged(tree: Below, staged: Iterable[TreePath]) -> None:
    for place in staged:
        # A killed rollback may have left its own temporary file next to it.
        for leftover in (place, joined(_parent(place), _BACK)):
            with (
                contextlib.suppress(FileNotFoundError, NotADirectoryError),
                tree.parent(leftover) as (folder, name),
            ):
                os.unlink(name, dir_fd=folder)


def _parent(path: str) -> str:
    return path.rpartition("/")[0]


def _change_mode(folder: int, name: str, entry: TreeEntry) -> None:
    """Set the mode of a file or folder without following links."""
    handle = os.open(name, os.O_PATH | os.O_NOFOLLOW | os.O_CLOEXEC, dir_fd=folder)
    try:
        if stat.S_ISLNK(os.fstat(handle).st_mode):
            raise OSError(errno.ELOOP, "is a symbolic link; its mode is not changed", name)
        Path(f"/proc/self/fd/{handle}").chmod(
            entry.mode
        )  # the only way to reach that very file without the right to read it
    finally:
        os.close(handle)


def _is_nothing_or_folder(entry: TreeEntry | None) -> bool:
    return entry is None or entry.kind is EntryKind.FOLDER


def _stage(tree: Below, path: TreePath, entry: TreeEntry, store: Store) -> None:
    with tree.parent(path) as (folder, name):
        if entry.kind is EntryKind.LINK:
            os.symlink(entry.content, name, dir_fd=folder)
        else:
            write_synced(name, store.get(entry.content), entry.mode, entry.attributes, folder=folder)


def _differs_beyond_mode(item: FileChange) -> bool:
    old, new = item.before, item.after
    return (
        old is None
        or new is None
        or old.kind is not new.kind
        or (old.content, old.attributes) != (new.content, new.attributes)
    )


def _is(entry: TreeEntry | None, kind: EntryKind) -> bool:
    return entry is not None and entry.kind is kind


def _sync(tree: Below, folders: Iterable[str]) -> None:
    for path in folders:
        with contextlib.suppress(FileNotFoundError, NotADirectoryError), tree.folder(path) as folder:
            os.fsync(folder)


def _finish(journal: Path) -> None:
    journal.unlink()
    sync_folder(journal.parent)


def _describe(error: OSError) -> str:
    where = f"{error.filename}: " if error.filename else ""
    return f"{where}{error.strerror or error}"


def _hint(error: OSError) -> str:
    hints = {
        errno.ENOSPC: tr("Make room on the disk and try again."),
        errno.EACCES: tr("Give yourself the right to write there and try again."),
        errno.EROFS: tr("The file system is mounted read-only."),
        errno.EDQUOT: tr("Your disk quota is used up."),
    }
    return hints.get(error.errno or 0, "")
