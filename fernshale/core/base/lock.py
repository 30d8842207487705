"""Locks that the kernel frees when their holder dies, with a word on who holds them and since when."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import tr

_POLL_S = 0.05
# How long a child that a killed holder had just begun may keep its lock: until it runs a program of its own.
_HEIR_S = 2.0


@dataclass(frozen=True, slots=True)
class Holder:
    """The holder of a lock: its process id (0 if unknown), and for how long it has held the lock, seconds."""

    process: int
    age_s: float

    def __str__(self) -> str:
        return (
            tr("process {process}, for {age_s}", process=self.process, age_s=seconds(self.age_s))
            if self.process
            else tr("an unknown process")
        )


class Held(Exception):
    """Another process holds the lock."""

    def __init__(self, holder: Holder) -> None:
        super().__init__(str(holder))
        self.holder = holder


@contextlib.contextmanager
def locked(path: Path, on_wait: Callable[[Holder], None] | None = None) -> Iterator[None]:
    """Hold the lock at `path`. Raises Held at once if another process has it and there is no `on_wait`.

    With `on_wait`, waits and calls it repeatedly; an exception from it ends the waiting. There are no stale locks to break: the
    system releases the lock of a dead holder, whatever the file says.
    """
    while True:
        with path.open("a+", encoding="utf-8") as file:
            _acquire(file.fileno(), on_wait)
            if not _is_at(file.fileno(), path):
                continue  # the last holder removed this file, so the lock is another file now
            file.truncate(0)
            file.write(json.dumps({"process": os.getpid(), "since": time.time()}))
            file.flush()
            yield
            return


def _acquire(handle: int, on_wait: Callable[[Holder], None] | None) -> None:
    """Raises Held, and what `on_wait` raises."""
    heirs_until = time.monotonic() + _HEIR_S
    while True:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return
        except BlockingIOError as error:
            holder = _read(handle)
            if on_wait is not None:
                on_wait(holder)
            elif not _is_dead(holder.process) or time.monotonic() > heirs_until:
                raise Held(holder) from error
            time.sleep(_POLL_S)


def _is_at(handle: int, path: Path) -> bool:
    try:
        return os.path.samestat(os.fstat(handle), path.stat())
    except FileNotFoundError:
        return False


def _is_dead(process: int) -> bool:
    try:
        os.kill(process, 0)  # signal 0 only tests for existence; process id 0, an unknown holder, means our own group
    except ProcessLookupError:
        return True
    except (PermissionError, OverflowError):
        pass
    return False


def _read(handle: int) -> Holder:
    try:
        data = json.loads(os.pread(handle, 4096, 0))
        return Holder(int(data["process"]), max(0.0, time.time() - float(data["since"])))
    except (ValueError, KeyError, TypeError, RecursionError):
        return Holder(0, 0.0)
