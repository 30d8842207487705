"""Bring a snapshot, or some paths of it, back: exact, and never through a symbolic link out of the tree.

A file gets its name only once it is whole. One that replaces another is on the disk before it does; the rest is made
lasting in one go at the end, and a restore that was stopped before that is run again: it looks at contents, not at names.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import os
import re
import stat
from bisect import bisect_left
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from itertools import accumulate
from pathlib import Path
from typing import Any, NamedTuple

import blake3

from fernshale.core.base.disk import sync_folder
from fernshale.core.base.errors import MisuseError, StoreError
from fernshale.core.base.treepath import TreePath, joined, on_disk, parents, tree_path, under
from fernshale.core.base.work import CancelToken, Progress, many_values
from fernshale.core.process.second import Second, is_worthwhile
from fernshale.core.snapshot.manifest import FACTS, MODE, MTIME, NO_EXTRA, SIZE, Entry, Folder, Kind, Manifest
from fernshale.core.snapshot.pack import DigestMismatch, Place
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.walk import entry_at

_TEMPORARY = ".fernshale-restore-"
_HOLE = 4096
_PER_FILE = 200_000  # about as much work as writing so many bytes


@dataclass(frozen=True, slots=True)
class Restored:
    """How many paths were brought back, and those whose extended attributes the file system did not take."""

    paths: int
    without_attributes: tuple[TreePath, ...] = ()


class _File(NamedTuple):
    """A file to write, and where its content lies in the store: in the order of that, a block is unpacked once."""

    pack: str
    place: Place
    path: TreePath
    content: bytes
    mode: int
    size: int
    mtime_ns: int
    attributes: tuple[tuple[str, bytes], ...]
    sparse: bool


@dataclass(frozen=True)
class _Share:
    """Folders for one process to fill. `twins` are further names of files, which get those once the files are there."""

    store: Path
    destination: Path
    folders: Sequence[tuple[Any, ...]]  # the fields of each: what was worked out from a folder is not sent along
    twins: frozenset[str]
    is_fresh: bool


def restore(
    store: Store, manifest: Manifest, destination: Path, paths: Sequence[str], progress: Progress, token: CancelToken
) -> Restored:
    """Write the entries of `manifest` (all, or those at or below `paths`) under `destination`.

    Without paths the destination must be new or empty. A file that stands there already is replaced atomically.
    It can be run again after it was stopped: what is there already and right is left alone.
    Raises MisuseError, StoreError (damaged content; what was written so far stays), OSError.
    """
    wanted = Manifest.of(_wanted(manifest, paths)) if paths else manifest
    destination.mkdir(parents=True, exist_ok=True)
    destination = destination.resolve()
    is_fresh = not os.listdir(destination)
    if not paths and not is_fresh and any(manifest.entry(here) is None for here in _standing(destination)):
        raise MisuseError(
            f"{destination} holds files that are not in the snapshot",
            "Restore into a new folder, or name the paths to bring back.",
        )
    kept = dict(_folder_entries(wanted))
    above = {up for path in wanted.folders if path for up in (*parents(path), path)}
    for folder in sorted({*kept, *(TreePath(path) for path in above)}):
        target = on_disk(destination, folder)
        if is_fresh or not target.is_dir():
            target.mkdir()
    if not is_fresh:
        _sweep(destination, wanted)
    twins = dict(_twins(wanted))
    with many_values():
        bare = _fill_folders(store, wanted, _Share(store.folder, destination, (), frozenset(twins), is_fresh), progress, token)
    for path, first in twins.items():
        _put_twin(on_disk(destination, path), on_disk(destination, tree_path(first)))
    # Modes last: a folder nobody may write into has to be filled first.
    for folder in sorted(kept, reverse=True):
        if not give_facts(on_disk(destination, folder), kept[folder]):
            bare.append(folder)
    sync_file_system(destination)
    return Restored(sum(len(folder.names) for folder in wanted.folders.values()), tuple(sorted(bare)))


def _wanted(manifest: Manifest, paths: Sequence[str]) -> dict[TreePath, Entry]:
    wanted = {}
    for path in paths:
        inside = {at: entry for at, entry in manifest.entries.items() if under(at, tree_path(path.rstrip("/")))}
        if not inside:
            raise StoreError(f"the snapshot has nothing at {path}")
        wanted.update(inside)
    return wanted


def _folder_entries(manifest: Manifest) -> Iterator[tuple[TreePath, Entry]]:
    for folder in manifest.folders.values():
        for row, mode in enumerate(folder.facts[MODE::FACTS]):
            if stat.S_ISDIR(mode):
                yield folder.path_of(row), folder.entry(row)


def _twins(manifest: Manifest) -> Iterator[tuple[TreePath, str]]:
    """Further names of files, each with the first one, where that is restored, too."""
    for folder in manifest.folders.values():
        for name, extra in folder.extras.items():
            if extra.twin and manifest.entry(extra.twin) is not None:
                yield joined(folder.path, name), extra.twin


def _standing(destination: Path) -> list[str]:
    found = []
    for folder, folders, files in os.walk(destination):
        names = (*folders, *(name for name in files if not name.startswith(_TEMPORARY)))
        found += [os.path.relpath(os.path.join(folder, name), destination) for name in names]
    return found


def _sweep(destination: Path, wanted: Manifest) -> None:
    """Remove what a killed restore left under a temporary name where this one is going to write."""
    for path in wanted.folders:
        folder = on_disk(destination, TreePath(path)) if path else destination
        for leftover in folder.glob(_TEMPORARY + "*"):
            leftover.unlink(missing_ok=True)


def _fill_folders(
    store: Store, wanted: Manifest, common: _Share, progress: Progress, token: CancelToken
) -> list[TreePath]:
    """Write files and links, a great many in two processes; the paths whose extended attributes were not taken."""
    folders = list(wanted.folders.values())
    sizes = [sum(folder.facts[SIZE::FACTS]) + _PER_FILE * len(folder.names) for folder in folders]
    total = sum(len(folder.names) for folder in folders)

    def share(part: Sequence[Folder]) -> _Share:
        fields = [(folder.path, folder.names, folder.facts, folder.digests, folder.extras) for folder in part]
        return replace(common, folders=fields)

    if not is_worthwhile(total, sum(sizes) - _PER_FILE * total):
        return _write_share(store, share(folders), lambda count: progress("restoring", count, total), token)
    half = bisect_left(list(accumulate(sizes)), sum(sizes) // 2)
    with Second(f"{__name__}:restore_share", share(folders[half:])) as second:

        def tell(count: int) -> None:
            progress("restoring", count + second.done, total)

        bare = _write_share(store, share(folders[:half]), tell, token)
        return bare + list(second.result(token))


def restore_share(share: _Share, tell: Callable[[int], None]) -> list[TreePath]:
    """In the second process. Raises as `restore`."""
    return _write_share(Store(share.store), share, tell, CancelToken())


def _write_share(store: Store, share: _Share, tell: Callable[[int], None], token: CancelToken) -> list[TreePath]:
    """The paths whose extended attributes were not taken."""
    writer = _Writer(store, share.destination, share.is_fresh)
    files: list[_File] = []
    for fields in share.folders:
        token.check()
        folder = Folder(*fields)
        files += _files_of(store, folder, share.twins)
        for name, extra in folder.extras.items():
            row = folder.find(name)
            if extra.target and row is not None:
                _put_link(on_disk(share.destination, folder.path_of(row)), folder.entry(row))
    files.sort()
    for number, file in enumerate(files):
        if number % 64 == 0:
            token.check()
            tell(number)
        writer.put(file)
    return writer.bare


def _files_of(store: Store, folder: Folder, twins: frozenset[str]) -> Iterator[_File]:
    """The files of a folder to be written. No entries are made of them: there may be very many."""
    facts = folder.facts
    for row in folder.file_rows():
        path = folder.path_of(row)
        if path in twins:
            continue
        digest = folder.digest(row)
        at = FACTS * row
        extra = folder.extras.get(folder.names[row], NO_EXTRA) if folder.extras else NO_EXTRA
        pack, place = store.place(digest)
        mode, size, mtime_ns = facts[at + MODE] & 0o7777, facts[at + SIZE], facts[at + MTIME]
        yield _File(pack, place, path, digest, mode, size, mtime_ns, extra.attributes, extra.sparse)


@dataclass
class _Writer:
    store: Store
    destination: Path
    is_fresh: bool
    bare: list[TreePath] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._root = os.fspath(self.destination)
        self._name = f"{_TEMPORARY}{os.getpid()}"
        self._safe = {""} if not self.is_fresh else None
        self._given = 0o666 & ~_umask()

    def put(self, file: _File) -> None:
        path = file.path
        head, _, _ = path.rpartition("/")
        if self._safe is not None and head not in self._safe:
            on_disk(self.destination, path)  # no folder on the way is a link
            self._safe.add(head)
        target = f"{self._root}/{path}"
        replaces = False
        if not self.is_fresh:
            here = entry_at(Path(target))
            if here == Entry(Kind.FILE, file.mode, file.content.hex(), attributes=file.attributes):
                os.utime(target, ns=(file.mtime_ns, file.mtime_ns))
                return
            if here is not None and here.kind is Kind.FOLDER:
                raise MisuseError(f"a folder stands where {target} is to be restored")
            replaces = here is not None
        temporary = f"{self._root}/{head}/{self._name}" if head else f"{self._root}/{self._name}"
        self._write(temporary, file, replaces=replaces)
        os.rename(temporary, target)

    def _write(self, temporary: str, file: _File, *, replaces: bool) -> None:
        flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
        handle = os.open(temporary, flags, 0o666 if file.mode == self._given else 0o600)
        try:
            try:
                self._fill(handle, file)
                if file.attributes and not _set_attributes(handle, file.attributes):
                    self.bare.append(file.path)
                if file.mode != self._given:
                    os.fchmod(handle, file.mode)
                os.utime(handle, ns=(file.mtime_ns, file.mtime_ns))
                if replaces:
                    os.fsync(handle)
            finally:
                os.close(handle)
        except BaseException:
            with contextlib.suppress(OSError):
                Path(temporary).unlink()
            raise

    def _fill(self, handle: int, file: _File) -> None:
        pieces = self.store.pieces(file.content, (file.pack, file.place))
        piece = next(pieces, b"")
        if not isinstance(piece, int) and len(piece) == file.size and not file.sparse:
            _write_all(handle, piece)  # one blob, looked at by the store already
            return
        hasher = blake3.blake3()
        while piece:
            hasher.update(bytes(piece) if isinstance(piece, int) else piece)
            if isinstance(piece, int):
                os.lseek(handle, piece, os.SEEK_CUR)
            elif file.sparse:
                _write_sparse(handle, piece)
            else:
                _write_all(handle, piece)
            piece = next(pieces, b"")
        os.ftruncate(handle, file.size)
        if hasher.digest() != file.content:
            raise DigestMismatch(f"the parts of {file.content.hex()[:12]} do not make what was put in")


def _write_all(handle: int, data: bytes) -> None:
    written = os.write(handle, data)
    while written < len(data):
        data = data[written:]
        written = os.write(handle, data)


def _write_sparse(handle: int, data: bytes) -> None:
    """Write `data`, but leave holes where whole blocks hold nothing but zeros."""
    nothing = bytes(_HOLE)
    for at in range(0, len(data), _HOLE):
        block = data[at : at + _HOLE]
        if block == nothing:
            os.lseek(handle, _HOLE, os.SEEK_CUR)
        else:
            _write_all(handle, block)


def _set_attributes(place: Path | int, attributes: Sequence[tuple[str, bytes]]) -> bool:
    """Whether the file system took them all."""
    for name, value in attributes:
        try:
            os.setxattr(place, name, value)
        except OSError as error:
            if error.errno not in (errno.ENOTSUP, errno.EPERM, errno.EACCES):
                raise
            return False
    return True


def give_facts(target: Path, entry: Entry) -> bool:
    """Give a folder its attributes, mode and time; whether the file system took the attributes."""
    took = _set_attributes(target, entry.attributes)
    target.chmod(entry.mode)
    os.utime(target, ns=(entry.mtime_ns, entry.mtime_ns))
    return took


def _put_link(target: Path, entry: Entry) -> None:
    if entry_at(target) != entry:
        temporary = _beside(target)
        os.symlink(entry.content, temporary)
        _rename_over(temporary, target)
    with contextlib.suppress(NotImplementedError):
        os.utime(target, ns=(entry.mtime_ns, entry.mtime_ns), follow_symlinks=False)


def _put_twin(target: Path, first: Path) -> None:
    """Another name for the file at `first`."""
    if os.path.lexists(target) and os.path.samestat(target.lstat(), first.lstat()):
        return
    temporary = _beside(target)
    os.link(first, temporary, follow_symlinks=False)
    _rename_over(temporary, target)


def _beside(target: Path) -> Path:
    temporary = target.with_name(f"{_TEMPORARY}{os.getpid()}")
    temporary.unlink(missing_ok=True)
    return temporary


def _rename_over(temporary: Path, target: Path) -> None:
    if target.is_dir() and not target.is_symlink():
        temporary.unlink()
        raise MisuseError(f"a folder stands where {target} is to be restored")
    os.rename(temporary, target)


def _umask() -> int:
    """The mask for new files; read where it does not have to be set for that, as other threads write files too."""
    with contextlib.suppress(OSError):
        if found := re.search(r"^Umask:\s*([0-7]+)", Path("/proc/self/status").read_text(), re.MULTILINE):
            return int(found[1], 8)
    return 0o777  # then every mode is set on its own


def sync_file_system(folder: Path) -> None:
    """Wait until all that was written below `folder` is on the disk. Raises OSError."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        library = ctypes.CDLL(None, use_errno=True)
        if library.syncfs(handle) != 0:
            number = ctypes.get_errno()
            raise OSError(number, os.strerror(number), os.fspath(folder))
    finally:
        os.close(handle)
    sync_folder(folder)
