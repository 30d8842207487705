"""A copy of the project in the crossing's folder, in which proposals are tried. The project is only read.

The copy is kept for the next attempt: only files that differ are written, so the build system builds only what they concern.
"""

from __future__ import annotations

import json
import os
import shutil
import stat
from collections.abc import Mapping
from pathlib import Path

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import ProjectError
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.snapshot.manifest import EntryKind
from fernshale.core.snapshot.working_copy import check_room_for_copy, duplicate_tree, make_writable

# Of the project's size that has to be free in addition to it, for what the build writes.
_FREE_SHARE = 1.5


class AttemptCopy:
    """The copy below `folder`, with folders for what the build writes."""

    def __init__(self, folder: Path) -> None:
        self.project = folder / "project"
        self.build = folder / "build"
        self.out = folder / "out"
        self._written = folder / "written.json"

    def fill(self, scan: ProjectScan, texts: Mapping[TreePath, bytes], work: Work) -> None:
        """Make the copy equal to the project, except for `texts`, which are written in place of the project's files.

        Raises MisuseError where the disk has too little room or the settings allow less, OSError, Cancelled.
        """
        try:
            if self.project.is_dir():
                self._update(scan, texts, work)
        except (OSError, ProjectError):
            # A folder has the place of a link or file, or the reverse: the copy is of an older project.
            shutil.rmtree(self.project)
        if not self.project.is_dir():
            self._make(scan, work)
        for path, data in texts.items():
            _write(on_disk(self.project, path), data, on_disk(scan.project, path))
        for folder in (self.build, self.out):
            folder.mkdir(exist_ok=True)
        write_atomic(
            self._written,
            json.dumps([*scan.manifest.paths(), *scan.manifest.paths(EntryKind.LINK)]).encode(
                "utf-8", "surrogateescape"
            ),
        )

    def _make(self, scan: ProjectScan, work: Work) -> None:
        size = sum(entry.size for entry in scan.manifest.files.values())
        self.project.parent.mkdir(parents=True, exist_ok=True)
        check_room_for_copy(self.project.parent, size, _FREE_SHARE)
        duplicate_tree(scan.project, self.project, work)
        make_writable(self.project)

    def _update(self, scan: ProjectScan, texts: Mapping[TreePath, bytes], work: Work) -> None:
        try:
            known = json.loads(self._written.read_bytes().decode("utf-8", "surrogateescape"))
        except (OSError, ValueError):
            known = []
        entries = scan.manifest.entries
        for path in known:
            if path not in entries:
                on_disk(self.project, TreePath(path)).unlink(missing_ok=True)
        for path, entry in entries.items():
            work.check()
            here, there = on_disk(scan.project, path), on_disk(self.project, path)
            if entry.kind is EntryKind.FOLDER:
                there.mkdir(parents=True, exist_ok=True)
            elif entry.kind is EntryKind.LINK:
                if not there.is_symlink() or os.readlink(there) != os.readlink(here):
                    there.parent.mkdir(parents=True, exist_ok=True)
                    there.unlink(missing_ok=True)
                    there.symlink_to(os.readlink(here))
            elif path not in texts and not _looks_same(here, there):
                _write(there, here.read_bytes(), here)


def _looks_same(here: Path, there: Path) -> bool:
    try:
        one, other = here.stat(), there.stat()
    except OSError:
        return False
    return (one.st_size, one.st_mtime_ns) == (other.st_size, other.st_mtime_ns)


def _write(path: Path, data: bytes, like: Path) -> None:
    """Write a file of the copy with the mode of another, unless it has this content: the build system goes by its time."""
    try:
        if not path.is_symlink() and path.read_bytes() == data:
            return
    except OSError:
        path.parent.mkdir(parents=True, exist_ok=True)
    path.unlink(missing_ok=True)  # it may be one of several names of a file
    path.write_bytes(data)
    path.chmod(like.stat().st_mode & 0o7777 | stat.S_IWUSR)
