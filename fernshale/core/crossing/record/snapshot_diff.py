"""The differences between two snapshots, in more detail than paths."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import GITS_OWN, TreePath, is_gits_own, on_disk
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.changeset import FileChange
from fernshale.core.change.preview import EntryReader as ReadEntry
from fernshale.core.merge.moved_files import find_moves
from fernshale.core.snapshot.manifest import EntryKind, Manifest, TreeEntry
from fernshale.core.snapshot.manifest_diff import compare
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import scan_tree
from fernshale.core.survey.release_index import plain_content

SnapshotReader = Callable[[TreePath], bytes]


@dataclass(frozen=True, slots=True)
class Differences:
    """The differences, in path order; each path is in one of `added`, `removed`, `changed` and `moved` (before, after).

    `mode_only` and `line_ends_only` are those of `changed` in which nothing else differs (line ends, encoding, byte order
    mark); `moved_edited` are those of `moved` whose content changed, too.
    """

    added: tuple[TreePath, ...]
    removed: tuple[TreePath, ...]
    changed: tuple[TreePath, ...]
    moved: tuple[tuple[TreePath, TreePath], ...]
    mode_only: tuple[TreePath, ...]
    line_ends_only: tuple[TreePath, ...]
    moved_edited: tuple[tuple[TreePath, TreePath], ...]

    def listed(self, before: Manifest, after: Manifest) -> list[tuple[str, FileChange]]:
        """Each difference as (a word or two, change); the change of a moved file is that of its content."""
        finer = dict.fromkeys(self.mode_only, tr("mode only")) | dict.fromkeys(
            self.line_ends_only, tr("line ends only")
        )
        rows = [(tr("new"), FileChange(path, None, after.entry(path))) for path in self.added]
        rows += [(tr("gone"), FileChange(path, before.entry(path), None)) for path in self.removed]
        rows += [
            (finer.get(path, "changed"), FileChange(path, before.entry(path), after.entry(path)))
            for path in self.changed
        ]
        for old, new in self.moved:
            words = tr("moved from {old}", old=old) + (tr(", edited") if (old, new) in self.moved_edited else "")
            rows.append((words, FileChange(new, before.entry(old), after.entry(new))))
        return sorted(rows, key=lambda row: row[1].path)


@dataclass(frozen=True, slots=True)
class SnapshotSides:
    """Two states of a project compared: the differences, each as a change, and how to read the contents of either."""

    differences: Differences
    listed: list[tuple[str, FileChange]]
    before: ReadEntry
    after: ReadEntry


def compare_sides(store: Store, project: Path, before: str, after: str, token: CancelToken) -> SnapshotSides:
    """Two snapshots of a project, or one and the current project ("").

    Without git's own folder, which steps never change. Raises UnknownSnapshot, StoreError, Cancelled.
    """
    old = _without_history(store.manifest(before))
    if after:
        new = _without_history(store.manifest(after))
    else:
        new = scan_tree(project, old, Work(token=token), without=GITS_OWN)
    places = {} if after else {entry.content: path for path, entry in new.files.items()}

    def read_before(entry: TreeEntry) -> bytes:
        return store.get(entry.content)

    def read_after(entry: TreeEntry) -> bytes:
        return on_disk(project, places[entry.content]).read_bytes() if places else store.get(entry.content)

    found = find_differences(
        old, new, lambda path: read_before(old.entries[path]), lambda path: read_after(new.entries[path]), token
    )
    return SnapshotSides(found, found.listed(old, new), read_before, read_after)


def _without_history(manifest: Manifest) -> Manifest:
    folders = {path: folder for path, folder in manifest.folders.items() if not is_gits_own(path)}
    return Manifest(folders, manifest.reported, manifest.taken_ns)


def compare_snapshots(store: Store, before: str, after: str, token: CancelToken) -> Differences:
    """Two snapshots by id. Raises UnknownSnapshot, Cancelled; a damaged content only makes the answer coarser."""
    old, new = store.manifest(before), store.manifest(after)
    return find_differences(old, new, _from_store(store, old), _from_store(store, new), token)


def find_differences(
    before: Manifest, after: Manifest, read_before: SnapshotReader, read_after: SnapshotReader, token: CancelToken
) -> Differences:
    """The changes that turn `before` into `after`. Contents are read only of files that may have moved or changed their text
    style."""
    plain = compare(before, after)
    gone = [(path, before.entries[path]) for path in plain.removed if before.entries[path].kind is EntryKind.FILE]
    come = [(path, after.entries[path]) for path in plain.added if after.entries[path].kind is EntryKind.FILE]
    edited = find_moves(gone, come, read_before, read_after, token)
    sources, targets = set(edited), set(edited.values())
    pairs = [(before.entries[path], after.entries[path], path) for path in plain.changed]
    modes = [path for old, new, path in pairs if _is_same_content(old, new)]
    respelled = []
    for old, new, path in pairs:
        token.check()
        if (
            path not in modes
            and old.kind is new.kind is EntryKind.FILE
            and _is_respelled(read_before(path), read_after(path))
        ):
            respelled.append(path)
    moved_edited = tuple(sorted(edited.items()))
    return Differences(
        tuple(path for path in plain.added if path not in targets),
        tuple(path for path in plain.removed if path not in sources),
        plain.changed,
        tuple(sorted((*plain.moved, *moved_edited))),
        tuple(modes),
        tuple(respelled),
        moved_edited,
    )


def _is_same_content(old: TreeEntry, new: TreeEntry) -> bool:
    return (old.kind, old.content) == (new.kind, new.content)


def _is_respelled(old: bytes, new: bytes) -> bool:
    return old != new and bool(old) and plain_content(old) == plain_content(new)


def _from_store(store: Store, manifest: Manifest) -> SnapshotReader:
    def read(path: TreePath) -> bytes:
        try:
            return store.get(manifest.entries[path].content)
        except FernshaleError:
            return b""

    return read
