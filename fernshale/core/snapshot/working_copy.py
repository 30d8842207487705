"""Create a working copy of a tree next to it. The original is only read; if the file system supports it, the copy shares its
blocks.

The copy has a temporary name until it is complete: a kill leaves the original unchanged, and the next copy to the same place
removes the rest.
"""

from __future__ import annotations

import errno
import fcntl
import os
import shutil
import stat
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.disk import sync_file_system, sync_folder
from fernshale.core.base.errors import MisuseError, ProjectError
from fernshale.core.base.quantities import size_words
from fernshale.core.base.settings import settings
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.base.work import Work
from fernshale.core.snapshot.file_reader import attributes_of, is_sparse, next_data
from fernshale.core.snapshot.manifest import EMPTY, EntryKind, TreeEntry
from fernshale.core.snapshot.restore import give_facts
from fernshale.core.snapshot.tree_walk import list_tree

# ioctl_ficlone(2): share the blocks of another file until one of the two is written to.
_FICLONE = 0x40049409
_PIECE = 1 << 22
_NO_CLONING = (errno.ENOTSUP, errno.EXDEV, errno.EINVAL, errno.ENOTTY, errno.ENOSYS, errno.EPERM)


@dataclass(frozen=True, slots=True)
class Duplicate:
    """The number of copied files, how many share blocks with the original, and the entries left out."""

    files: int
    shared: int
    reported: tuple[tuple[str, str], ...]


def check_room_for_copy(folder: Path, size: int, share: float) -> None:
    """Check that a copy of `size` bytes may be made in `folder`, with `share` times its size free for it and what builds write.

    Raises MisuseError where the settings allow less, or the disk has too little room.
    """
    allowed = settings().scratch.largest_bytes
    if allowed and size > allowed:
        raise MisuseError(
            tr(
                "a copy of the project has {size}; the settings allow {allowed}",
                size=size_words(size),
                allowed=size_words(allowed),
            ),
            tr("Raise the largest copy (scratch.largest_gib) in the settings."),
        )
    needed, free = int(size * share), shutil.disk_usage(folder).free
    if free < needed:
        raise MisuseError(
            tr(
                "a copy of the project needs {needed}, and {free} are free",
                needed=size_words(needed),
                free=size_words(free),
            ),
            tr("Make room on the disk of {folder}.", folder=folder),
        )


def duplicate_tree(source: Path, destination: Path, work: Work) -> Duplicate:
    """Copy the tree at `source` to `destination`, which must not exist: files, links, folders, modes, times, attributes.

    Raises MisuseError, ProjectError for a file that changes meanwhile, OSError, Cancelled; there is no copy then.
    """
    source, destination = source.resolve(), destination.absolute()
    if os.path.lexists(destination):
        raise MisuseError(
            tr("{destination} is there already", destination=destination), tr("Choose a place where nothing stands.")
        )
    if destination.resolve().is_relative_to(source):
        raise MisuseError(
            tr("{destination} lies inside {source}", destination=destination, source=source),
            tr("Choose a place outside."),
        )
    destination.parent.mkdir(parents=True, exist_ok=True)
    partial = destination.with_name(f".fernshale-copy-{destination.name}")
    if partial.exists():
        shutil.rmtree(partial)
    tree = list_tree(source, EMPTY, work)
    try:
        partial.mkdir()
        shared = _fill(source, partial, tree.entries, work)
        sync_file_system(partial)
        os.rename(partial, destination)
        sync_folder(destination.parent)
    except BaseException:
        shutil.rmtree(partial, ignore_errors=True)
        raise
    return Duplicate(len(tree.files), shared, tree.reported)


def make_writable(copy: Path) -> None:
    """Let a command write next to the sources, also in the copy of a project that is read-only."""
    for folder, _, files in os.walk(copy):
        for path in (Path(folder), *(Path(folder, name) for name in files)):
            if not path.is_symlink():
                path.chmod(path.stat().st_mode | stat.S_IWUSR)


def _fill(source: Path, partial: Path, entries: dict[TreePath, TreeEntry], work: Work) -> int:
    shared = 0
    for number, (path, entry) in enumerate(entries.items()):  # folders precede their contents
        work.check()
        work.progress(tr("copying"), number, len(entries))
        here, there = on_disk(source, path), on_disk(partial, path)
        if entry.kind is EntryKind.FOLDER:
            there.mkdir()
        elif entry.kind is EntryKind.LINK:
            os.symlink(entry.content, there)
            os.utime(there, ns=(entry.mtime_ns, entry.mtime_ns), follow_symlinks=False)
        elif entry.twin in entries and os.path.lexists(partial / entry.twin):
            os.link(partial / entry.twin, there)
        else:
            shared += _copy_file(here, there)
    # Set modes and times last, deepest first: a read-only folder has to be filled first.
    for path, entry in reversed(entries.items()):
        if entry.kind is EntryKind.FOLDER:
            give_facts(on_disk(partial, path), entry)
    return shared


def _copy_file(here: Path, there: Path) -> bool:
    """Copy one file with all metadata; return whether it shares its blocks. Raises OSError, ProjectError."""
    reading = os.open(here, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
    try:
        before = os.fstat(reading)
        writing = os.open(there, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
        try:
            shares = _clone(reading, writing)
            if not shares:
                _copy_bytes(reading, writing, before)
            after = os.fstat(reading)
            if (before.st_size, before.st_mtime_ns, before.st_ctime_ns) != (
                after.st_size,
                after.st_mtime_ns,
                after.st_ctime_ns,
            ):
                raise ProjectError(
                    tr("{here} changed while it was copied", here=here), tr("Close what writes there and try again.")
                )
            for name, value in attributes_of(reading):
                os.setxattr(writing, name, value)
            os.fchmod(writing, before.st_mode & 0o7777)
            os.utime(writing, ns=(before.st_mtime_ns, before.st_mtime_ns))
        finally:
            os.close(writing)
    finally:
        os.close(reading)
    return shares


def _clone(reading: int, writing: int) -> bool:
    try:
        fcntl.ioctl(writing, _FICLONE, reading)
    except OSError as error:
        if error.errno not in _NO_CLONING:
            raise
        return False
    return True


def _copy_bytes(reading: int, writing: int, status: os.stat_result) -> None:
    at, end = 0, status.st_size
    while at < end:
        data, hole = next_data(reading, at, end) if is_sparse(status) else (at, end)
        os.lseek(reading, data, os.SEEK_SET)
        os.lseek(writing, data, os.SEEK_SET)
        while data < hole and (sent := os.sendfile(writing, reading, data, min(_PIECE, hole - data))):
            data += sent
        if data < hole:
            break  # the file became shorter; the caller reports it
        at = data
    os.ftruncate(writing, end)
