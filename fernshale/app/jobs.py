"""Long work in the background: one job at a time, with progress, output lines and a cancel that works."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal

from fernshale.core.base.errors import Cancelled
from fernshale.core.base.work import CancelToken, Work

# The function of a job; its result goes to `succeeded`.
Task = Callable[[Work], object]

# Nobody can follow more updates per second than twenty.
_THIN_S = 0.05


@dataclass(frozen=True, slots=True)
class ProgressNote:
    """The current activity; `total` is 0 where it is unknown."""

    what: str
    done: int
    total: int


class JobSignals(QObject):
    """The signals of a job (a runnable cannot have any). Exactly one of the last three is emitted."""

    progressed = Signal(object)
    succeeded = Signal(object)
    failed = Signal(object)
    cancelled = Signal()


class Job(QRunnable):
    """A piece of work for the pool."""

    def __init__(self, task: Task) -> None:
        super().__init__()
        self.setAutoDelete(False)
        self.signals = JobSignals()
        self.token = CancelToken()
        self.lines: deque[str] = deque(maxlen=5000)
        self._task = task
        self._last = 0.0

    def run(self) -> None:
        try:
            result = self._task(Work(self._progress, self.token, self.lines.append))
        except Cancelled:
            self.signals.cancelled.emit()
        except Exception as error:  # the thread's edge: an exception leaving run() would only be printed
            self.signals.failed.emit(error)
        else:
            self.signals.succeeded.emit(result)

    def _progress(self, what: str, done: int, total: int) -> None:
        now = time.monotonic()
        if now - self._last >= _THIN_S or done == total:
            self._last = now
            self.signals.progressed.emit(ProgressNote(what, done, total))


class Runner(QObject):
    """Owns the pool and the job that runs; another is refused until it has ended."""

    started = Signal(str)
    progressed = Signal(object)
    output = Signal(object)
    ended = Signal()
    succeeded = Signal(object)
    failed = Signal(object)
    cancelled = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._job: Job | None = None
        # Output is fetched, not sent: a compiler can print faster than a window can paint.
        self._drain = QTimer(self)
        self._drain.setInterval(80)
        self._drain.timeout.connect(self._fetch_lines)

    @property
    def is_busy(self) -> bool:
        return self._job is not None

    def start(self, title: str, task: Task) -> bool:
        """Run a task in the background; False when another task is still running."""
        if self._job is not None:
            return False
        self._job = job = Job(task)
        job.signals.progressed.connect(self.progressed)
        job.signals.succeeded.connect(self._on_succeeded)
        job.signals.failed.connect(self._on_failed)
        job.signals.cancelled.connect(self._on_cancelled)
        self._drain.start()
        self.started.emit(title)
        self._pool.start(job)
        return True

    def cancel(self) -> None:
        """Ask the running job to stop."""
        if self._job is not None:
            self._job.token.cancel()

    def close(self) -> None:
        """Cancel the running job and wait for it."""
        self.cancel()
        self._pool.waitForDone()
        self._drain.stop()

    def _end(self) -> None:
        self._fetch_lines()
        self._drain.stop()
        self._job = None
        self.ended.emit()

    def _on_succeeded(self, result: object) -> None:
        self._end()
        self.succeeded.emit(result)

    def _on_failed(self, error: object) -> None:
        self._end()
        self.failed.emit(error)

    def _on_cancelled(self) -> None:
        self._end()
        self.cancelled.emit()

    def _fetch_lines(self) -> None:
        if self._job is None:
            return
        lines = []
        while self._job.lines:
            lines.append(self._job.lines.popleft())
        if lines:
            self.output.emit(lines)
