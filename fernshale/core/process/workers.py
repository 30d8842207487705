"""Run part of the work in a second process if there is enough of it.

The second process ends with the first, however that ends. Its job and its result have to be picklable.
"""

from __future__ import annotations

import contextlib
import gc
import importlib
import os
import pickle
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from types import TracebackType
from typing import Any

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken
from fernshale.core.process.own_process import own_environment

_POLL_S = 0.05
_SERVE = "from fernshale.core.process.workers import serve; serve()"


_LATER = object()


class SecondFailed(FernshaleError):
    """The second process ended without a result."""


def is_worthwhile(files: int, size: int) -> bool:
    """Whether so many files with `size` bytes in all are worth the start of a process."""
    return len(os.sched_getaffinity(0)) > 1 and (files >= 4000 or size >= 96 << 20)


class WorkerProcess:
    """Runs `function` ("module:name") in a second process with a job and a progress callback; use it in a `with` statement.

    If the job is not known yet, pass it later with `give`; the process starts at once and imports the function.
    """

    def __init__(self, function: str, job: object = _LATER) -> None:
        self._result: tuple[str, Any] = ("", None)
        self.done = 0
        self._child = subprocess.Popen(
            [sys.executable, "-c", _SERVE],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            env={**os.environ, **own_environment()},
            process_group=0,  # an interrupt from the terminal is for the first process, which ends this one
        )
        # Both directions at once: a large job and large news must not wait for one another.
        self._reader = threading.Thread(target=self._listen, daemon=True)
        self._writer: threading.Thread | None = None
        self._reader.start()
        self._send(function)
        if job is not _LATER:
            self.give(job)

    def give(self, job: object) -> None:
        """Pass the job; call once."""
        self._writer = threading.Thread(target=self._send, args=(job,), daemon=True)
        self._writer.start()

    def result(self, token: CancelToken) -> Any:
        """Wait for the function's return value. Raises its exception, SecondFailed, or Cancelled."""
        while self._reader.is_alive():
            token.check()
            self._reader.join(_POLL_S)
        what, value = self._result
        if what == "raised":
            raise value
        if what != "returned":
            raise SecondFailed(tr("a second process of Fernshale ended with status {wait}", wait=self._child.wait()))
        return value

    def __enter__(self) -> WorkerProcess:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        if kind is not None:
            self._child.kill()
        assert self._child.stdin is not None and self._child.stdout is not None
        if self._writer is not None:
            self._writer.join()
        with contextlib.suppress(OSError):
            self._child.stdin.close()
        self._child.wait()
        self._reader.join()
        self._child.stdout.close()

    def _send(self, job: object) -> None:
        assert self._child.stdin is not None
        with contextlib.suppress(OSError):  # the process has ended; `result` reports it
            pickle.dump(job, self._child.stdin, pickle.HIGHEST_PROTOCOL)
            self._child.stdin.flush()

    def _listen(self) -> None:
        assert self._child.stdout is not None
        with contextlib.suppress(EOFError, OSError, pickle.UnpicklingError):
            while True:
                what, value = pickle.load(self._child.stdout)
                if what == "done":
                    self.done = value
                else:
                    self._result = (what, value)


def serve() -> None:
    """The second process: one job from standard input, news of it to standard output."""
    gc.disable()  # it lives for one job
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the first process is notified and ends this one
    module, _, attribute = pickle.load(sys.stdin.buffer).partition(":")
    with contextlib.suppress(ImportError):  # notified with the job
        importlib.import_module(module)
    try:
        job = pickle.load(sys.stdin.buffer)
    except EOFError:
        return  # the first process has nothing to be done after all
    threading.Thread(target=_end_with_the_first, daemon=True).start()
    out = sys.stdout.buffer
    sys.stdout = sys.stderr  # keep each message in one piece

    def tell(what: str, value: object) -> None:
        pickle.dump((what, value), out, pickle.HIGHEST_PROTOCOL)
        out.flush()

    try:
        function: Callable[[Any, Callable[[int], None]], Any] = getattr(importlib.import_module(module), attribute)
        tell("returned", function(job, lambda count: tell("done", count)))
    except Exception as error:  # the first process raises it, whatever it is
        tell("raised", _as_sent(error))
    # At once: the thread that waits for the first process sits on standard input.
    os._exit(0)


def _as_sent(error: Exception) -> Exception:
    """Return the error, or one with its text if it cannot be pickled."""
    try:
        pickle.loads(pickle.dumps(error))
    except Exception:  # an error with a constructor of its own
        return FernshaleError(str(error), getattr(error, "hint", ""))
    return error


def _end_with_the_first() -> None:
    sys.stdin.buffer.read()
    os._exit(1)
