"""The changes that an option would write, before it is taken."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from fernshale.api.actions import OptionEffect
from fernshale.api.crossings import Crossing, sides_of
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.app.widgets.change_list import ChangesPane


class OptionPreview(QDialog):
    """The files that an option would change, each with its lines."""

    def __init__(self, parent: QWidget | None, crossing: Crossing, title: str, effect: OptionEffect) -> None:
        super().__init__(parent)
        self.setWindowTitle("What an option would change")
        self.resize(940, 520)
        column = QVBoxLayout(self)
        heading = heading_label(self, title)
        heading.setWordWrap(True)
        column.addWidget(heading)
        column.addWidget(quiet_label(self, f"It {effect.words}. Nothing is written yet."))
        pane = ChangesPane(self, "Changes")
        files = effect.changes.files
        words = ["new" if item.before is None else "gone" if item.after is None else "changed" for item in files]
        pane.show_changes(
            list(zip(words, files, strict=True)), *sides_of(crossing.setup.project, crossing.store, effect.changes)
        )
        column.addWidget(pane, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(self, "Close", self.accept, main=True))
        column.addLayout(foot)
