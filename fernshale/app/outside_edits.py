"""Notices that files of a project may have been changed by another program.

The system's file notifications say when to look; a slow check finds what they do not report, as changes from another machine on a
network drive. Where the system has no notifications left, checks alone do it, seldom enough to cost next to nothing.
"""

from __future__ import annotations

import threading
import warnings
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal
from watchdog.events import (
    DirCreatedEvent,
    DirDeletedEvent,
    DirMovedEvent,
    FileClosedEvent,
    FileCreatedEvent,
    FileDeletedEvent,
    FileModifiedEvent,
    FileMovedEvent,
    FileSystemEvent,
    FileSystemEventHandler,
)
from watchdog.observers import Observer
from watchdog.observers.api import BaseObserver

from fernshale.core.base.log import LOGGER
from fernshale.core.base.texts import tr

# A folder that appears while it is registered is registered twice, which changes nothing.
warnings.filterwarnings("ignore", message=tr("Callback with id .* already exists"), category=RuntimeWarning)

# Only what changes a tree: reading a file must not count, since a check reads the tree.
_EVENTS: list[type[FileSystemEvent]] = [
    DirCreatedEvent, DirDeletedEvent, DirMovedEvent, FileClosedEvent, FileCreatedEvent, FileDeletedEvent, FileModifiedEvent,
    FileMovedEvent,
]  # fmt: skip
# Milliseconds: how long a tree has to be quiet before it is checked, and how often it is checked without a notification, with
# and without notifications from the system.
_QUIET_MS, _SELDOM_MS, _OFTEN_MS = 400, 120_000, 4_000
# Seconds to wait for the thread of the notifications.
_STOP_S = 3.0
# A check takes at most this share of the time between two checks.
_SHARE = 0.005


class OutsideEdits(QObject):
    """Emits `suspected` when it is time to check the tree. `note_check` has to be told how long a check took."""

    suspected = Signal()
    _noticed = Signal()  # from the thread of the notifications

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._observer: BaseObserver | None = None
        self._watched: Path | None = None
        self._has_notifications = False
        self._check_ms = 0.0
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self.suspected)
        self._poll = QTimer(self)
        self._poll.timeout.connect(self.suspected)
        self._noticed.connect(self._on_noticed)

    @property
    def has_notifications(self) -> bool:
        """Whether the system reports changes; else only the checks find them."""
        return self._has_notifications

    @property
    def poll_ms(self) -> int:
        """Milliseconds between two checks without a notification."""
        usual = _SELDOM_MS if self._has_notifications else _OFTEN_MS
        return max(usual, round(self._check_ms / _SHARE))

    def watch(self, project: Path) -> None:
        """Watch a project's tree, instead of the one before; nothing happens for the same one."""
        if project == self._watched:
            return
        self.stop()
        self._watched = project
        self._poll.start(self.poll_ms)
        # Each folder is registered, which takes a moment in a large tree.
        threading.Thread(target=self._register, args=(project,), daemon=True).start()

    def stop(self) -> None:
        """Watch nothing any more."""
        observer, self._observer, self._watched = self._observer, None, None
        self._has_notifications = False
        self._soon.stop()
        self._poll.stop()
        if observer is not None:
            observer.stop()
            observer.join(_STOP_S)

    def note_check(self, seconds: float) -> None:
        """Take in how long a check took, so that checks stay rare enough."""
        self._check_ms = seconds * 1000
        if self._watched is not None:
            self._poll.start(self.poll_ms)

    def _register(self, project: Path) -> None:
        observer = Observer()
        try:
            observer.schedule(_Handler(self), str(project), recursive=True, event_filter=_EVENTS)
            observer.start()
        except (OSError, RuntimeError) as error:  # as when the user has no watches left
            LOGGER.info("no file notifications: %s", error)
            return
        if self._watched != project:
            observer.stop()
            return
        self._observer, self._has_notifications = observer, True

    def _on_noticed(self) -> None:
        if self._watched is not None:
            self._soon.start(max(_QUIET_MS, round(self._check_ms)))


class _Handler(FileSystemEventHandler):
    def __init__(self, edits: OutsideEdits) -> None:
        self._edits = edits

    def on_any_event(self, event: FileSystemEvent) -> None:
        self._edits._noticed.emit()
