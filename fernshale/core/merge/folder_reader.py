"""Read the folders that are to be merged; very many files in two processes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from fernshale.core.base.work import CancelToken, Work, many_values
from fernshale.core.merge.folder_merge import FolderSide, disk_side
from fernshale.core.process.workers import WorkerProcess, is_worthwhile
from fernshale.core.snapshot.manifest import EMPTY, Manifest
from fernshale.core.snapshot.tree_walk import list_tree, read_contents


def disk_sides(folders: Sequence[Path], token: CancelToken) -> list[FolderSide]:
    """The folders as sides of a merge. Raises Cancelled."""
    with many_values():
        listed = [list_tree(folder, EMPTY, Work(token=token)) for folder in folders]
        *rest, last = zip(folders, listed, strict=True)
        # The second process starts while the first one reads; it gets one folder if that is large.
        names = sum(len(folder.names) for folder in last[1].folders.values())
        if rest and is_worthwhile(names, 0):
            with WorkerProcess(f"{__name__}:read_listed", last) as second:
                found = [read_contents(folder, tree, Work(token=token)) for folder, tree in rest]
                found.append(second.result(token))
        else:
            found = [read_contents(folder, tree, Work(token=token)) for folder, tree in (*rest, last)]
    return [disk_side(folder, tree) for folder, tree in zip(folders, found, strict=True)]


def read_listed(job: tuple[Path, Manifest], _tell: Callable[[int], None]) -> Manifest:
    """In the second process: a listed folder with its contents read."""
    folder, tree = job
    return read_contents(folder, tree, Work())
