"""The result of a folder merge for given choices: the entry at each path."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from fernshale.core.base.disk import sync_file_system, write_all
from fernshale.core.base.treepath import TreePath, parents
from fernshale.core.merge.folder_merge import FileMerge, FolderMerge, FolderSide
from fernshale.core.merge.text_merge import Conflict, Resolution, Undecided
from fernshale.core.snapshot.manifest import EntryKind, TreeEntry, digest_of


@dataclass(frozen=True, slots=True)
class Result:
    """The entry at each path. `woven` are contents that no side has; others are read from their side on demand."""

    entries: Mapping[TreePath, TreeEntry]
    woven: Mapping[TreePath, bytes] = field(default_factory=dict)
    taken: Mapping[TreePath, tuple[FolderSide, TreePath]] = field(default_factory=dict)

    def read(self, path: TreePath) -> bytes:
        """The content of the file at `path`."""
        if path in self.woven:
            return self.woven[path]
        side, at = self.taken[path]
        return side.read(at)


def build_result(merge: FolderMerge, choices: Mapping[str, Resolution], undecided: Undecided) -> Result:
    """Return the merged folder. Undecided places keep the user's version, or get markers if requested."""
    entries: dict[TreePath, TreeEntry] = {}
    woven: dict[TreePath, bytes] = {}
    taken: dict[TreePath, tuple[FolderSide, TreePath]] = {}
    for file in merge.files:
        if file.merge is not None:
            assert file.path is not None
            text = file.merge.result(choices, undecided)
            assert text is not None
            data = text.encode()
            own = merge.mine.entry(file.mine)
            attributes = own.attributes if own is not None else ()
            entries[file.path] = TreeEntry(EntryKind.FILE, file.mode, digest_of(data), len(data), attributes=attributes)
            woven[file.path] = data
            continue
        takes = takes_of(file, choices)
        side, path = {"mine": (merge.mine, file.mine), "incoming": (merge.incoming, file.incoming)}.get(
            takes, (None, None)
        )
        entry = side.entry(path) if side else None
        if side is not None and path is not None and entry is not None:
            target = file.path if file.path is not None else path
            is_other = entry.kind is EntryKind.FILE and entry.mode != file.mode
            entries[target] = replace(entry, mode=file.mode) if is_other else entry
            taken[target] = (side, path)
    return Result(dict(sorted(entries.items())), woven, taken)


def write_result(merge: FolderMerge, result: Result, target: Path) -> None:
    """Write the merged folder as `target`, which is new or empty; folders that are empty on the local side stay.

    It is on the disk when this is left. Raises OSError.
    """
    target.mkdir(parents=True, exist_ok=True)
    kept = {path for path, entry in merge.mine.manifest.entries.items() if entry.kind is EntryKind.FOLDER}
    filled = {parent for path in merge.mine.things for parent in parents(path)}
    wanted = (kept - filled) | {parent for path in result.entries for parent in parents(path)}
    for folder in sorted({up for path in wanted for up in (*parents(path), path)}):
        (target / folder).mkdir()
    for path, entry in result.entries.items():
        place = f"{target}/{path}"
        if entry.kind is EntryKind.LINK:
            os.symlink(entry.content, place)
            continue
        handle = os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
        try:
            write_all(handle, result.read(path))
            os.fchmod(handle, entry.mode)
        finally:
            os.close(handle)
    sync_file_system(target)


def replace_clean(merge: FolderMerge) -> tuple[FolderMerge, dict[str, Resolution]]:
    """The merge as if everything had been decided for the new release; files only the user has stay."""
    conflict = Conflict("clean", "file", (0, 0), (0, 0), (0, 0), ("incoming",))
    files = []
    seen: set[TreePath] = set()
    for file in merge.files:
        if file.outcome == "own":
            files.append(file)
            continue
        whole = replace(file, path=file.incoming, takes="incoming", merge=None, decisions=(conflict,), joined=())
        theirs = merge.incoming.entry(file.incoming)
        whole = replace(whole, mode=theirs.mode if theirs is not None else file.mode)
        if file.mine in seen:
            whole = replace(whole, base=None, mine=None)  # another part of a file that was split
        seen.update(path for path in (file.mine,) if path is not None)
        files.append(whole)
        files += [replace(whole, path=None, base=old, mine=mine, incoming=None) for old, mine, _ in file.joined]
    return replace(merge, files=tuple(files)), {conflict.id: Resolution("incoming")}


def takes_of(file: FileMerge, choices: Mapping[str, Resolution]) -> str:
    """Return the side whose version of a file is used as a whole."""
    for conflict in file.decisions:
        choice = choices.get(conflict.id)
        if choice is not None and choice.take in ("mine", "incoming"):
            return choice.take
    return file.takes
