"""The program's own log: actions, their times, their errors. No contents of files, no arguments of commands.

It is a rotating file in the user's state folder. Each line names the crossing and the action that it belongs to.
"""

from __future__ import annotations

import logging
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from contextvars import ContextVar
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

from fernshale.core.base.data_folder import state_folder
from fernshale.core.base.errors import Cancelled, FernshaleError

LOGGER = logging.getLogger("fernshale")
_BYTES, _OLDER_FILES = 1_000_000, 4
_LINE = "%(asctime)s %(levelname)s [%(about)s] %(message)s"
_LOGGED = "_is_in_the_log"  # an attribute of errors
_handlers: list[logging.Handler] = []  # those of this program
_about: ContextVar[str] = ContextVar("about", default="-")


class _About(logging.Filter):
    """Adds the crossing and the action to each line."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.about = _about.get()
        return True


def log_folder() -> Path:
    """The folder of the log: in `FERNSHALE_HOME` if that is set, else in the user's state folder."""
    return state_folder() / "log"


def log_file() -> Path:
    return log_folder() / "fernshale.log"


def start_logging(level: str = "info", *, is_verbose: bool = False) -> None:
    """Start to write the log, from the lines of a level on; with `is_verbose` with details, and to standard error too. Where the
    folder cannot be written to, the program works without a log."""
    stop_logging()
    logging.raiseExceptions = False  # a full disk must not disturb the work
    LOGGER.setLevel(logging.DEBUG if is_verbose else level.upper())
    LOGGER.propagate = False
    handlers: list[logging.Handler] = [logging.StreamHandler(sys.stderr)] if is_verbose else []
    with suppress(OSError):
        log_folder().mkdir(parents=True, exist_ok=True)
        handlers.append(
            RotatingFileHandler(log_file(), maxBytes=_BYTES, backupCount=_OLDER_FILES, encoding="utf-8", delay=True)
        )
    for handler in handlers or [logging.NullHandler()]:
        handler.addFilter(_About())
        handler.setFormatter(logging.Formatter(_LINE))
        LOGGER.addHandler(handler)
        _handlers.append(handler)


def stop_logging() -> None:
    """Close the log."""
    while _handlers:
        handler = _handlers.pop()
        LOGGER.removeHandler(handler)
        handler.close()


@contextmanager
def logged(crossing: str, what: str) -> Iterator[None]:
    """Log an action of a crossing: its start, and how it ended."""
    token, start = _about.set(f"{crossing} {what}"), time.monotonic()
    LOGGER.debug("begins")
    try:
        yield
    except Cancelled:
        LOGGER.info("cancelled after %.2f s", time.monotonic() - start)
        raise
    except FernshaleError as error:
        LOGGER.warning("refused after %.2f s: %s", time.monotonic() - start, error.message)
        raise
    except Exception as error:
        log_error(f"failed after {time.monotonic() - start:.2f} s", error)
        raise
    else:
        LOGGER.info("done in %.2f s", time.monotonic() - start)
    finally:
        _about.reset(token)


def log_error(words: str, error: BaseException) -> None:
    """Log an error. Its stack is written once, however many callers log it on its way up."""
    is_new = not hasattr(error, _LOGGED)
    LOGGER.error("%s: %s", words, type(error).__name__, exc_info=error if is_new else None)
    setattr(error, _LOGGED, True)


def log_uncaught() -> None:
    """Log uncaught exceptions of all threads, then call the hooks that were set before."""
    before, before_in_threads = sys.excepthook, threading.excepthook

    def caught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if not issubclass(kind, KeyboardInterrupt):
            LOGGER.critical("not caught", exc_info=(kind, error, trace))
        before(kind, error, trace)

    def caught_in_thread(found: threading.ExceptHookArgs) -> None:
        if found.exc_value is not None:
            name = found.thread.name if found.thread is not None else "a thread"
            LOGGER.critical("not caught in %s", name, exc_info=(found.exc_type, found.exc_value, found.exc_traceback))
        before_in_threads(found)

    sys.excepthook, threading.excepthook = caught, caught_in_thread
