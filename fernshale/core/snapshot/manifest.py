"""A tree as a value: what stands at each path, read from disk without following a single link."""

from __future__ import annotations

import os
import stat
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from enum import Enum
from pathlib import Path
from typing import Any, TypeVar, cast

import blake3

from fernshale.core.base.treepath import TreePath, under
from fernshale.core.base.work import CancelToken, Progress

T = TypeVar("T")


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


@dataclass(frozen=True)
class Manifest:
    """All entries of a tree in path order. `reported` are paths that could not be taken, with the reason.

    `taken_ns` is when reading began: an entry changed after that, or just before, is not trusted unread. A file that was
    only listed has an empty `content`. `memo` holds what was worked out from exactly these entries; it is handed on as
    long as a new look finds them unchanged.
    """

    entries: Mapping[TreePath, Entry]
    reported: tuple[tuple[str, str], ...] = ()
    taken_ns: int = 0
    memo: dict[object, Any] = field(default_factory=dict, compare=False, repr=False)

    @property
    def files(self) -> dict[TreePath, Entry]:
        return self.derived("files", self._find_files)

    def _find_files(self) -> dict[TreePath, Entry]:
        return {path: entry for path, entry in self.entries.items() if entry.kind is _FILE}

    def derived(self, name: object, make: Callable[[], T]) -> T:
        """What `make` works out from the entries alone, worked out once under `name`."""
        if name not in self.memo:
            self.memo[name] = make()
        return cast(T, self.memo[name])


EMPTY = Manifest({})

_FOLDER, _FILE = Kind.FOLDER, Kind.FILE
_FORMAT = 0o170000
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
    if not stat.S_ISREG(found.st_mode):
        return _listed(os.fspath(path), found)
    return _file_entry(*_read_settled(path))


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
    return read_contents(root, list_tree(root, previous, progress, token), keep, progress, token)


def list_tree(root: Path, previous: Manifest, progress: Progress, token: CancelToken) -> Manifest:
    """As `scan_tree`, but files `previous` does not know keep an empty content: one stat per file, nothing is read."""
    started = time.time_ns()
    trusted_ns = previous.taken_ns - _RACY_NS
    entries: dict[TreePath, Entry] = {}
    reported: list[tuple[str, str]] = []
    known_entry = previous.entries.get
    folders = [""]
    fresh = 0
    # This loop runs once per file of the largest projects: names are local and each status field is fetched once.
    while folders:
        token.check()
        folder = folders.pop()
        prefix = folder + "/" if folder else ""
        try:
            with os.scandir(root / folder if folder else root) as found:
                items = list(found)
        except OSError as error:
            reported.append((folder, error.strerror or "unreadable"))
            continue
        for item in items:
            path = cast(TreePath, prefix + item.name)
            try:
                status = item.stat(follow_symlinks=False)
                ctime, size, mode = status.st_ctime_ns, status.st_size, status.st_mode
                stamp = (size, ctime, status.st_ino)
                known = known_entry(path)
                if (
                    known is not None
                    and known.stamp == stamp
                    and ctime < trusted_ns
                    and status.st_mtime_ns < trusted_ns
                ):
                    entries[path] = known
                    if known.kind is _FOLDER:
                        folders.append(path)
                    continue
                if mode & _FORMAT == stat.S_IFREG:
                    fresh += 1
                    entries[path] = Entry(_FILE, mode & 0o7777, "", size, status.st_mtime_ns, stamp)
                    continue
                entry = _listed(item.path, status)
            except OSError as error:
                reported.append((path, error.strerror or "unreadable"))
                continue
            if entry is None:
                reported.append((path, "not a file, link or folder"))
                continue
            fresh += 1
            entries[path] = entry
            if entry.kind is _FOLDER:
                folders.append(path)
        progress("reading the tree", len(entries), 0)
    if not fresh and len(entries) == len(previous.entries) and tuple(sorted(reported)) == previous.reported:
        return replace(previous, taken_ns=started)
    return Manifest({path: entries[path] for path in sorted(entries)}, tuple(sorted(reported)), started)


def read_contents(
    root: Path,
    manifest: Manifest,
    keep: Callable[[bytes], None],
    progress: Progress,
    token: CancelToken,
    below: str = "",
) -> Manifest:
    """`manifest` with the content of each file under `below` that was only listed so far."""
    wanted = [
        path
        for path, entry in manifest.entries.items()
        if not entry.content and entry.kind is Kind.FILE and under(path, below)
    ]
    if not wanted:
        return manifest
    entries = dict(manifest.entries)
    reported = list(manifest.reported)
    place = os.fspath(root)
    for number, path in enumerate(wanted):
        token.check()
        if number % 256 == 0:
            progress("reading files", number, len(wanted))
        try:
            data, status = _read_settled(f"{place}/{path}")
        except OSError as error:
            # Gone since it was listed, or never to be read: either way it is not in the tree as taken.
            del entries[path]
            reported.append((path, error.strerror or "unreadable"))
            continue
        keep(data)
        entries[path] = _file_entry(data, status)
    return Manifest(entries, tuple(sorted(reported)), manifest.taken_ns)


def _listed(path: str, status: os.stat_result) -> Entry | None:
    """The entry of what was only looked at."""
    kind = stat.S_IFMT(status.st_mode)
    mode = stat.S_IMODE(status.st_mode)
    if kind == stat.S_IFREG:
        return Entry(Kind.FILE, mode, "", status.st_size, status.st_mtime_ns, _stamp(status))
    if kind == stat.S_IFLNK:
        return Entry(Kind.LINK, 0, os.readlink(path), stamp=_stamp(status))
    if kind == stat.S_IFDIR:
        return Entry(Kind.FOLDER, mode, mtime_ns=status.st_mtime_ns, stamp=_stamp(status))
    return None


def _stamp(status: os.stat_result) -> tuple[int, int, int]:
    return (status.st_size, status.st_ctime_ns, status.st_ino)


def _file_entry(data: bytes, status: os.stat_result) -> Entry:
    mode = stat.S_IMODE(status.st_mode)
    return Entry(Kind.FILE, mode, digest_of(data), len(data), status.st_mtime_ns, _stamp(status))


def _read_settled(path: str | Path) -> tuple[bytes, os.stat_result]:
    """Content and status that belong together: a file that changes while it is read is read again."""
    for _ in range(5):
        # Straight to the system: this runs for each of very many small files.
        handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
        try:
            before = os.fstat(handle)
            parts = [os.read(handle, before.st_size + 1)]
            while parts[-1]:
                parts.append(os.read(handle, 1 << 22))
            after = os.fstat(handle)
        finally:
            os.close(handle)
        data = parts[0] if len(parts) == 2 else b"".join(parts)
        if _stamp(before) == _stamp(after) and len(data) == after.st_size:
            return data, after
    raise OSError(0, "keeps changing while it is read")
