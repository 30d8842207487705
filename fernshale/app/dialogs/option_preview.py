"""The changes that an option would write, before it is taken."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from fernshale.api.actions import OptionEffect
from fernshale.api.crossings import Crossing, sides_of
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.app.widgets.change_list import ChangesPane
from fernshale.core.base.texts import tr


class OptionPreview(QDialog):
    """The files that an option would change, each with its lines."""

    def __init__(self, parent: QWidget | None, crossing: Crossing, title: str, effect: OptionEffect) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("What an option would change"))
        self.resize(940, 520)
        column = QVBoxLayout(self)
        heading = heading_label(self, title)
        heading.setWordWrap(True)
        column.addWidget(heading)
        column.addWidget(quiet_label(self, tr("It {words}. Nothing is written yet.", words=effect.words)))
        pane = ChangesPane(self, tr("Changes"))
        files = effect.changes.files
        words = [
            tr("new") if item.before is None else tr("gone") if item.after is None else tr("changed") for item in files
        ]
        pane.show_changes(
            list(zip(words, files, strict=True)), *sides_of(crossing.setup.project, crossing.store, effect.changes)
        )
        column.addWidget(pane, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(self, tr("Close"), self.accept, main=True))
        column.addLayout(foot)
