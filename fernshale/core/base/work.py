"""Progress, cancellation and output of long work. Nothing here knows threads."""

from __future__ import annotations

import contextlib
import gc
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from fernshale.core.base.errors import Cancelled

# (what is being done, steps done, steps in all or 0 where unknown)
Progress = Callable[[str, int, int], None]
# One line of output, without its line end.
OnLine = Callable[[str], None]


def no_progress(what: str, done: int, total: int) -> None:
    """Ignore progress."""


def no_output(line: str) -> None:
    """Ignore a line of output."""


@contextlib.contextmanager
def many_values() -> Iterator[None]:
    """While very many values that stay are made: the collector would look at all of them again and again."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


class CancelToken:
    """Asked once per file or round by whoever works; set from any thread by whoever waits."""

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
    """A long operation as its worker sees it: where it reports progress and output, and where it learns of cancellation.

    By default nobody listens and nobody cancels.
    """

    progress: Progress = no_progress
    token: CancelToken = field(default_factory=CancelToken)
    on_line: OnLine = no_output

    def check(self) -> None:
        """Raises Cancelled once the operation was cancelled."""
        self.token.check()


# Work that nobody watches and nobody cancels.
UNWATCHED = Work()
