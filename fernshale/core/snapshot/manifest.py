"""A tree as a value: what stands at each path, read from disk without following a single link."""

from __future__ import annotations

import os
import stat
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import Enum
from pathlib import Path

import blake3

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Progress


class Kind(Enum):
    FILE = "file"
    LINK = "link"
    FOLDER = "folder"


@dataclass(frozen=True, slots=True)
class Entry:
    """What stands at one path. `content` is a file's digest or a link's target.

    Two entries are equal when restoring either gives the same: times and sizes do not count.
    """

    kind: Kind
    mode: int
    content: str = ""
    size: int = field(default=0, compare=False)
    mtime_ns: int = field(default=0, compare=False)
    stamp: tuple[int, int, int] = field(default=(0, 0, 0), compare=False)


@dataclass(frozen=True, slots=True)
class Manifest:
    """All entries of a tree in path order. `reported` are paths that could not be taken, with the reason.

    `taken_ns` is when reading began: an entry changed after that, or just before, is not trusted unread.
    """

    entries: Mapping[TreePath, Entry]
    reported: tuple[tuple[str, str], ...] = ()
    taken_ns: int = 0

    @property
    def files(self) -> dict[TreePath, Entry]:
        return {path: entry for path, entry in self.entries.items() if entry.kind is Kind.FILE}


EMPTY = Manifest({})

# A file system may keep times this coarse; a change within it can keep size and time.
_RACY_NS = 2_000_000_000


def digest_of(data: bytes) -> str:
    return blake3.blake3(data).hexdigest()


def entry_at(path: Path) -> Entry | None:
    """What stands at `path` now, its content read; None where nothing does. Raises OSError."""
    try:
        found = path.lstat()
    except (FileNotFoundError, NotADirectoryError):
        return None
    return _entry(path, found, lambda data: None)


def scan_tree(
    root: Path,
    previous: Manifest,
    keep: Callable[[bytes], None],
    progress: Progress,
    token: CancelToken,
) -> Manifest:
    """Read the tree below `root`. `keep` is handed the content of each file that had to be read.

    A file whose size, times and inode are those of `previous` is not read again, unless it changed so close to that
    reading that equal times prove nothing. Sockets, devices and unreadable files are reported, the rest is taken.
    """
    started = time.time_ns()
    entries: dict[TreePath, Entry] = {}
    reported: list[tuple[str, str]] = []
    folders = [""]
    while folders:
        folder = folders.pop()
        try:
            with os.scandir(root / folder if folder else root) as found:
                items = sorted(found, key=lambda item: item.name)
        except OSError as error:
            reported.append((folder, error.strerror or "unreadable"))
            continue
        for item in items:
            token.check()
            path = TreePath(f"{folder}/{item.name}" if folder else item.name)
            try:
                status = item.stat(follow_symlinks=False)
                known = previous.entries.get(path)
                if known is not None and _unchanged(known, status, previous.taken_ns):
                    entry: Entry | None = known
                else:
                    entry = _entry(Path(item.path), status, keep)
            except OSError as error:
                reported.append((path, error.strerror or "unreadable"))
                continue
            if entry is None:
                reported.append((path, "not a file, link or folder"))
                continue
            entries[path] = entry
            if entry.kind is Kind.FOLDER:
                folders.append(path)
            if len(entries) % 256 == 0:
                progress("reading the tree", len(entries), 0)
    return Manifest(dict(sorted(entries.items())), tuple(reported), started)


def _unchanged(known: Entry, status: os.stat_result, taken_ns: int) -> bool:
    return (
        known.kind is Kind.FILE
        and known.stamp == _stamp(status)
        and max(status.st_mtime_ns, status.st_ctime_ns) < taken_ns - _RACY_NS
    )


def _stamp(status: os.stat_result) -> tuple[int, int, int]:
    return (status.st_size, status.st_ctime_ns, status.st_ino)


def _entry(path: Path, status: os.stat_result, keep: Callable[[bytes], None]) -> Entry | None:
    mode = stat.S_IMODE(status.st_mode)
    if stat.S_ISLNK(status.st_mode):
        return Entry(Kind.LINK, 0, os.readlink(path))
    if stat.S_ISDIR(status.st_mode):
        return Entry(Kind.FOLDER, mode, mtime_ns=status.st_mtime_ns)
    if not stat.S_ISREG(status.st_mode):
        return None
    data, status = _read_settled(path)
    keep(data)
    return Entry(Kind.FILE, mode, digest_of(data), len(data), status.st_mtime_ns, _stamp(status))


def _read_settled(path: Path) -> tuple[bytes, os.stat_result]:
    """Content and status that belong together: a file that changes while it is read is read again."""
    for _ in range(5):
        handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
        with os.fdopen(handle, "rb") as file:
            before = os.fstat(file.fileno())
            data = file.read()
            after = os.fstat(file.fileno())
        if _stamp(before) == _stamp(after) and len(data) == after.st_size:
            return data, after
    raise OSError(0, "keeps changing while it is read")
