"""Read one file with consistent content and metadata, and pass the content to a writer."""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple, Protocol

import blake3

from fernshale.core.base.work import CancelToken
from fernshale.core.snapshot.manifest import UNREAD

# From here on a file is read in pieces and kept in chunks.
LARGE = 1 << 20
_PIECE = 1 << 22
_SMALLEST_SPARSE = 1 << 13
_ZEROS = bytes(1 << 20)
_TRIES = 5
_FORMAT, _REGULAR = 0o170000, stat.S_IFREG
_LARGEST_INODE = (1 << 63) - 1
# Attributes that belong to the file; others belong to the machine (labels, capabilities).
_KEPT_ATTRIBUTES = ("user.", "system.posix_acl_")


class Keep(Protocol):
    """Receives contents. Its own errors are raised as KeepFailed, to distinguish them from errors of the file."""

    chunks: bool
    """Whether large content is wanted in chunks; else only its digest is made."""

    def whole(self, data: bytes, digest: bytes) -> None:
        """The content of a small file."""

    def part(self, data: bytes) -> bytes:
        """A chunk of a large file; its digest."""

    def large(self, digest: bytes, parts: Sequence[tuple[int, bytes]]) -> None:
        """A large file by its parts, each (size, digest); the digest of a hole is UNREAD."""


class KeepFailed(Exception):
    """Content could be read but not stored; `cause` is the reason."""

    def __init__(self, cause: OSError) -> None:
        super().__init__(str(cause))
        self.cause = cause


class _HashOnly:
    chunks = False

    def whole(self, data: bytes, digest: bytes) -> None:
        pass

    def part(self, data: bytes) -> bytes:
        return UNREAD

    def large(self, digest: bytes, parts: Sequence[tuple[int, bytes]]) -> None:
        pass


hash_only: Keep = _HashOnly()


class ReadFile(NamedTuple):
    """The result: `facts` are size, mtime, ctime (ns), inode, mode as in `manifest.Folder`."""

    digest: bytes
    facts: tuple[int, int, int, int, int]
    attributes: tuple[tuple[str, bytes], ...]
    sparse: bool


def read_file(path: str, keep: Keep, token: CancelToken, folder: int | None = None) -> ReadFile:
    """Read the file at `path` without following links; read it again if it changes or is replaced meanwhile.

    `path` is relative to the handle `folder`. Raises OSError (also if it keeps changing), KeepFailed, Cancelled.
    """
    for _ in range(_TRIES):
        # Straight to the system: this runs for each of very many small files. A pipe must not make it wait.
        handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, dir_fd=folder)
        try:
            before = os.fstat(handle)
            if before.st_mode & _FORMAT != _REGULAR:
                raise OSError(errno.EINVAL, "not a file any more", path)
            size = before.st_size
            parts: Sequence[tuple[int, bytes]] = ()
            if size < LARGE:
                data = os.read(handle, size + 1)
                if len(data) != size:  # a short read of a file is its end
                    data = _read_on(handle, data)
                    size = len(data)
                digest = blake3.blake3(data).digest()
            else:
                data = b""
                size, digest, parts = _read_large(handle, before, keep, token)
            after = os.fstat(handle)
            mtime_ns, ctime_ns = after.st_mtime_ns, after.st_ctime_ns
            if (size, mtime_ns, ctime_ns) != (after.st_size, before.st_mtime_ns, before.st_ctime_ns):
                continue
            now = os.stat(path, dir_fd=folder, follow_symlinks=False)
            if (now.st_ino, now.st_dev) != (after.st_ino, after.st_dev):
                continue  # another file has that name by now
            attributes = attributes_of(handle)
        finally:
            os.close(handle)
        if parts:
            keep.large(digest, parts)
        else:
            keep.whole(data, digest)
        facts = (size, mtime_ns, ctime_ns, after.st_ino & _LARGEST_INODE, after.st_mode)
        return ReadFile(digest, facts, attributes, is_sparse(after))
    raise OSError(errno.EBUSY, "keeps changing while it is read", path)


def is_sparse(status: os.stat_result) -> bool:
    """Return whether a file uses less space than its size."""
    return status.st_size >= _SMALLEST_SPARSE and status.st_blocks * 512 < status.st_size


def attributes_of(place: str | Path | int) -> tuple[tuple[str, bytes], ...]:
    """The extended attributes that are kept of a file or folder; none where the file system has none."""
    try:
        names = os.listxattr(place)
    except OSError:
        return ()
    if not names:
        return ()
    found = []
    for name in sorted(names):
        if name.startswith(_KEPT_ATTRIBUTES):
            with suppress(OSError):  # removed meanwhile
                found.append((name, os.getxattr(place, name)))
    return tuple(found)


def _read_on(handle: int, start: bytes) -> bytes:
    parts = [start]
    while parts[-1]:
        parts.append(os.read(handle, _PIECE))
    return b"".join(parts)


def _read_large(
    handle: int, status: os.stat_result, keep: Keep, token: CancelToken
) -> tuple[int, bytes, Sequence[tuple[int, bytes]]]:
    from fernshale.core.snapshot.cutting import Cutter

    hasher = blake3.blake3()
    cutter = Cutter()
    parts: list[tuple[int, bytes]] = []
    size = 0

    def put(chunks: Iterator[bytes]) -> None:
        parts.extend((len(chunk), keep.part(chunk)) for chunk in chunks)

    for piece in _pieces(handle, status):
        token.check()
        if isinstance(piece, int):
            put(cutter.finish())
            parts.append((piece, UNREAD))
            for at in range(0, piece, len(_ZEROS)):
                hasher.update(_ZEROS[: piece - at])
            size += piece
            continue
        hasher.update(piece)
        size += len(piece)
        if keep.chunks:
            put(cutter.feed(piece))
    put(cutter.finish())
    return size, hasher.digest(), parts


def _pieces(handle: int, status: os.stat_result) -> Iterator[bytes | int]:
    """The content from front to end; a hole of a sparse file as its length."""
    at, end = 0, status.st_size
    sparse = is_sparse(status)
    while True:
        data, hole = next_data(handle, at, end) if sparse and at < end else (at, 0)
        if data > at:
            yield data - at
            at = data
            continue
        os.lseek(handle, at, os.SEEK_SET)
        piece = os.read(handle, min(_PIECE, hole - at) if hole > at else _PIECE)
        if not piece:
            return
        yield piece
        at += len(piece)


def next_data(handle: int, at: int, end: int) -> tuple[int, int]:
    """Return the next data region of a sparse file from `at` on: its start and end."""
    try:
        data = os.lseek(handle, at, os.SEEK_DATA)
        return data, os.lseek(handle, data, os.SEEK_HOLE)
    except OSError as error:
        # Only a hole up to the end; or a file system without this information.
        return (end, end) if error.errno == errno.ENXIO else (at, end)
