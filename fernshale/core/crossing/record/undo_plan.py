"""What undoing or repeating a step would change now, line by line where files changed later."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.change.changeset import ChangeSet, FileChange
from fernshale.core.change.preview import EntryReader
from fernshale.core.merge.text_merge import merge_text, result_text
from fernshale.core.snapshot.manifest import EntryKind, TreeEntry, digest_of
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import entry_below


@dataclass(frozen=True, slots=True)
class Obstacle:
    """Why one path cannot be restored: `what` in words, with its lines where lines are the obstacle."""

    path: TreePath
    what: str


@dataclass(frozen=True, slots=True)
class UndoPlan:
    """The changes that restore a project. While there are obstacles, it is not carried out.

    The `contents` of the changes are those that were merged; the store has the others. `is_exact`: the changes are exactly
    those of the step, reversed; else later changes are kept.
    """

    changes: ChangeSet
    obstacles: tuple[Obstacle, ...]
    is_exact: bool


def sides_of(root: Path, store: Store, changes: ChangeSet) -> tuple[EntryReader, EntryReader]:
    """How to read the current contents, and those after some changes."""
    places = {item.before.content: item.path for item in changes.changes if item.before is not None}

    def after(entry: TreeEntry) -> bytes:
        return changes.contents[entry.content] if entry.content in changes.contents else store.get(entry.content)

    return lambda entry: on_disk(root, places[entry.content]).read_bytes(), after


def plan_undo(root: Path, store: Store, wanted: ChangeSet) -> UndoPlan:
    """The changes that return each path of `wanted` from its state after to its state before, wherever the file is now.

    A file that changed since is merged: the base is the result of the step, the two sides are the current file and the file to
    restore. So edits of other lines are kept, and edits of the same lines are obstacles. Raises StoreError, OSError.
    """
    return plan_return(root, store, (wanted,))


def plan_return(root: Path, store: Store, steps: Iterable[ChangeSet]) -> UndoPlan:
    """Like `plan_undo`, for several change sets carried out one after the other, as one. Raises StoreError, OSError.

    Each is merged with the result of those before it, so an edit by hand between two steps is kept as well.
    """
    tree = _Tree(root, store)
    obstacles: dict[TreePath, Obstacle] = {}
    is_exact = True
    for wanted in steps:
        is_exact &= _reverse(tree, wanted, obstacles)
    return UndoPlan(tree.change_set(), tuple(obstacles.values()), is_exact)


class _Tree:
    """The project as it will be: changes that nothing has written yet, over the files on disk."""

    def __init__(self, root: Path, store: Store) -> None:
        self.root, self.store = root, store
        self.contents: dict[str, bytes] = {}
        self._after: dict[TreePath, TreeEntry | None] = {}

    def entry(self, path: TreePath) -> TreeEntry | None:
        return self._after[path] if path in self._after else entry_below(self.root, path)

    def read(self, path: TreePath) -> bytes:
        """The content of the file at `path`. Raises StoreError, OSError."""
        entry = self._after.get(path)
        if entry is None:
            return on_disk(self.root, path).read_bytes()
        return self.contents[entry.content] if entry.content in self.contents else self.store.get(entry.content)

    def put(self, changes: Iterable[FileChange]) -> None:
        self._after.update((item.path, item.after) for item in changes)

    def is_emptied(self, folder: TreePath, going: set[TreePath]) -> bool:
        """Whether nothing is left in a folder once the paths in `going` are removed."""
        try:
            names = {TreePath(f"{folder}/{name}") for name in os.listdir(on_disk(self.root, folder))}
        except (FileNotFoundError, NotADirectoryError):
            names = set()
        names |= {path for path in self._after if path.rpartition("/")[0] == folder}
        return all(path in going or self.entry(path) is None for path in names)

    def change_set(self) -> ChangeSet:
        pairs = ((path, entry_below(self.root, path), after) for path, after in sorted(self._after.items()))
        changes = tuple(FileChange(path, before, after) for path, before, after in pairs if before != after)
        written = {item.after.content for item in changes if item.after is not None}
        return ChangeSet(changes, {digest: data for digest, data in self.contents.items() if digest in written})


def _reverse(tree: _Tree, wanted: ChangeSet, obstacles: dict[TreePath, Obstacle]) -> bool:
    """Put the changes for each path of `wanted` into `tree`; returns whether they are exactly the reverse of the step."""
    found: list[FileChange] = []
    is_exact = True
    going = {item.path for item in wanted.changes if item.after is None}
    for item in wanted.changes:
        now = tree.entry(item.path)
        if now == item.before:
            found.append(item)
            continue
        is_exact = False
        if now == item.after:
            continue
        merged = _with_later_edits(tree, item, now)
        if isinstance(merged, str):
            obstacles.setdefault(item.path, Obstacle(item.path, merged))
        elif merged is not None:
            after, data = merged
            if data is not None:
                tree.contents[after.content] = data
            found.append(FileChange(item.path, now, after))
    # A folder that other files were added to stays; removing one folder may make room for another.
    kept = [item for item in found if _is_folder_going(item) and not tree.is_emptied(item.path, going)]
    tree.put(item for item in found if item not in kept and item.before != item.after)
    return is_exact and not kept


def _with_later_edits(
    tree: _Tree, item: FileChange, now: TreeEntry | None
) -> tuple[TreeEntry, bytes | None] | str | None:
    """The file with only the step's own lines restored, and its content unless the store has it.

    None when nothing is left to restore; or the obstacle, in words.
    """
    before, after = item.before, item.after
    if before is None or before.kind is EntryKind.FOLDER:
        nothing_to_do = after is None or (
            after.kind is EntryKind.FOLDER and (now is None or now.kind is EntryKind.FOLDER)
        )
        return None if nothing_to_do else tr("another file has that place now")
    if now is None:
        return tr("removed since")
    if after is None:
        return tr("edited since; this would remove it")
    if not before.kind is after.kind is now.kind is EntryKind.FILE:
        return tr("another file has that place now")
    mode = after.mode if now.mode == before.mode else now.mode
    if now.content == before.content:
        return TreeEntry(EntryKind.FILE, mode, after.content, after.size, attributes=now.attributes), None
    here = tree.read(item.path)
    if after.content == before.content:
        return TreeEntry(EntryKind.FILE, mode, now.content, now.size, attributes=now.attributes), here
    base, mine, back = (
        read_text(data) for data in (tree.store.get(before.content), here, tree.store.get(after.content))
    )
    if base is None or mine is None or back is None:
        return tr("changed since, and not text")
    lines, merged = _merged(base, mine, back)
    if merged is None:
        return lines
    data = merged.encode()
    return TreeEntry(EntryKind.FILE, mode, digest_of(data), len(data), attributes=now.attributes), data


def _merged(base: TextFile, mine: TextFile, back: TextFile) -> tuple[str, TextFile | None]:
    merge = merge_text(base, mine, back)
    spots = [_lines(item.mine) for item in merge.decisions]
    if spots:
        return tr("{spots} changed since", spots=", ".join(spots)), None
    return "", result_text(merge, {}, "nothing")


def _lines(span: tuple[int, int]) -> str:
    start, end = span
    if end - start > 1:
        return tr("lines {start}–{end}", start=start + 1, end=end)
    return tr("line {start}", start=start + 1) if end > start else tr("lines at {start}, now removed,", start=start + 1)


def _is_folder_going(item: FileChange) -> bool:
    return item.before is not None and item.before.kind is EntryKind.FOLDER and item.after is None
