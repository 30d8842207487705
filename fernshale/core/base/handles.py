"""Access files below a root through directory handles, one folder at a time, without following symbolic links.

A checked path can lead elsewhere a moment later, when someone replaces a folder with a link. A handle keeps referring to the
folder that was opened.
"""

from __future__ import annotations

import contextlib
import errno
import os
import stat
from collections.abc import Iterator
from pathlib import Path

from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import tree_path

_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC


class Below:
    """The tree below `root`, which itself may be reached through links. Use it in a `with` statement."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self._handle = os.open(root, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)

    def __enter__(self) -> Below:
        return self

    def __exit__(self, *_: object) -> None:
        os.close(self._handle)

    @contextlib.contextmanager
    def folder(self, path: str) -> Iterator[int]:
        """Return a handle of the folder at `path`, "" for the root.

        Raises OSError: FileNotFoundError, NotADirectoryError, and ELOOP if a part of the path is a symbolic link.
        """
        handle = os.dup(self._handle)
        try:
            at = ""
            for part in tree_path(path).split("/") if path else ():
                at = f"{at}/{part}" if at else part
                deeper = self._open_folder(handle, part, at)
                os.close(handle)
                handle = deeper
            yield handle
        finally:
            os.close(handle)

    @contextlib.contextmanager
    def parent(self, path: str) -> Iterator[tuple[int, str]]:
        """A handle of the folder that has `path`, and its name there. Raises as `folder`."""
        head, _, name = tree_path(path).rpartition("/")
        with self.folder(head) as handle:
            yield handle, name

    def status(self, path: str) -> os.stat_result | None:
        """Return the status of the entry at `path` without following links; None if it does not exist. Raises OSError if a
        parent is a link."""
        with contextlib.suppress(FileNotFoundError, NotADirectoryError), self.parent(path) as (folder, name):
            return os.stat(name, dir_fd=folder, follow_symlinks=False)
        return None

    def open(self, path: str, flags: int = os.O_RDONLY, mode: int = 0o600) -> int:
        """Open the file at `path`; fails if it is a link. Raises OSError."""
        with self.parent(path) as (folder, name):
            return os.open(name, flags | os.O_NOFOLLOW | os.O_CLOEXEC, mode, dir_fd=folder)

    def read(self, path: str) -> bytes:
        """Read the file at `path`. Raises OSError, also if it is not a regular file."""
        handle = self.open(path, os.O_RDONLY | os.O_NONBLOCK)
        with os.fdopen(handle, "rb") as file:
            if not stat.S_ISREG(os.fstat(handle).st_mode):
                raise OSError(errno.EINVAL, "not a file", str(self.root / path))
            return file.read()

    def _open_folder(self, handle: int, name: str, path: str) -> int:
        try:
            return os.open(name, _FOLDER, dir_fd=handle)
        except OSError as error:
            if error.errno in (errno.ELOOP, errno.ENOTDIR) and _is_link(handle, name):
                words = tr("is a symbolic link; nothing is read or written through it")
                raise OSError(errno.ELOOP, words, str(self.root / path)) from error
            raise


def _is_link(folder: int, name: str) -> bool:
    try:
        return stat.S_ISLNK(os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode)
    except OSError:
        return False


def is_blocked_by_link(error: OSError) -> bool:
    """Return whether an error from `Below` means that a part of the path is a symbolic link."""
    return error.errno == errno.ELOOP
