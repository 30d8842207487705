"""Run a command, pass on its output line by line, and end its whole process group on cancellation or timeout.

The child leads its own session, so ending the group reaches compilers started by a build tool. The group also ends when this
process ends in any way.
"""

from __future__ import annotations

import contextlib
import os
import selectors
import signal
import subprocess
import time
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.dry_run import before_running
from fernshale.core.base.errors import Cancelled, CommandError
from fernshale.core.base.limits import limits
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken, Work

_GRACE_S = 2.0
# Waits for a line on standard input; at the end of input, ends the process group it was given, first with SIGTERM, then
# SIGKILL.
_WATCH = 'read -r _ || { kill -s TERM -- "-$1"; sleep 1; kill -s KILL -- "-$1"; }'


@dataclass(frozen=True, slots=True)
class Finished:
    """A finished command: exit status (negative: the signal), raw output of both streams, duration.

    `timed_out`: Fernshale ended it. `silent_s` is how long it had printed nothing if that was the reason, else 0.
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
    work: Work,
    environment: Mapping[str, str],
    timeout_s: float,
    silence_s: float = 0.0,
) -> Finished:
    """Run `arguments` in `folder` until it ends, `timeout_s` have passed, or it has printed nothing for `silence_s` (0: no
    limit). Its output goes line by line to `work`.

    `environment` is added to ours. A status other than 0 is a result, not an error. Raises CommandError when it cannot be started,
    Cancelled after its group was ended.
    """
    before_running(arguments)
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
        raise CommandError(
            tr("{missing} was not found", missing=missing), tr("Install it or correct the command in the profile.")
        ) from error
    except OSError as error:
        raise CommandError(
            tr("{arguments} cannot be run: {strerror}", arguments=arguments[0], strerror=error.strerror)
        ) from error
    output = _Output(work.on_line)
    timed_out, silent_s = False, 0.0
    with _ended_with_us(child.pid):
        try:
            timed_out, silent_s = _pump(child, output, work.token, started + timeout_s, silence_s)
        finally:
            _end_group(child)
    status = child.wait()
    return Finished(tuple(arguments), status, output.kept(), time.monotonic() - started, timed_out, silent_s)


@contextlib.contextmanager
def _ended_with_us(group: int) -> Iterator[None]:
    """Context in which a process group ends with this process, even if this process is killed.

    A shell waits at the end of a pipe. It reads a line if all is well, and end of input if this process has ended.
    """
    reading, writing = os.pipe()
    try:
        watcher = subprocess.Popen(
            ["/bin/sh", "-c", _WATCH, "sh", str(group)], stdin=reading, stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip
    except OSError:
        os.close(reading)
        os.close(writing)
        yield  # without a shell there is no watcher
        return
    os.close(reading)
    try:
        yield
    finally:
        with contextlib.suppress(OSError):
            os.write(writing, b"\n")
        os.close(writing)
        watcher.wait()


class _Output:
    """Collects a command's output: passes on each line, and keeps as much as the limits allow. Long lines are cut, and the
    middle of a

    long output is left out; a note marks both.
    """

    def __init__(self, on_line: Callable[[str], None]) -> None:
        bound = limits()
        self._on_line, self._most, self._longest = on_line, bound.output_bytes // 2, bound.output_line_bytes
        self._line = bytearray()
        self._cut = 0
        self._head = bytearray()
        self._tail: deque[bytes] = deque()
        self._tail_size = self._left_out = 0

    def feed(self, chunk: bytes) -> None:
        # Whole lines only: a multi-byte character may be cut between two reads.
        start = 0
        while (end := chunk.find(b"\n", start)) >= 0:
            self._extend(chunk[start:end])
            self._end_line(b"\n")
            start = end + 1
        self._extend(chunk[start:])

    def finish(self) -> None:
        """Process the end of the output."""
        if self._line:
            self._end_line(b"")

    def kept(self) -> bytes:
        said = f"… {self._left_out:,} bytes left out …\n".encode() if self._left_out else b""
        return bytes(self._head) + said + b"".join(self._tail)

    def _extend(self, part: bytes) -> None:
        room = self._longest - len(self._line)
        self._line += part[:room]
        self._cut += max(0, len(part) - room)

    def _end_line(self, end: bytes) -> None:
        if self._cut:
            self._line += f" … {self._cut:,} bytes left out".encode()
        self._on_line(self._line.decode("utf-8", "replace"))
        self._keep(bytes(self._line) + end)
        self._line.clear()
        self._cut = 0

    def _keep(self, line: bytes) -> None:
        if not self._tail and len(self._head) + len(line) <= self._most:
            self._head += line
            return
        self._tail.append(line)
        self._tail_size += len(line)
        while self._tail_size > self._most and len(self._tail) > 1:
            gone = self._tail.popleft()
            self._tail_size -= len(gone)
            self._left_out += len(gone)


def _pump(
    child: subprocess.Popen[bytes], output: _Output, token: CancelToken, deadline: float, silence_s: float
) -> tuple[bool, float]:
    """Read until the output ends or the child does. Returns whether a limit was hit, and the silence if that was the limit,
    seconds."""
    assert child.stdout is not None
    handle = child.stdout.fileno()
    os.set_blocking(handle, False)
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
                output.feed(chunk)
                heard = time.monotonic()
            # A grandchild may keep the pipe open forever, so wait for the command itself only.
            if not chunk and child.poll() is not None:
                break
        output.finish()
    while child.poll() is None:
        if token.is_cancelled:
            raise Cancelled
        if time.monotonic() > deadline:
            return True, 0.0
        with contextlib.suppress(subprocess.TimeoutExpired):
            child.wait(0.1)
    return False, 0.0


def _end_group(child: subprocess.Popen[bytes]) -> None:
    """End the rest of the group, first with SIGTERM, then SIGKILL."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        if child.poll() is None:
            os.killpg(child.pid, signal.SIGTERM)
            with contextlib.suppress(subprocess.TimeoutExpired):
                child.wait(_GRACE_S)
        os.killpg(child.pid, signal.SIGKILL)
