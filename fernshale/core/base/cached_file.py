"""Entries of the cache folder that several processes may need at the same time: one makes them, the others wait for it."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TypeVar
from zipfile import BadZipFile

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.lock import locked
from fernshale.core.base.work import CancelToken

T = TypeVar("T")

# What reading a missing, incomplete or damaged entry raises: it is only a cache, and the entry is made again.
_UNUSABLE = (OSError, ValueError, KeyError, TypeError, IndexError, RecursionError, BadZipFile)


def cached_file(
    path: Path, read: Callable[[bytes], T], make: Callable[[], T], write: Callable[[T], bytes], token: CancelToken
) -> T:
    """The value that the file at `path` holds; made and written where it is missing or unusable.

    `read` raises ValueError, KeyError, TypeError or IndexError for bytes that it cannot use. Raises Cancelled, also while another
    process makes the value; OSError where the file cannot be written; and what `make` raises, then nothing is written.
    """
    with contextlib.suppress(*_UNUSABLE):
        return read(path.read_bytes())
    with made_once(path, token):
        with contextlib.suppress(*_UNUSABLE):
            return read(path.read_bytes())  # another process has made it in the meantime
        value = make()
        write_atomic(path, write(value))
        return value


@contextlib.contextmanager
def made_once(path: Path, token: CancelToken) -> Iterator[None]:
    """Context in which no other process makes the cache entry at `path`. Check first whether it is there now. Raises Cancelled."""
    path.parent.mkdir(parents=True, exist_ok=True)
    lock = path.with_name(f".{path.name}.lock")
    with locked(lock, lambda holder: token.check()):
        try:
            yield
        finally:
            lock.unlink(missing_ok=True)
