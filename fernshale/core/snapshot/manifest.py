"""A tree as a value: the entry at each path.

A manifest holds a row per file, folder by folder, so a million files take some hundred bytes each, and an unchanged folder is
one object shared by all manifests of the tree. `Manifest.entries` shows the same by path.
"""

from __future__ import annotations

import stat
from array import array
from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import Enum
from functools import cached_property
from typing import Any, TypeVar, cast

import blake3

from fernshale.core.base.treepath import TreePath, joined

T = TypeVar("T")


class EntryKind(Enum):
    FILE = "file"
    LINK = "link"
    FOLDER = "folder"


@dataclass(frozen=True, slots=True)
class TreeEntry:
    """The entry at one path. `content` is a file's digest or a link's target; `attributes` are the extended ones.

    Two entries are equal when restoring them gives the same result: times, sizes, holes (`sparse`) and hard links (`twin`, the
    path of the first name) are not compared.
    """

    kind: EntryKind
    mode: int
    content: str = ""
    size: int = field(default=0, compare=False)
    mtime_ns: int = field(default=0, compare=False)
    attributes: tuple[tuple[str, bytes], ...] = ()
    sparse: bool = field(default=False, compare=False)
    twin: str = field(default="", compare=False)


@dataclass(frozen=True, slots=True)
class Extra:
    """Properties that few paths have: a link's target, extended attributes, holes, hard links."""

    target: str = ""
    attributes: tuple[tuple[str, bytes], ...] = ()
    sparse: bool = False
    twin: str = ""


NO_EXTRA = Extra()
UNREAD = bytes(32)
# The columns of `Folder.facts`.
FACTS = 5
SIZE, MTIME, CTIME, INODE, MODE = range(FACTS)


@dataclass(frozen=True, eq=False)
class Folder:
    """The names in one folder, in order; for each `FACTS` numbers (size in bytes, times in ns, inode, mode with the
    kind) and 32 bytes of digest (`UNREAD` for a file that was only listed, a link or a folder)."""

    path: str
    names: tuple[str, ...]
    facts: array[int]
    digests: bytes
    extras: Mapping[str, Extra] = field(default_factory=dict)

    @cached_property
    def newest_ns(self) -> int:
        """The latest time any of the names carries."""
        return max((*self.facts[MTIME::FACTS], *self.facts[CTIME::FACTS]), default=0)

    @cached_property
    def entries(self) -> tuple[tuple[TreePath, TreeEntry], ...]:
        """Each name as (path in the tree, entry)."""
        return tuple((self.path_of(row), self.entry(row)) for row in range(len(self.names)))

    @cached_property
    def unread(self) -> tuple[int, ...]:
        """The rows of files that were only listed."""
        if self.digests.find(UNREAD) < 0:
            return ()
        return tuple(row for row in self.file_rows() if self.digest(row) == UNREAD)

    def path_of(self, row: int) -> TreePath:
        return joined(self.path, self.names[row])

    def file_rows(self) -> Iterator[int]:
        return (row for row, mode in enumerate(self.facts[MODE::FACTS]) if mode & _FORMAT == stat.S_IFREG)

    def find(self, name: str) -> int | None:
        """The row of `name`."""
        row = bisect_left(self.names, name)
        return row if row < len(self.names) and self.names[row] == name else None

    def digest(self, row: int) -> bytes:
        return self.digests[32 * row : 32 * row + 32]

    def entry(self, row: int) -> TreeEntry:
        at = FACTS * row
        mode = self.facts[at + MODE]
        kind = mode & _FORMAT
        extra = self.extras.get(self.names[row], NO_EXTRA) if self.extras else NO_EXTRA
        if kind == stat.S_IFLNK:
            return TreeEntry(_LINK, 0, extra.target, 0, self.facts[at + MTIME])
        if kind == stat.S_IFDIR:
            return TreeEntry(_FOLDER, mode & 0o7777, "", 0, self.facts[at + MTIME], extra.attributes)
        digest = self.digest(row)
        content = digest.hex() if digest != UNREAD else ""
        times = (self.facts[at + SIZE], self.facts[at + MTIME])
        return TreeEntry(_FILE, mode & 0o7777, content, *times, extra.attributes, extra.sparse, extra.twin)


@dataclass(frozen=True)
class Manifest:
    """All entries of a tree. `reported` are paths that could not be read, with the reason.

    `taken_ns` is the start of reading: an entry changed after that, or just before, has to be read again. A file that was only
    listed has an empty `content`. `memo` caches values derived from exactly these entries; the next manifest shares it if
    nothing has changed. `newest_ns` is the latest time among the entries, if known.
    """

    folders: Mapping[str, Folder]
    reported: tuple[tuple[str, str], ...] = ()
    taken_ns: int = 0
    newest_ns: int | None = None
    memo: dict[object, Any] = field(default_factory=dict, compare=False, repr=False)

    @staticmethod
    def of(entries: Mapping[TreePath, TreeEntry]) -> Manifest:
        """Build a manifest from entries; folders that are only implied by a path are not included."""
        rows: dict[str, list[tuple[str, TreeEntry]]] = {}
        for path, entry in sorted(entries.items()):
            head, _, name = path.rpartition("/")
            rows.setdefault(head, []).append((name, entry))
        return Manifest({path: _folder_of(path, items) for path, items in sorted(rows.items())})

    @property
    def entries(self) -> dict[TreePath, TreeEntry]:
        """Each path with its entry, in path order."""
        return self.derived("entries", self._find_entries)

    @property
    def files(self) -> dict[TreePath, TreeEntry]:
        return self.derived("files", self._find_files)

    def paths(self, kind: EntryKind = EntryKind.FILE) -> tuple[TreePath, ...]:
        """The paths of all files, links or folders in order, without making their entries."""
        return self.derived(("paths", kind), lambda: self._find_paths(_FORMATS[kind]))

    @property
    def sizes(self) -> dict[TreePath, int]:
        """The size of each file in bytes, in path order, without making entries."""
        return self.derived("sizes", self._find_sizes)

    def _find_sizes(self) -> dict[TreePath, int]:
        found: list[tuple[TreePath, int]] = []
        for path, folder in self.folders.items():
            prefix = joined(path, "")
            rows = zip(folder.names, folder.facts[MODE::FACTS], folder.facts[SIZE::FACTS], strict=True)
            found += [(TreePath(prefix + name), size) for name, mode, size in rows if mode & _FORMAT == stat.S_IFREG]
        return dict(sorted(found))

    def _find_paths(self, format: int) -> tuple[TreePath, ...]:
        paths: list[TreePath] = []
        for path, folder in self.folders.items():
            prefix = joined(path, "")
            modes = zip(folder.names, folder.facts[MODE::FACTS], strict=True)
            paths += [TreePath(prefix + name) for name, mode in modes if mode & _FORMAT == format]
        return tuple(sorted(paths))

    def _find_entries(self) -> dict[TreePath, TreeEntry]:
        return dict(sorted((item for folder in self.folders.values() for item in folder.entries), key=_by_path))

    def _find_files(self) -> dict[TreePath, TreeEntry]:
        return {path: entry for path, entry in self.entries.items() if entry.kind is _FILE}

    def derived(self, name: object, make: Callable[[], T]) -> T:
        """Return the value that `make` derives from the entries, cached under `name`."""
        if name not in self.memo:
            self.memo[name] = make()
        return cast(T, self.memo[name])

    def knows(self, name: object) -> bool:
        """Whether `derived` has worked out `name`."""
        return name in self.memo

    def entry(self, path: str) -> TreeEntry | None:
        """Return the entry at `path` without building all entries."""
        head, _, name = path.rpartition("/")
        folder = self.folders.get(head)
        row = folder.find(name) if folder else None
        return folder.entry(row) if folder is not None and row is not None else None

    def read_files(self) -> Iterator[tuple[TreePath, bytes, int]]:
        """Each file that was read, with its digest and its size in bytes."""
        for folder in self.folders.values():
            if folder.digests.count(0) == len(folder.digests):
                continue
            for row in folder.file_rows():
                if (digest := folder.digest(row)) != UNREAD:
                    yield folder.path_of(row), digest, folder.facts[FACTS * row + SIZE]

    def file_digests(self) -> Iterator[bytes]:
        """The digest of each file that was read."""
        for folder in self.folders.values():
            for row in folder.file_rows():
                if (digest := folder.digest(row)) != UNREAD:
                    yield digest

    def below(self, path: str) -> Manifest:
        """Return the part in the folder `path`, with paths relative to it."""
        prefix = path + "/"
        parts = {
            name[len(prefix) :]: folder
            for name, folder in self.folders.items()
            if name == path or name.startswith(prefix)
        }
        return Manifest(
            {
                name: Folder(name, folder.names, folder.facts, folder.digests, folder.extras)
                for name, folder in parts.items()
            }
        )


def _by_path(item: tuple[TreePath, TreeEntry]) -> TreePath:
    return item[0]


def _folder_of(path: str, items: Iterable[tuple[str, TreeEntry]]) -> Folder:
    facts = array("q")
    digests = bytearray()
    extras = {}
    for name, entry in items:
        facts.extend((entry.size, entry.mtime_ns, 0, 0, entry.mode | _FORMATS[entry.kind]))
        is_read = entry.kind is _FILE and entry.content
        digests += bytes.fromhex(entry.content) if is_read else UNREAD
        target = entry.content if entry.kind is _LINK else ""
        extra = Extra(target, entry.attributes, entry.sparse, entry.twin)
        if extra != NO_EXTRA:
            extras[name] = extra
    return Folder(path, tuple(name for name, _ in items), facts, bytes(digests), extras)


EMPTY = Manifest({})

_FOLDER, _FILE, _LINK = EntryKind.FOLDER, EntryKind.FILE, EntryKind.LINK
_FORMAT = 0o170000
_FORMATS = {EntryKind.FILE: stat.S_IFREG, EntryKind.LINK: stat.S_IFLNK, EntryKind.FOLDER: stat.S_IFDIR}


def digest_of(data: bytes) -> str:
    return blake3.blake3(data).hexdigest()
