"""What taking a plugin's release would write, file by file, before anything is written."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from fernshale.app.changes import ChangesPane
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.core.base.words import count
from fernshale.core.crossing.overview import Overview
from fernshale.core.crossing.stages.plugins import PluginView, preview_plugin, preview_readers


class PreviewDialog(QDialog):
    """The folder as it will be: a tree of what changes in it, each change in full."""

    def __init__(self, parent: QWidget | None, overview: Overview, view: PluginView) -> None:
        super().__init__(parent)
        self.setWindowTitle("The folder as it will be")
        self.resize(980, 600)
        column = QVBoxLayout(self)
        column.addWidget(heading_label(self, f"{view.plugin.id} {view.step.from_} → {view.step.to}"))
        changes = preview_plugin(view, overview.ground, overview.plugins.choices)
        left = len(view.due(overview.plugins.choices))
        words = f"{count(len(changes.files), 'file')} would change; nothing is written yet."
        if left:
            words += f" {count(left, 'place')} still to decide {'stands' if left == 1 else 'stand'} as yours."
        column.addWidget(quiet_label(self, words))
        pane = ChangesPane(self, "What would change")
        column.addWidget(pane, 1)
        kinds = [
            "new" if item.before is None else "gone" if item.after is None else "changed" for item in changes.files
        ]
        pane.show_changes(list(zip(kinds, changes.files, strict=True)), *preview_readers(overview.ground, changes))
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(self, "Close", self.accept, main=True))
        column.addLayout(foot)
