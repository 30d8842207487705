"""The start page: crossings to resume, a folder to open, the sample to try, and what is missing on this machine."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from fernshale.api.crossings import LAST_LOOK, Crossing, all_crossings, delete_crossing, find_own_parts
from fernshale.api.projects import missing_tools
from fernshale.api.snapshots import Store, default_store
from fernshale.app.dialogs.questions import ask_yes, show_error
from fernshale.app.jobs import Runner
from fernshale.app.theme import text_font
from fernshale.app.widgets.basics import Card, button, heading_label, quiet_label
from fernshale.app.widgets.crossing_list import CrossingList, CrossingRow
from fernshale.app.widgets.rows import Row
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.quantities import count, size_words
from fernshale.core.base.treepath import printable
from fernshale.core.snapshot.deletion import Freed
from fernshale.sample import SAMPLES


class StartPage(QWidget):
    """`resume_wanted` and `deleting` carry a Crossing, `sample_wanted` the name of a sample."""

    resume_wanted = Signal(object)
    deleting = Signal(object)
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
        self._list = CrossingList(known)
        self._list.activated_row.connect(self._resume)
        known.body.addWidget(self._list)
        row = QHBoxLayout()
        row.setContentsMargins(11, 8, 9, 9)
        row.setSpacing(6)
        self._go_on = button(known, "Resume", lambda: self._resume(self._list.current()), main=True)
        row.addWidget(self._go_on)
        self._delete = button(known, "Delete…", self._ask_delete, hint="Says first what that takes away")
        row.addWidget(self._delete)
        self._said = quiet_label(known, "")
        row.addWidget(self._said, 1)
        known.body.addLayout(row)
        self._runner = Runner(self)
        self._runner.succeeded.connect(self._on_deleted)
        self._runner.failed.connect(lambda error: show_error(self, error))
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
        for made in (self._go_on, self._delete):
            made.setEnabled(bool(rows))

    def _resume(self, payload: object) -> None:
        if isinstance(payload, CrossingRow):
            self.resume_wanted.emit(payload.crossing)

    def _ask_delete(self) -> None:
        """Delete the selected crossing, once a person has read what that takes away."""
        chosen = self._list.current()
        if not isinstance(chosen, CrossingRow):
            return
        crossing, store = chosen.crossing, Store(default_store())
        try:
            own = find_own_parts(crossing, store)
        except FernshaleError as error:
            show_error(self, error)
            return
        steps = count(sum(entry.changes is not None for entry in crossing.logbook()), "step")
        snapshots = f"{count(len(own.snapshots), 'snapshot')} of {size_words(own.snapshot_bytes)} that only it needs"
        words = (
            f"Its logbook with {steps}, its decisions, and {snapshots} are deleted for good; its steps can never be undone. "
            f"The project in {printable(str(crossing.setup.project))} stays as it is."
        )
        if ask_yes(self, f"Delete the crossing of {printable(crossing.setup.project.name)}?", words, "Yes, delete it"):
            self.deleting.emit(crossing)
            self._said.setText("deleting…")
            self._runner.start("deleting", lambda work: delete_crossing(crossing, store, work))

    def close_work(self) -> None:
        """Stop what runs and wait for it."""
        self._runner.close()

    def _on_deleted(self, result: object) -> None:
        self.refresh()
        if isinstance(result, Freed):
            self._said.setText(f"deleted; {size_words(result.bytes)} were freed")


def _row(crossing: Crossing) -> Row:
    setup = crossing.setup
    entries = crossing.logbook()
    last = entries[-1] if entries else None
    when = time.strftime("%Y-%m-%d %H:%M", time.localtime(last.time)) if last else ""
    title = f"{printable(setup.project.name)}   {setup.from_} → {setup.to}"
    sub = f"{last.stage.value}: {last.title}" if last else str(setup.project)
    look = crossing.read(LAST_LOOK)
    return Row(title, look.finding or sub, when, payload=CrossingRow(crossing, look))
