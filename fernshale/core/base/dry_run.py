"""A dry run: code that would write into the project or run a command stops there, and says what it would have done."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar

_is_dry: ContextVar[bool] = ContextVar("is_dry", default=False)


class WouldWrite(BaseException):
    """A dry run got to where it would write. Not an Exception: code that handles errors must not go on.

    `changes` is what would be written.
    """

    def __init__(self, changes: object) -> None:
        self.changes = changes


class WouldRun(BaseException):
    """A dry run got to where it would run a command."""

    def __init__(self, arguments: Sequence[str]) -> None:
        self.arguments = tuple(arguments)


@contextmanager
def dry_run() -> Iterator[None]:
    """Within this context nothing is written into a project, and no command runs."""
    token = _is_dry.set(True)
    try:
        yield
    finally:
        _is_dry.reset(token)


def is_dry_run() -> bool:
    return _is_dry.get()


def before_writing(changes: object) -> None:
    """Raises WouldWrite in a dry run."""
    if _is_dry.get():
        raise WouldWrite(changes)


def before_running(arguments: Sequence[str]) -> None:
    """Raises WouldRun in a dry run."""
    if _is_dry.get():
        raise WouldRun(arguments)
