"""Restore a snapshot, or some of its paths, exactly, and without following a symbolic link out of the tree.

A file gets its name only once it is complete. For an empty destination, everything is written below one temporary name, synced,
and moved up at the end. Otherwise a file that replaces another is synced first; the rest is synced at once at the end. An
interrupted restore can be run again: it compares contents, not names.
"""

from __future__ import annotations

import contextlib
import errno
import os
import re
import shutil
import stat
from bisect import bisect_left
from collections.abc import Callable, Container, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from itertools import accumulate
from pathlib import Path
from typing import NamedTuple

import blake3

from fernshale.core.base.disk import sync_file_system, write_all
from fernshale.core.base.errors import MisuseError, StoreError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, joined, on_disk, parents, tree_path, under
from fernshale.core.base.work import CancelToken, Work, many_values
from fernshale.core.process.workers import WorkerProcess, is_worthwhile
from fernshale.core.snapshot.manifest import FACTS, MODE, MTIME, NO_EXTRA, SIZE, EntryKind, Extra, Manifest, TreeEntry
from fernshale.core.snapshot.pack import DigestMismatch
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import entry_at

_TEMPORARY = ".fernshale-restore-"
_WHOLE = f"{_TEMPORARY}whole"
_HOLE = 4096
# Cost in equivalent bytes: of writing one file, and of starting a second process.
_COST_PER_FILE = 200_000
_COST_OF_PROCESS = 500_000_000


@dataclass(frozen=True, slots=True)
class Restored:
    """The number of restored paths, and those whose extended attributes the file system did not accept."""

    paths: int
    without_attributes: tuple[TreePath, ...] = ()


class _File(NamedTuple):
    path: TreePath
    mode: int
    size: int
    mtime_ns: int
    extra: Extra


@dataclass(frozen=True)
class _Share:
    """Files for one process to write; `digests` has 32 bytes of each."""

    store: Path
    destination: Path
    is_fresh: bool
    files: Sequence[_File] = ()
    digests: bytes = b""

    def part(self, rows: Sequence[int]) -> _Share:
        digests = b"".join([self.digests[32 * row : 32 * row + 32] for row in rows])
        return replace(self, files=[self.files[row] for row in rows], digests=digests)


def restore(store: Store, manifest: Manifest, destination: Path, paths: Sequence[str], work: Work) -> Restored:
    """Write the entries of `manifest` (all, or those at or below `paths`) under `destination`.

    Without paths, the destination must be new or empty. An existing file is replaced atomically. It can be run again after an
    interruption: correct files are left alone. Raises MisuseError, StoreError (damaged content; files written so far stay),
    OSError.
    """
    wanted = Manifest.of(_wanted(manifest, paths)) if paths else manifest
    destination.mkdir(parents=True, exist_ok=True)
    destination = destination.resolve()
    root, is_fresh = _destination(destination, wanted)
    if not paths and not is_fresh and any(manifest.entry(here) is None for here in _standing(root)):
        raise MisuseError(
            tr("{destination} holds files that are not in the snapshot", destination=destination),
            tr("Restore into a new folder, or name the paths to bring back."),
        )
    kept = dict(_folder_entries(wanted))
    above = {up for path in wanted.folders if path for up in (*parents(path), path)}
    for folder in sorted({*kept, *(TreePath(path) for path in above)}):
        if is_fresh:
            (root / folder).mkdir()  # the destination is new, so it contains no links
        elif not (target := on_disk(root, folder)).is_dir():
            target.mkdir()
    if not is_fresh:
        _sweep(root, wanted)
    twins = dict(_twins(wanted))
    with many_values():
        everything = partial(_listed, wanted, twins, _Share(store.folder, root, is_fresh), work.token)
        bare = _write_files(store, wanted, everything, work)
    for path, entry in _links(wanted):
        _put_link(on_disk(root, path), entry)
    for path, first in twins.items():
        _put_twin(on_disk(root, path), on_disk(root, tree_path(first)))
    if root != destination:
        sync_file_system(destination)
        _move_up(root, destination)
    # Set modes last: a read-only folder has to be filled first.
    for folder in sorted(kept, reverse=True):
        if not give_facts(on_disk(destination, folder), kept[folder]):
            bare.append(folder)
    sync_file_system(destination)
    return Restored(sum(len(folder.names) for folder in wanted.folders.values()), tuple(sorted(bare)))


def _destination(destination: Path, wanted: Manifest) -> tuple[Path, bool]:
    """Return where to write, and whether that place is empty. The rest of an interrupted restore is continued. Raises OSError."""
    names = os.listdir(destination)
    whole = destination / _WHOLE
    if _WHOLE in names:
        if len(names) > 1:
            _move_up(whole, destination)  # it was stopped while it did that: everything was written
            return destination, False
        if all(wanted.entry(here) is not None for here in _standing(whole)):
            return whole, False
        shutil.rmtree(whole)
    elif names:
        return destination, False
    whole.mkdir()
    return whole, True


def _move_up(whole: Path, destination: Path) -> None:
    for name in sorted(os.listdir(whole)):
        if not name.startswith(_TEMPORARY):
            if os.path.lexists(destination / name):
                raise MisuseError(tr("something else stands at {destination} by now", destination=destination / name))
            os.rename(whole / name, destination / name)
    shutil.rmtree(whole)


def _wanted(manifest: Manifest, paths: Sequence[str]) -> dict[TreePath, TreeEntry]:
    wanted = {}
    for path in paths:
        inside = {at: entry for at, entry in manifest.entries.items() if under(at, tree_path(path.rstrip("/")))}
        if not inside:
            raise StoreError(tr("the snapshot has nothing at {path}", path=path))
        wanted.update(inside)
    return wanted


def _folder_entries(manifest: Manifest) -> Iterator[tuple[TreePath, TreeEntry]]:
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
    """Remove temporary files of a killed restore in the places to write."""
    for path in wanted.folders:
        folder = on_disk(destination, TreePath(path)) if path else destination
        for leftover in folder.glob(_TEMPORARY + "*"):
            leftover.unlink(missing_ok=True)


def _listed(wanted: Manifest, twins: Container[str], share: _Share, token: CancelToken) -> _Share:
    """All files to be written as one share. No entries are made of them: there may be very many."""
    files: list[_File] = []
    digests = bytearray()
    for folder in wanted.folders.values():
        token.check()
        facts, names, extras = folder.facts, folder.names, folder.extras
        prefix = f"{folder.path}/" if folder.path else ""
        for row in folder.file_rows():
            name = names[row]
            path = TreePath(prefix + name)
            if path not in twins:
                at = FACTS * row
                extra = extras.get(name, NO_EXTRA) if extras else NO_EXTRA
                files.append(_File(path, facts[at + MODE] & 0o7777, facts[at + SIZE], facts[at + MTIME], extra))
                digests += folder.digests[32 * row : 32 * row + 32]
    return replace(share, files=files, digests=bytes(digests))


def _links(wanted: Manifest) -> Iterator[tuple[TreePath, TreeEntry]]:
    for folder in wanted.folders.values():
        for name, extra in folder.extras.items():
            row = folder.find(name)
            if extra.target and row is not None:
                yield folder.path_of(row), folder.entry(row)


def _write_files(store: Store, wanted: Manifest, everything: Callable[[], _Share], work: Work) -> list[TreePath]:
    """Write the files, very many in two processes; return the paths whose extended attributes were not accepted.

    `everything` lists all files; the second process starts meanwhile.
    """
    total = sum(len(folder.names) for folder in wanted.folders.values())
    if not is_worthwhile(total, sum(sum(folder.facts[SIZE::FACTS]) for folder in wanted.folders.values())):
        return _write_share(store, everything(), lambda count: work.progress(tr("restoring"), count, total), work.token)
    with WorkerProcess(f"{__name__}:restore_share") as second:
        whole = everything()
        # Divide between blocks, so that no block is decompressed twice.
        blocks = store.blocks(whole.digests)
        costs = [sum(whole.files[row].size + _COST_PER_FILE for row in rows) for rows in blocks]
        half = bisect_left(list(accumulate(costs)), (sum(costs) + _COST_OF_PROCESS) // 2)
        mine, others = ([row for rows in part for row in rows] for part in (blocks[:half], blocks[half:]))
        second.give(whole.part(others))

        def tell(count: int) -> None:
            work.progress(tr("restoring"), count + second.done, total)

        bare = _write_share(store, whole.part(mine), tell, work.token)
        return bare + list(second.result(work.token))


def restore_share(share: _Share, tell: Callable[[int], None]) -> list[TreePath]:
    """In the second process. Raises as `restore`."""
    return _write_share(Store(share.store), share, tell, CancelToken())


def _write_share(store: Store, share: _Share, tell: Callable[[int], None], token: CancelToken) -> list[TreePath]:
    """Write a share of the files; return the paths whose extended attributes were not accepted."""
    writer = _Writer(store, share.destination, share.is_fresh)
    digests = share.digests
    # In storage order, so that each block is decompressed once.
    for number, (row, content) in enumerate(store.contents(digests)):
        if number % 64 == 0:
            token.check()
            tell(number)
        writer.put(share.files[row], digests[32 * row : 32 * row + 32], content)
    return writer.bare


@dataclass
class _Writer:
    store: Store
    destination: Path
    is_fresh: bool
    bare: list[TreePath] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._root = os.fspath(self.destination)
        self._name = f"{_TEMPORARY}{os.getpid()}"
        self._safe = {""}
        self._given = 0o666 & ~_umask()

    def put(self, file: _File, digest: bytes, content: memoryview | None) -> None:
        """Write a file; its content is read from the store if it is not in memory. Raises MisuseError where a folder
        has its path."""
        path = file.path
        target = f"{self._root}/{path}"
        if self.is_fresh:
            self._write(target, file, digest, content)
            return
        head, _, _ = path.rpartition("/")
        if head not in self._safe:
            on_disk(self.destination, path)  # no parent folder is a link
            self._safe.add(head)
        here = entry_at(Path(target))
        if here == TreeEntry(EntryKind.FILE, file.mode, digest.hex(), attributes=file.extra.attributes):
            os.utime(target, ns=(file.mtime_ns, file.mtime_ns))
            return
        if here is not None and here.kind is EntryKind.FOLDER:
            raise MisuseError(tr("a folder stands where {target} is to be restored", target=target))
        temporary = f"{self._root}/{head}/{self._name}" if head else f"{self._root}/{self._name}"
        self._write(temporary, file, digest, content, replaces=here is not None)
        os.rename(temporary, target)

    def _write(
        self, place: str, file: _File, digest: bytes, content: memoryview | None, *, replaces: bool = False
    ) -> None:
        flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
        handle = os.open(place, flags, 0o666 if file.mode == self._given else 0o600)
        try:
            try:
                extra = file.extra
                if content is not None and len(content) == file.size and not extra.sparse:
                    write_all(handle, content)  # one blob, looked at by the store already
                else:
                    self._fill(handle, file, digest)
                if extra.attributes and not _set_attributes(handle, extra.attributes):
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
                Path(place).unlink()
            raise

    def _fill(self, handle: int, file: _File, digest: bytes) -> None:
        """Piece by piece; the digest of the whole is looked at here."""
        hasher = blake3.blake3()
        for piece in self.store.pieces(digest):
            hasher.update(bytes(piece) if isinstance(piece, int) else piece)
            if isinstance(piece, int):
                os.lseek(handle, piece, os.SEEK_CUR)
            elif file.extra.sparse:
                _write_sparse(handle, piece)
            else:
                write_all(handle, piece)
        os.ftruncate(handle, file.size)
        if hasher.digest() != digest:
            raise DigestMismatch(tr("the parts of {digest} do not make what was put in", digest=digest.hex()[:12]))


def _write_sparse(handle: int, data: bytes) -> None:
    """Write `data`, but leave holes where whole blocks hold nothing but zeros."""
    nothing = bytes(_HOLE)
    for at in range(0, len(data), _HOLE):
        block = data[at : at + _HOLE]
        if block == nothing:
            os.lseek(handle, _HOLE, os.SEEK_CUR)
        else:
            write_all(handle, block)


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


def give_facts(target: Path, entry: TreeEntry) -> bool:
    """Set a folder's attributes, mode and time; return whether the file system accepted the attributes."""
    took = _set_attributes(target, entry.attributes)
    target.chmod(entry.mode)
    os.utime(target, ns=(entry.mtime_ns, entry.mtime_ns))
    return took


def _put_link(target: Path, entry: TreeEntry) -> None:
    if entry_at(target) != entry:
        temporary = _temporary_path(target)
        os.symlink(entry.content, temporary)
        _rename_over(temporary, target)
    with contextlib.suppress(NotImplementedError):
        os.utime(target, ns=(entry.mtime_ns, entry.mtime_ns), follow_symlinks=False)


def _put_twin(target: Path, first: Path) -> None:
    """Another name for the file at `first`."""
    if os.path.lexists(target) and os.path.samestat(target.lstat(), first.lstat()):
        return
    temporary = _temporary_path(target)
    os.link(first, temporary, follow_symlinks=False)
    _rename_over(temporary, target)


def _temporary_path(target: Path) -> Path:
    temporary = target.with_name(f"{_TEMPORARY}{os.getpid()}")
    temporary.unlink(missing_ok=True)
    return temporary


def _rename_over(temporary: Path, target: Path) -> None:
    if target.is_dir() and not target.is_symlink():
        temporary.unlink()
        raise MisuseError(tr("a folder stands where {target} is to be restored", target=target))
    os.rename(temporary, target)


def _umask() -> int:
    """Return the mask for new files; reads it without setting it if possible, since other threads write files, too."""
    with contextlib.suppress(OSError):
        if found := re.search(r"^Umask:\s*([0-7]+)", Path("/proc/self/status").read_text(), re.MULTILINE):
            return int(found[1], 8)
    return 0o777  # then every mode is set on its own
