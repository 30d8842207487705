"""Write files atomically: temporary file in the same folder, sync, rename, sync of the folder."""

from __future__ import annotations

import contextlib
import ctypes
import os
import uuid
from collections.abc import Sequence
from pathlib import Path

_TEMPORARY = ".fernshale-"


def sweep(folder: Path) -> None:
    """Remove temporary files of killed `write_atomic` calls. Call it only while no other process writes to the folder."""
    for leftover in folder.glob(_TEMPORARY + "*"):
        with contextlib.suppress(FileNotFoundError):
            leftover.unlink()


def write_atomic(path: Path, data: bytes, mode: int = 0o644) -> None:
    """Write `data` so that after a crash the file is either the old or the new one. Raises OSError."""
    temporary = path.with_name(_TEMPORARY + uuid.uuid4().hex)
    try:
        write_synced(temporary, data, mode)
        os.replace(temporary, path)
    except BaseException:
        with contextlib.suppress(OSError):
            temporary.unlink()
        raise
    sync_folder(path.parent)


def write_synced(
    path: Path | str, data: bytes, mode: int, attributes: Sequence[tuple[str, bytes]] = (), folder: int | None = None
) -> None:
    """Write a new file at `path` and wait until it is on the disk; `folder` is a handle that `path` is seen from.

    Raises FileExistsError, OSError.
    """
    flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
    handle = os.open(path, flags, 0o600, dir_fd=folder)
    with os.fdopen(handle, "wb") as file:
        file.write(data)
        file.flush()
        for name, value in attributes:
            os.setxattr(file.fileno(), name, value)
        os.fchmod(file.fileno(), mode)  # exactly this mode, regardless of the umask
        os.fsync(file.fileno())


def write_all(handle: int, data: bytes | memoryview) -> None:
    """Write all of `data` to an open file, with as many calls as needed. Raises OSError."""
    written = os.write(handle, data)
    while written < len(data):
        data = data[written:]
        written = os.write(handle, data)


def sync_folder(folder: Path) -> None:
    """Make renames and deletions in `folder` lasting."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


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
