"""Collect the writes of a step without writing: reads return the draft's content, else the file on disk."""

from __future__ import annotations

import os
import stat
from dataclasses import replace
from pathlib import Path

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, on_disk, parents, tree_path
from fernshale.core.change.changeset import ChangeSet, FileChange
from fernshale.core.snapshot.manifest import EntryKind, TreeEntry, digest_of
from fernshale.core.snapshot.tree_walk import entry_below

_NEW_FILE, _NEW_FOLDER = 0o644, 0o755


class Draft:
    """New contents over the tree at `root`. `change_set` returns the differences from the disk."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self._after: dict[TreePath, TreeEntry | None] = {}
        self._contents: dict[str, bytes] = {}

    def read(self, path: str) -> bytes | None:
        """Return the content of the file at `path` in the draft; None if there is no file. Raises ProjectError."""
        place = tree_path(path)
        if place in self._after:
            entry = self._after[place]
            return self._contents[entry.content] if entry is not None and entry.kind is EntryKind.FILE else None
        target = on_disk(self.root, place)
        try:
            return target.read_bytes() if target.is_file() and not target.is_symlink() else None
        except OSError as error:
            raise ProjectError(
                tr("{target} cannot be read: {strerror}", target=target, strerror=error.strerror)
            ) from error

    def write(self, path: str, data: bytes, mode: int | None = None) -> None:
        """The file at `path` shall be `data`; without `mode` it keeps the one it has."""
        place = tree_path(path)
        if mode is None:
            here = self._after.get(place)
            mode = here.mode if here is not None and here.kind is EntryKind.FILE else self._mode_on_disk(place)
        digest = digest_of(data)
        self._contents[digest] = data
        self._after[place] = TreeEntry(EntryKind.FILE, mode, digest, len(data))

    def link(self, path: str, target: str) -> None:
        """Put a symbolic link at `path`."""
        self._after[tree_path(path)] = TreeEntry(EntryKind.LINK, 0, target)

    def delete(self, path: str) -> None:
        """Remove the file or link at `path`, and its folder if that is empty then."""
        self._after[tree_path(path)] = None

    def change_set(self) -> ChangeSet:
        """The difference to the disk as it is now. Raises ProjectError, OSError."""
        changes: dict[TreePath, FileChange] = {}

        def put(path: TreePath, after: TreeEntry | None) -> None:
            before = entry_below(self.root, path)
            if before is not None and after is not None and before.kind is after.kind:
                after = replace(after, attributes=before.attributes)
            if before != after:
                changes[path] = FileChange(path, before, after)

        for path, after in self._after.items():
            put(path, after)
        for path, after in self._after.items():
            for folder in parents(path):
                if after is not None:
                    here = self.root / folder
                    if not here.is_dir():
                        changes[folder] = FileChange(
                            folder, entry_below(self.root, folder), TreeEntry(EntryKind.FOLDER, _NEW_FOLDER)
                        )
        # Deepest first, so that a folder counts as empty once its last subfolder is removed.
        gone = {folder for path, after in self._after.items() if after is None for folder in parents(path)}
        for folder in sorted(gone, key=lambda item: -item.count("/")):
            if folder not in changes and self._is_emptied(folder, changes):
                put(folder, None)
        return ChangeSet(tuple(changes[path] for path in sorted(changes)), dict(self._contents))

    def _is_emptied(self, folder: TreePath, changes: dict[TreePath, FileChange]) -> bool:
        if any(after is not None and path.startswith(folder + "/") for path, after in self._after.items()):
            return False
        try:
            names = os.listdir(on_disk(self.root, folder))
        except (FileNotFoundError, NotADirectoryError):
            return False
        paths = (changes.get(TreePath(f"{folder}/{name}")) for name in names)
        return all(change is not None and change.after is None for change in paths)

    def _mode_on_disk(self, path: TreePath) -> int:
        target = on_disk(self.root, path)
        try:
            status = target.lstat()
        except (FileNotFoundError, NotADirectoryError):
            return _NEW_FILE
        return stat.S_IMODE(status.st_mode) if stat.S_ISREG(status.st_mode) else _NEW_FILE
