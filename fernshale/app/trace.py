"""Times from a key or click to the painted frame, for `FERNSHALE_TRACE=FILE`: one JSON object a line.

    {"action": "key Down", "ms": 12.3}      until the window was painted with what the key changed
    {"pause": 61.0}                         no event was handled for so long, milliseconds: a frame that came late

A key or click after which nothing is painted has no line.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication

TRACE_VARIABLE = "FERNSHALE_TRACE"
# A pause of the event loop that a person can see, milliseconds.
_PAUSE_MS = 50.0
_BEAT_MS = 5
# After so long without a frame, an action has changed nothing that is shown.
_NO_FRAME_MS = 400

_INPUTS = (QEvent.Type.KeyPress, QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonDblClick, QEvent.Type.Wheel)


class FrameTrace(QObject):
    """Watches an application. `on_line` gets each line as data."""

    def __init__(self, app: QApplication, on_line: Callable[[dict[str, object]], None]) -> None:
        super().__init__(app)
        self._on_line = on_line
        self._action, self._begun = "", 0.0
        self._is_passed_on = False
        self._beat = QTimer(self)
        self._beat.timeout.connect(self._note_pause)
        self._last_beat = time.perf_counter()
        self._beat.start(_BEAT_MS)
        self._expiry = QTimer(self)
        self._expiry.setSingleShot(True)
        self._expiry.timeout.connect(self._drop)
        app.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind in _INPUTS:
            if not self._is_passed_on:
                self._action, self._begun = _name(watched, event), time.perf_counter()
                self._expiry.start(_NO_FRAME_MS)
                # A key that its widget ignores arrives again at each parent, before anything else is handled.
                self._is_passed_on = True
                QTimer.singleShot(0, self._end_of_event)
        elif kind is QEvent.Type.Paint and self._action:
            QTimer.singleShot(0, self._note_frame)  # once the other widgets of the frame are painted
        return False

    def _note_frame(self) -> None:
        if self._action:
            self._on_line({"action": self._action, "ms": round((time.perf_counter() - self._begun) * 1000, 1)})
            self._drop()

    def _end_of_event(self) -> None:
        self._is_passed_on = False

    def _drop(self) -> None:
        self._action = ""
        self._expiry.stop()

    def _note_pause(self) -> None:
        now = time.perf_counter()
        pause = (now - self._last_beat) * 1000 - _BEAT_MS
        self._last_beat = now
        if pause > _PAUSE_MS:
            self._on_line({"pause": round(pause, 1)})


def trace_to(app: QApplication, file: Path) -> FrameTrace:
    """Watch an application and add lines to a file. Raises OSError."""
    out = file.open("a", encoding="utf-8", buffering=1)
    trace = FrameTrace(app, lambda line: print(json.dumps(line), file=out))
    trace.destroyed.connect(lambda: out.close())
    return trace


def _name(watched: QObject, event: QEvent) -> str:
    if isinstance(event, QKeyEvent):
        return f"key {QKeySequence(event.keyCombination()).toString()}"
    return f"{event.type().name} {type(watched).__name__}"
