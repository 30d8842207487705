"""Bring a snapshot, or some paths of it, back: exact, and never through a symbolic link out of the tree."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterable, Sequence
from pathlib import Path

from fernshale.core.base.disk import write_synced
from fernshale.core.base.errors import MisuseError, StoreError
from fernshale.core.base.treepath import TreePath, on_disk, parents, tree_path, under
from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.snapshot.manifest import Entry, Kind, Manifest, entry_at
from fernshale.core.snapshot.store import Store

_TEMPORARY = ".fernshale-restore-"


def restore(
    store: Store, manifest: Manifest, destination: Path, paths: Sequence[str], progress: Progress, token: CancelToken
) -> int:
    """Write the entries of `manifest` (all, or those at or below `paths`) under `destination`; how many.

    Without paths the destination must be new or empty. A file that stands there already is replaced atomically.
    It can be run again after it was stopped: what is there already and right is left alone.
    Raises MisuseError, StoreError (damaged content; what was written so far stays), OSError.
    """
    wanted = _wanted(manifest, paths)
    destination.mkdir(parents=True, exist_ok=True)
    if not paths and any(here not in manifest.entries for here in _standing(destination)):
        raise MisuseError(
            f"{destination} holds files that are not in the snapshot",
            "Restore into a new folder, or name the paths to bring back.",
        )
    folders = [path for path, entry in wanted.items() if entry.kind is Kind.FOLDER]
    for folder in sorted({*folders, *(up for path in wanted for up in parents(path))}):
        target = on_disk(destination, folder)
        if not target.is_dir():
            target.mkdir()
    _sweep(destination, wanted)
    things = [(path, entry) for path, entry in wanted.items() if entry.kind is not Kind.FOLDER]
    for number, (path, entry) in enumerate(things):
        token.check()
        progress("restoring", number, len(things))
        _restore_one(store, on_disk(destination, path), entry)
    # Modes last: a folder nobody may write into has to be filled first.
    for folder in sorted(folders, reverse=True):
        target, entry = on_disk(destination, folder), wanted[folder]
        target.chmod(entry.mode)
        os.utime(target, ns=(entry.mtime_ns, entry.mtime_ns))
    return len(wanted)


def _wanted(manifest: Manifest, paths: Sequence[str]) -> dict[TreePath, Entry]:
    if not paths:
        return dict(manifest.entries)
    wanted = {}
    for path in paths:
        inside = {at: entry for at, entry in manifest.entries.items() if under(at, tree_path(path.rstrip("/")))}
        if not inside:
            raise StoreError(f"the snapshot has nothing at {path}")
        wanted.update(inside)
    return wanted


def _standing(destination: Path) -> list[str]:
    found = []
    for folder, folders, files in os.walk(destination):
        names = (*folders, *(name for name in files if not name.startswith(_TEMPORARY)))
        found += [os.path.relpath(os.path.join(folder, name), destination) for name in names]
    return found


def _sweep(destination: Path, wanted: Iterable[TreePath]) -> None:
    """Remove what a killed restore left under a temporary name where this one is going to write."""
    for folder in {on_disk(destination, path).parent for path in wanted}:
        for leftover in folder.glob(_TEMPORARY + "*"):
            leftover.unlink(missing_ok=True)


def _restore_one(store: Store, target: Path, entry: Entry) -> None:
    if entry_at(target) != entry:
        temporary = target.with_name(f"{_TEMPORARY}{os.getpid()}")
        temporary.unlink(missing_ok=True)
        if entry.kind is Kind.LINK:
            os.symlink(entry.content, temporary)
        else:
            write_synced(temporary, store.get(entry.content), entry.mode)
        if target.is_dir() and not target.is_symlink():
            temporary.unlink()
            raise MisuseError(f"a folder stands where {target} is to be restored")
        os.rename(temporary, target)
    if entry.kind is Kind.FILE and stat.S_ISREG(target.lstat().st_mode):
        os.utime(target, ns=(entry.mtime_ns, entry.mtime_ns))
