"""Progress, cancellation and output of long operations. Nothing in this module knows threads."""

from __future__ import annotations

import contextlib
import gc
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from fernshale.core.base.errors import Cancelled

# (current activity, steps done, total steps or 0 if unknown)
Progress = Callable[[str, int, int], None]
# One line of output, without its line end.
OnLine = Callable[[str], None]


def no_progress(what: str, done: int, total: int) -> None:
    """Ignore progress."""


def no_output(line: str) -> None:
    """Ignore a line of output."""


@contextlib.contextmanager
def many_values() -> Iterator[None]:
    """Pause the garbage collector while many long-lived objects are created; it would scan all of them repeatedly."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


class CancelToken:
    """A request to cancel. The worker checks it once per file or round; any thread may set it."""

    def __init__(self) -> None:
        self._event = threading.Event()

    def cancel(self) -> None:
        self._event.set()

    @property
    def is_cancelled(self) -> bool:
        return self._event.is_set()

    def check(self) -> None:
        """Raises Cancelled once `cancel` was called."""
        if self._event.is_set():
            raise Cancelled


@dataclass(frozen=True, slots=True)
class Work:
    """The context of a long operation: where to report progress and output, and whether to cancel.

    By default nothing is reported and nothing cancels.
    """

    progress: Progress = no_progress
    token: CancelToken = field(default_factory=CancelToken)
    on_line: OnLine = no_output

    def check(self) -> None:
        """Raises Cancelled once the operation was cancelled."""
        self.token.check()


# Work without progress reports and cancellation.
UNWATCHED = Work()
