"""The start page: crossings to resume, a folder to open, the sample to try, and what is missing on this machine."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from fernshale.api.crossings import Crossing, all_crossings
from fernshale.api.projects import missing_tools
from fernshale.app.theme import text_font
from fernshale.app.widgets.basics import Card, button, heading_label, quiet_label
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.treepath import printable
from fernshale.sample import SAMPLES


class StartPage(QWidget):
    """`resume_wanted` carries a Crossing, `sample_wanted` the name of a sample."""

    resume_wanted = Signal(object)
    folder_wanted = Signal()
    sample_wanted = Signal(str)
    comparison_wanted = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(60, 44, 60, 40)
        column.setSpacing(14)
        title = heading_label(self, "Fernshale")
        title.setFont(text_font(26, True))
        column.addWidget(title)
        words = quiet_label(
            self,
            "Moves a game project to a newer engine release. The original stays safe, and none of your edits is lost.",
        )
        words.setFont(text_font(14))
        column.addWidget(words)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(20)
        known = Card(split, "Your crossings")
        self._list = RowList(known, "Your crossings")
        self._list.activated_row.connect(self._resume)
        known.body.addWidget(self._list)
        row = QHBoxLayout()
        row.setContentsMargins(11, 8, 9, 9)
        self._go_on = button(known, "Resume", lambda: self._resume(self._list.current()), main=True)
        row.addWidget(self._go_on)
        row.addStretch(1)
        known.body.addLayout(row)
        right = QWidget(split)
        side = QVBoxLayout(right)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(14)
        fresh = Card(right, "Begin")
        fresh.body.setContentsMargins(14, 12, 14, 14)
        fresh.body.setSpacing(8)
        fresh.body.addWidget(quiet_label(fresh, "Open the folder of your project, or drop it onto this window."))
        fresh.body.addWidget(button(fresh, "Open a folder…", self.folder_wanted.emit))
        fresh.body.addWidget(
            quiet_label(fresh, "Or see it work first, on a sample that is unpacked into a fresh folder.")
        )
        for name, sample in SAMPLES.items():
            fresh.body.addWidget(button(fresh, f"Try {sample}", self._wanting(name)))
        fresh.body.addWidget(quiet_label(fresh, "Or read first what a new release changed, without a project."))
        fresh.body.addWidget(button(fresh, "Compare two releases…", self.comparison_wanted.emit))
        side.addWidget(fresh)
        machine = Card(right, "This machine")
        machine.body.setContentsMargins(14, 10, 14, 12)
        missing = missing_tools()
        said = "All required tools were found." if not missing else "◆ Not found here: " + ", ".join(missing) + "."
        machine.body.addWidget(quiet_label(machine, said))
        side.addWidget(machine)
        side.addStretch(1)
        split.setSizes([640, 420])
        column.addWidget(split, 1)
        self.refresh()

    def _wanting(self, name: str) -> Callable[[], None]:
        return lambda: self.sample_wanted.emit(name)

    def refresh(self) -> None:
        """Read the crossings again."""
        rows = tuple(_row(crossing) for crossing in all_crossings()[:50])
        self._list.set_rows(rows or (Row("None yet. Open a project folder to start one.", heading=True),))
        self._go_on.setEnabled(bool(rows))

    def _resume(self, payload: object) -> None:
        if isinstance(payload, Crossing):
            self.resume_wanted.emit(payload)


def _row(crossing: Crossing) -> Row:
    setup = crossing.setup
    entries = crossing.logbook()
    last = entries[-1] if entries else None
    when = time.strftime("%Y-%m-%d %H:%M", time.localtime(last.time)) if last else ""
    title = f"{printable(setup.project.name)}   {setup.from_} → {setup.to}"
    sub = f"{last.stage.value}: {last.title}" if last else str(setup.project)
    return Row(title, sub, when, payload=crossing)
