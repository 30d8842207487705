"""Read a tree from disk without following links: first list it (a stat per file), then read the changed files."""

from __future__ import annotations

import contextlib
import os
import stat
import time
from array import array
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from operator import attrgetter
from pathlib import Path

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.handles import Below, is_blocked_by_link
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, joined, under
from fernshale.core.base.work import CancelToken, Work, many_values
from fernshale.core.snapshot.file_reader import Keep, attributes_of, hash_only, read_file
from fernshale.core.snapshot.folder_pool import shared
from fernshale.core.snapshot.manifest import (
    CTIME,
    FACTS,
    MODE,
    MTIME,
    NO_EXTRA,
    UNREAD,
    EntryKind,
    Extra,
    Folder,
    Manifest,
    TreeEntry,
)

_FORMAT = 0o170000
_REGULAR, _DIRECTORY, _LINK = stat.S_IFREG, stat.S_IFDIR, stat.S_IFLNK
_LARGEST = (1 << 63) - 1
# A file system may keep times this coarse; a change within it can keep size and time.
_RACY_NS = 2_000_000_000
_by_name = attrgetter("name")


def scan_tree(
    root: Path,
    previous: Manifest,
    work: Work,
    keep: Keep = hash_only,
    without: frozenset[str] = frozenset(),
) -> Manifest:
    """Read the tree below `root`. `keep` receives the content of each file that had to be read.

    Files and folders named in `without` are skipped anywhere.

    A file with the size, times and inode of `previous` is not read again, unless it changed so close to that reading that equal
    times prove nothing. Sockets, devices and unreadable files are reported, everything else is included.
    """
    with many_values():
        return read_contents(root, list_tree(root, previous, work, without), work, keep)


def list_tree(root: Path, previous: Manifest, work: Work, without: frozenset[str] = frozenset()) -> Manifest:
    """Like `scan_tree`, but files that `previous` does not know keep an empty content: one stat per file, no reads."""
    started = time.time_ns()
    trusted_ns = previous.taken_ns - _RACY_NS
    is_old = previous.newest_ns is not None and previous.newest_ns < trusted_ns
    folders: dict[str, Folder] = {}
    reported: list[tuple[str, str]] = []
    # Names of hard links, by device and inode.
    names_of: dict[tuple[int, int], list[tuple[str, str]]] = {}
    waiting = [""]
    count = 0
    try:
        tree = Below(root)
    except OSError as error:
        return Manifest({}, (("", error.strerror or "unreadable"),), started)
    # This loop runs once per file of the largest projects: names are local and each status field is fetched once.
    with tree, contextlib.ExitStack() as held:
        while waiting:
            held.close()
            work.check()
            path = waiting.pop()
            prefix = path + "/" if path else ""
            try:
                handle = held.enter_context(tree.folder(path))
                with os.scandir(handle) as found:
                    items = sorted(found, key=_by_name)
            except OSError as error:
                reported.append((path, error.strerror or "unreadable"))
                continue
            names: list[str] = []
            facts: list[int] = []
            inside: list[str] = []
            others: list[int] = []
            for item in items:
                name = item.name
                if name in without:
                    continue
                try:
                    status = item.stat(follow_symlinks=False)
                except OSError as error:
                    reported.append((prefix + name, error.strerror or "unreadable"))
                    continue
                # The plain fields all at once; only the exact times are asked for by name.
                mode, inode, device, links, _, _, size, _, _, _ = status
                kind = mode & _FORMAT
                if kind == _REGULAR:
                    if links > 1:
                        names_of.setdefault((device, inode), []).append((path, name))
                elif kind == _DIRECTORY:
                    inside.append(prefix + name)
                    others.append(len(names))
                elif kind == _LINK:
                    others.append(len(names))
                else:
                    reported.append((prefix + name, tr("not a file, link or folder")))
                    continue
                names.append(name)
                facts += (size, status.st_mtime_ns, status.st_ctime_ns, inode & _LARGEST, mode)
            count += len(names)
            waiting += reversed(inside)
            before = previous.folders.get(path)
            known = _Known(before, trusted_ns, is_old) if before is not None else None
            folders[path] = _as_known(handle, _Listing(path, tuple(names), array("q", facts), others), known)
            work.progress(tr("reading the tree"), count, 0)
    _tie_names(folders, names_of)
    reported.sort()
    is_same = len(folders) == len(previous.folders) and all(
        previous.folders.get(path) is folder for path, folder in folders.items()
    )
    if is_same and tuple(reported) == previous.reported:
        return replace(previous, taken_ns=started)
    return Manifest(folders, tuple(reported), started)


@dataclass(frozen=True, slots=True)
class _Listing:
    """A folder as listed: its names, their facts, and the rows of entries other than files."""

    path: str
    names: tuple[str, ...]
    facts: array[int]
    others: Iterable[int]


@dataclass(frozen=True, slots=True)
class _Known:
    """A folder of the previous manifest. Entries older than `trusted_ns` cannot have changed without a change of their facts;
    `is_old`: this holds for all of them."""

    folder: Folder
    trusted_ns: int
    is_old: bool

    def row_of(self, listing: _Listing, row: int) -> int | None:
        """The row of the name at `row` of a listing whose metadata is as before; None if it has to be read again."""
        at = FACTS * row
        before = self.folder.find(listing.names[row])
        if before is None or max(listing.facts[at + MTIME], listing.facts[at + CTIME]) >= self.trusted_ns:
            return None
        then = FACTS * before
        return before if self.folder.facts[then : then + FACTS] == listing.facts[at : at + FACTS] else None


def _as_known(handle: int, listing: _Listing, known: _Known | None) -> Folder:
    """Return the listed folder open as `handle`, with the known data where nothing has changed."""
    names, facts, others = listing.names, listing.facts, listing.others
    digests = bytearray(32 * len(names))
    extras: dict[str, Extra] = {}
    if known is not None:
        folder = known.folder
        can_trust = known.is_old or folder.newest_ns < known.trusted_ns
        if can_trust and folder.names == names and folder.facts == facts:
            return folder
        fresh = set()
        for row, name in enumerate(names):
            before = known.row_of(listing, row)
            if before is None:
                fresh.add(row)
                continue
            digests[32 * row : 32 * row + 32] = folder.digest(before)
            if name in folder.extras:
                extras[name] = folder.extras[name]
        others = fresh.intersection(others)
    for row in others:
        # Removed or replaced since it was listed: what is read then is as good as the earlier state.
        with contextlib.suppress(OSError):
            is_link = facts[FACTS * row + MODE] & _FORMAT == _LINK
            target = os.readlink(names[row], dir_fd=handle) if is_link else ""
            extra = Extra(target) if is_link else Extra(attributes=_folder_attributes(names[row], handle))
            if extra != NO_EXTRA:
                extras[names[row]] = extra
    return shared(Folder(listing.path, names, facts, bytes(digests), extras))


def _tie_names(folders: dict[str, Folder], names_of: Mapping[tuple[int, int], list[tuple[str, str]]]) -> None:
    """Record the first name for each further name of a hard-linked file."""
    twins: dict[str, dict[str, str]] = {}
    for names in names_of.values():
        (head, first), *others = sorted(names, key=lambda item: joined(*item))
        for path, name in others:
            twins.setdefault(path, {})[name] = joined(head, first)
        twins.setdefault(head, {})[first] = ""
    stale = {path for path, folder in folders.items() if any(extra.twin for extra in folder.extras.values())}
    for path in {*twins, *stale}:
        folder, wanted = folders[path], twins.get(path, {})
        extras = {name: replace(extra, twin=wanted.get(name, "")) for name, extra in folder.extras.items()}
        extras |= {name: Extra(twin=twin) for name, twin in wanted.items() if name not in extras and twin}
        extras = {name: extra for name, extra in extras.items() if extra != NO_EXTRA}
        if extras != folder.extras:
            folders[path] = Folder(path, folder.names, folder.facts, folder.digests, extras)


def unread_files(manifest: Manifest, below: str = "") -> list[Wanted]:
    """The files under `below` that were only listed."""
    found = [
        (path, row, folder.names[row])
        for path, folder in manifest.folders.items()
        if not below or under(path, below)
        for row in folder.unread
    ]
    if below:
        head, _, name = below.rpartition("/")
        folder = manifest.folders.get(head)
        found += [
            (head, row, name) for row in (folder.unread if folder else ()) if folder and folder.names[row] == name
        ]
    return found


def read_contents(
    root: Path,
    manifest: Manifest,
    work: Work,
    keep: Keep = hash_only,
    below: str = "",
) -> Manifest:
    """`manifest` with the content of each file under `below` that was only listed so far."""
    wanted = unread_files(manifest, below)

    def tell(count: int) -> None:
        work.progress(tr("reading files"), count, len(wanted))

    return with_contents(manifest, wanted, read_files(os.fspath(root), wanted, keep, tell, work.token))


Wanted = tuple[str, int, str]
"""A file to read: its folder, the row in that, its name."""


@dataclass
class Readings:
    """The results of reading files, column by column in reading order; `failed` has the reasons for failures."""

    digests: bytearray = field(default_factory=bytearray)
    facts: array[int] = field(default_factory=lambda: array("q"))
    extras: dict[int, Extra] = field(default_factory=dict)
    failed: dict[int, str] = field(default_factory=dict)

    def extend(self, other: Readings) -> None:
        """Append later results."""
        start = len(self.digests) // 32
        self.digests += other.digests
        self.facts.extend(other.facts)
        self.extras |= {start + number: extra for number, extra in other.extras.items()}
        self.failed |= {start + number: why for number, why in other.failed.items()}


def read_files(
    place: str, wanted: Sequence[Wanted], keep: Keep, tell: Callable[[int], None], token: CancelToken
) -> Readings:
    """Read each file below the folder `place`. Raises KeepFailed, Cancelled."""
    found = Readings()
    with Below(Path(place)) as tree, contextlib.ExitStack() as held:
        at, folder = None, -1
        for number, (path, _, name) in enumerate(wanted):
            if number % 64 == 0:
                token.check()
                tell(number)
            try:
                if path != at:
                    held.close()
                    at = None
                    folder, at = held.enter_context(tree.folder(path)), path
                digest, facts, attributes, sparse = read_file(name, keep, token, folder)
            except OSError as error:
                digest, facts, attributes, sparse = UNREAD, (0, 0, 0, 0, 0), (), False
                found.failed[number] = error.strerror or "unreadable"
            found.digests += digest
            found.facts.extend(facts)
            if attributes or sparse:
                found.extras[number] = Extra("", attributes, sparse)
    return found


def with_contents(manifest: Manifest, wanted: Sequence[Wanted], found: Readings) -> Manifest:
    """Return `manifest` with the contents of read files. Unreadable files are reported instead."""
    if not wanted:
        return manifest
    by_folder: dict[str, list[tuple[int, int]]] = {}
    for number, (path, row, _) in enumerate(wanted):
        by_folder.setdefault(path, []).append((row, number))
    folders = dict(manifest.folders)
    reported = list(manifest.reported)
    for path, rows in by_folder.items():
        folder = folders[path]
        facts, digests, extras = folder.facts[:], bytearray(folder.digests), dict(folder.extras)
        for row, number in rows:
            name = folder.names[row]
            facts[FACTS * row : FACTS * row + FACTS] = found.facts[FACTS * number : FACTS * number + FACTS]
            digests[32 * row : 32 * row + 32] = found.digests[32 * number : 32 * number + 32]
            if number in found.extras:
                extras[name] = replace(found.extras[number], twin=extras.get(name, NO_EXTRA).twin)
        lost = [(row, number) for row, number in rows if number in found.failed]
        names = folder.names
        # Removed since they were listed, or unreadable: they are not part of the snapshot.
        for row, number in sorted(lost, reverse=True):
            reported.append((joined(path, names[row]), found.failed[number]))
            extras.pop(names[row], None)
            names = names[:row] + names[row + 1 :]
            del facts[FACTS * row : FACTS * row + FACTS], digests[32 * row : 32 * row + 32]
        folders[path] = shared(Folder(path, names, facts, bytes(digests), extras))
    return Manifest(folders, tuple(sorted(reported)), manifest.taken_ns)


def entry_below(root: Path, path: TreePath) -> TreeEntry | None:
    """Like `entry_in`. Raises ProjectError if a parent is a link, OSError."""
    try:
        with Below(root) as tree:
            return entry_in(tree, path)
    except OSError as error:
        if is_blocked_by_link(error):
            raise ProjectError(f"{error.filename} {error.strerror}") from error
        raise


def entry_in(tree: Below, path: TreePath) -> TreeEntry | None:
    """Return the current entry at `path` of a tree with its content read; None if there is none.

    Raises OSError, also if a parent is a symbolic link.
    """
    with contextlib.suppress(FileNotFoundError, NotADirectoryError), tree.parent(path) as (folder, name):
        return _entry_of(name, folder)
    return None


def entry_at(path: Path) -> TreeEntry | None:
    """Return the current entry at `path` with its content read; None if there is none. Raises OSError."""
    with contextlib.suppress(FileNotFoundError, NotADirectoryError):
        return _entry_of(os.fspath(path), None)
    return None


def _entry_of(path: str, folder: int | None) -> TreeEntry | None:
    """Raises FileNotFoundError, NotADirectoryError, OSError."""
    status = os.stat(path, dir_fd=folder, follow_symlinks=False)
    mode = stat.S_IMODE(status.st_mode)
    if stat.S_ISLNK(status.st_mode):
        return TreeEntry(EntryKind.LINK, 0, os.readlink(path, dir_fd=folder), 0, status.st_mtime_ns)
    if stat.S_ISDIR(status.st_mode):
        return TreeEntry(EntryKind.FOLDER, mode, "", 0, status.st_mtime_ns, _folder_attributes(path, folder))
    if not stat.S_ISREG(status.st_mode):
        return None
    found = read_file(path, hash_only, CancelToken(), folder)
    size, mtime_ns, _, _, now = found.facts
    return TreeEntry(
        EntryKind.FILE, stat.S_IMODE(now), found.digest.hex(), size, mtime_ns, found.attributes, found.sparse
    )


def _folder_attributes(path: str, folder: int | None) -> tuple[tuple[str, bytes], ...]:
    try:
        handle = os.open(path, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC, dir_fd=folder)
    except OSError:
        return ()  # it may not be read
    try:
        return attributes_of(handle)
    finally:
        os.close(handle)
