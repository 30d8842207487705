"""The line at the bottom of the window: work in hand with its progress, the last step with its *Undo*, short messages."""

from __future__ import annotations

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QLabel, QProgressBar, QStatusBar, QWidget

from fernshale.app.jobs import ProgressNote
from fernshale.app.notify import notify
from fernshale.app.pace import Pace
from fernshale.app.widgets.basics import button
from fernshale.core.base.settings import usable_settings
from fernshale.core.base.texts import tr
from fernshale.core.crossing.stages.overview import Overview

_SOON_MS = 400


class StatusLine(QStatusBar):
    """Emits `undo_asked` and `cancel_asked` when their buttons are clicked."""

    undo_asked = Signal()
    cancel_asked = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setSizeGripEnabled(False)
        self._pace = Pace("")
        self._tick = QTimer(self)  # a build reports no progress, but its time passes
        self._tick.setInterval(1000)
        self._tick.timeout.connect(self._say_pace)
        self._message = QLabel("", self)
        self._message.setContentsMargins(12, 0, 0, 0)
        self._undo = button(self, tr("Undo"), self.undo_asked.emit, hint="Ctrl+Z")
        self._undo.setObjectName("link")
        self._progress = QProgressBar(self)
        self._progress.setFixedWidth(180)
        self._progress.setTextVisible(False)
        self._cancel = button(self, tr("Cancel"), self.cancel_asked.emit, hint="Esc")
        self._keys_hint = QLabel(tr("Ctrl+K all actions"), self)
        self._keys_hint.setContentsMargins(0, 0, 12, 0)
        self.addWidget(self._message, 1)
        for widget in (self._undo, self._progress, self._cancel):
            self.addPermanentWidget(widget)
            widget.hide()
        self.addPermanentWidget(self._keys_hint)
        self.forget()

    def forget(self) -> None:
        """Take the next overview as that of another crossing: its last step is not news."""
        self._project = ""
        self._seen_step = -1

    def say(self, text: str) -> None:
        self._message.setText(text)

    def show_keys_hint(self, is_shown: bool) -> None:
        self._keys_hint.setVisible(is_shown)

    def show_last_step(self, overview: Overview) -> None:
        """Name the last step if it is new, with its *Undo*."""
        self._project = overview.setup.project.name
        last = overview.logbook[-1] if overview.logbook else None
        if last is not None and 0 <= self._seen_step < last.id:
            self.say(last.title)
            self._undo.setVisible(last.can_undo)
        self._seen_step = last.id if last is not None else 0

    def begin_work(self, title: str, usual_s: float) -> None:
        """Show that work has begun; `usual_s` is how long it took the last time, 0 if that is not known."""
        self._undo.hide()
        self._pace = Pace(title, usual_s)
        self._tick.start()
        self.say(title)
        self._progress.setRange(0, 0)
        self._progress.show()
        self._cancel.show()

    def show_progress(self, note: object) -> None:
        if isinstance(note, ProgressNote) and self._progress.isVisible():
            self._progress.setRange(0, note.total)
            self._progress.setValue(note.done)
            self._pace.go_on(note.what, note.done, note.total)
            self._say_pace()

    def end_work(self) -> None:
        """Show that no work is in hand, and report the end of long work to the desktop."""
        self._tick.stop()
        was_shown = self._progress.isVisible()
        if was_shown and not self._undo.isVisible():
            self.say(tr("ready"))
        wanted = usable_settings().notifications
        if was_shown and wanted.enabled and self._pace.elapsed_s >= wanted.after_seconds and not self.isActiveWindow():
            # The message names the result a moment later.
            QTimer.singleShot(_SOON_MS, self, self._notify_end)
        self._progress.hide()
        self._cancel.hide()

    def _say_pace(self) -> None:
        self.say(self._pace.words)

    def _notify_end(self) -> None:
        if self._project:
            notify(
                tr("{project}: done after {elapsed_s:.0f} s", project=self._project, elapsed_s=self._pace.elapsed_s),
                self._message.text(),
            )
