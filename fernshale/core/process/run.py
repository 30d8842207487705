"""Run a command, hand its output on line by line, end its whole process group when cancelled or too slow.

The child leads a session of its own, so that ending the group reaches compilers started by a build tool.
"""

from __future__ import annotations

import contextlib
import os
import selectors
import signal
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import Cancelled, CommandError
from fernshale.core.base.work import CancelToken

_GRACE_S = 2.0


@dataclass(frozen=True, slots=True)
class Finished:
    """A command that ended: its exit status (negative: the signal), raw output (both streams), time.

    `timed_out`: we ended it; `silent_s` is then how long it had said nothing, where that was the reason, else 0.
    """

    arguments: tuple[str, ...]
    status: int
    output: bytes
    elapsed_s: float
    timed_out: bool = False
    silent_s: float = 0.0

    @property
    def text(self) -> str:
        return self.output.decode("utf-8", "replace")


def run_command(
    arguments: Sequence[str],
    folder: Path,
    token: CancelToken,
    on_line: Callable[[str], None],
    environment: Mapping[str, str],
    timeout_s: float,
    silence_s: float = 0.0,
) -> Finished:
    """Run `arguments` in `folder` until it ends, or until `timeout_s` are over, or it said nothing for `silence_s` (0: no limit).

    `environment` is added to ours. A status other than 0 is a result, not an error.
    Raises CommandError when it cannot be started, Cancelled after its group was ended.
    """
    started = time.monotonic()
    try:
        child = subprocess.Popen(
            list(arguments),
            cwd=folder,
            env={**os.environ, "LC_ALL": "C.UTF-8", **environment},
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            start_new_session=True,
        )
    except FileNotFoundError as error:
        missing = error.filename if error.filename == str(folder) else arguments[0]
        raise CommandError(f"{missing} was not found", "Install it or correct the command in the profile.") from error
    except OSError as error:
        raise CommandError(f"{arguments[0]} cannot be run: {error.strerror}") from error
    output = bytearray()
    timed_out, silent_s = False, 0.0
    try:
        timed_out, silent_s = _pump(child, output, token, on_line, started + timeout_s, silence_s)
    finally:
        _end_group(child)
    status = child.wait()
    return Finished(tuple(arguments), status, bytes(output), time.monotonic() - started, timed_out, silent_s)


def _pump(
    child: subprocess.Popen[bytes],
    output: bytearray,
    token: CancelToken,
    on_line: Callable[[str], None],
    deadline: float,
    silence_s: float,
) -> tuple[bool, float]:
    """Read until the output ends or the child does; whether a limit came first, and how long it was silent if that was it."""
    assert child.stdout is not None
    handle = child.stdout.fileno()
    os.set_blocking(handle, False)
    sent = 0
    heard = time.monotonic()
    with child.stdout, selectors.DefaultSelector() as selector:
        selector.register(handle, selectors.EVENT_READ)
        while True:
            if token.is_cancelled:
                raise Cancelled
            now = time.monotonic()
            if now > deadline:
                return True, 0.0
            if silence_s and now - heard > silence_s:
                return True, now - heard
            ready = selector.select(0.1)
            chunk = b""
            if ready:
                chunk = os.read(handle, 1 << 16)
                if not chunk:
                    break
                output += chunk
                heard = time.monotonic()
            # Whole lines only: a multi-byte character may be cut between two reads.
            while (end := output.find(b"\n", sent)) >= 0:
                on_line(output[sent:end].decode("utf-8", "replace"))
                sent = end + 1
            # A grandchild may keep the pipe open for ever; the command itself is what we wait for.
            if not chunk and child.poll() is not None:
                break
        if sent < len(output):
            on_line(output[sent:].decode("utf-8", "replace"))
    while child.poll() is None:
        if token.is_cancelled:
            raise Cancelled
        if time.monotonic() > deadline:
            return True, 0.0
        with contextlib.suppress(subprocess.TimeoutExpired):
            child.wait(0.1)
    return False, 0.0


def _end_group(child: subprocess.Popen[bytes]) -> None:
    """End whatever is left of the group: politely, then surely."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        if child.poll() is None:
            os.killpg(child.pid, signal.SIGTERM)
            with contextlib.suppress(subprocess.TimeoutExpired):
                child.wait(_GRACE_S)
        os.killpg(child.pid, signal.SIGKILL)
