"""The content of many releases at each path, as arrays, so that a folder can be compared with all of them at once.

A content is represented by the first 64 bits of its BLAKE3 digest, once as it is and once `plain`: as UTF-8 with LF line ends
and without byte order mark, so that files that differ only in those count as equal.
"""

from __future__ import annotations

import hashlib
import io
import os
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import blake3

from fernshale.core.base.cached_file import cached_file
from fernshale.core.base.data_folder import cache_folder
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken

if TYPE_CHECKING:
    import numpy as np

# path -> (content, plain content)
FileColumn = Mapping[TreePath, tuple[int, int]]


@dataclass(frozen=True)
class ReleaseIndex:
    """`raw` and `plain` are (paths, releases) uint64; 0 where a release has no file at a path."""

    names: tuple[str, ...]
    paths: tuple[TreePath, ...]
    raw: np.ndarray
    plain: np.ndarray

    @cached_property
    def rows(self) -> dict[TreePath, int]:
        return {path: at for at, path in enumerate(self.paths)}

    def column(self, name: str) -> FileColumn:
        """Return the column of one release."""
        at = self.names.index(name)
        cells = zip(self.paths, self.raw[:, at].tolist(), self.plain[:, at].tolist(), strict=True)
        return {path: (raw, plain) for path, raw, plain in cells if raw}


def build_index(columns: Mapping[str, FileColumn]) -> ReleaseIndex:
    """Build the index of releases by name, in the order given."""
    import numpy as np

    paths = tuple(sorted({path for column in columns.values() for path in column}))
    rows = {path: at for at, path in enumerate(paths)}
    raw = np.zeros((len(paths), len(columns)), np.uint64)
    plain = np.zeros_like(raw)
    for at, column in enumerate(columns.values()):
        if column:
            found = np.fromiter((rows[path] for path in column), np.intp, len(column))
            raw[found, at] = np.fromiter((cell[0] for cell in column.values()), np.uint64, len(column))
            plain[found, at] = np.fromiter((cell[1] for cell in column.values()), np.uint64, len(column))
    return ReleaseIndex(tuple(columns), paths, raw, plain)


def index_folders(folders: Mapping[str, Path], token: CancelToken) -> ReleaseIndex:
    """Build the index of releases in folders without using a cache. Raises Cancelled, OSError."""
    return build_index({name: read_column(folder, token) for name, folder in folders.items()})


def shelf_index(folders: Mapping[str, Path], token: CancelToken) -> ReleaseIndex:
    """Build the index of releases on a shelf. They do not change, so it is cached on disk by their identity and location."""
    import numpy as np

    stamp = "\0".join(f"{name}\0{folder}\0{folder.stat().st_mtime_ns}" for name, folder in folders.items())
    kept = (
        cache_folder() / "shelves" / "index" / hashlib.sha256(stamp.encode("utf-8", "surrogateescape")).hexdigest()[:32]
    )

    def read(content: bytes) -> ReleaseIndex:
        with np.load(io.BytesIO(content), allow_pickle=False) as data:
            text = data["paths"].tobytes().decode("utf-8", "surrogateescape")
            paths = tuple(TreePath(path) for path in text.split("\0")) if text else ()
            if not data["raw"].shape == (len(paths), len(folders)) == data["plain"].shape:
                raise ValueError(tr("the tables have another shape"))
            return ReleaseIndex(tuple(folders), paths, data["raw"], data["plain"])

    def write(index: ReleaseIndex) -> bytes:
        file = io.BytesIO()
        paths = np.frombuffer("\0".join(index.paths).encode("utf-8", "surrogateescape"), np.uint8)
        np.savez(file, raw=index.raw, plain=index.plain, paths=paths)
        return file.getvalue()

    return cached_file(kept, read, lambda: index_folders(folders, token), write, token)


def read_column(folder: Path, token: CancelToken) -> FileColumn:
    """Read all files of a folder; links and unreadable files are left out."""
    column: dict[TreePath, tuple[int, int]] = {}
    waiting = [""]
    while waiting:
        token.check()
        at = waiting.pop()
        with os.scandir(folder / at if at else folder) as found:
            for item in found:
                path = TreePath(f"{at}/{item.name}" if at else item.name)
                if item.is_dir(follow_symlinks=False):
                    waiting.append(path)
                elif item.is_file(follow_symlinks=False):
                    with open(item.path, "rb", buffering=0) as file:
                        column[path] = cell_of(file.read())
    return column


def cell_of(data: bytes) -> tuple[int, int]:
    """(content, plain content) of a file."""
    raw = short_digest(blake3.blake3(data).hexdigest())
    plain = plain_content(data)
    return raw, raw if plain is data else short_digest(blake3.blake3(plain).hexdigest())


def plain_content(data: bytes) -> bytes:
    """Return a text as UTF-8 with `\

    ` line ends and without byte order mark; the same object if it is so already, or is no text.
    """
    if b"\r" not in data and data.isascii() and b"\0" not in data:
        return data
    for mark, encoding in ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be")):
        if data.startswith(mark):
            try:
                return _with_plain_ends(data[len(mark) :].decode(encoding).encode())
            except UnicodeDecodeError:
                return data
    if b"\0" in data:
        return data
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        # An 8-bit encoding. It cannot be identified; the western one is by far the most likely.
        return _with_plain_ends(data.decode("latin-1").encode())
    return _with_plain_ends(data) if b"\r" in data else data


def short_digest(digest: str) -> int:
    """The first 64 bits of a digest, never 0."""
    return int(digest[:16], 16) or 1


def _with_plain_ends(data: bytes) -> bytes:
    return data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
