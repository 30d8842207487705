"""A preview of a plugin's update, file by file."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QDialog, QHBoxLayout, QVBoxLayout, QWidget

from fernshale.api.merging import preview_plugin
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.app.widgets.change_list import ChangesPane
from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.plugins.view import PluginView


class PreviewDialog(QDialog):
    """The folder after the update: a tree of its changes, or of all its files, with each change in full."""

    def __init__(self, parent: QWidget | None, overview: Overview, view: PluginView) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("The folder as it will be"))
        self.resize(980, 600)
        column = QVBoxLayout(self)
        column.addWidget(heading_label(self, f"{view.plugin.id} {view.step.from_} → {view.step.to}"))
        self._preview = preview_plugin(view, overview.scan, overview.plugins.choices)
        changes = self._preview.changes
        left = len(view.open_conflicts(overview.plugins.choices))
        words = tr("{files} would change; nothing is written yet.", files=count(len(changes.files), "file"))
        if left:
            words += tr(" {places_stay} as yours.", places_stay=count(left, "open place stays", "open places stay"))
        column.addWidget(quiet_label(self, words))
        self._pane = ChangesPane(self, tr("What would change"))
        column.addWidget(self._pane, 1)
        self._readers = self._preview.readers(overview.scan.project)
        foot = QHBoxLayout()
        self._whole = QCheckBox(
            tr("Also show unchanged files ({files})", files=count(len(self._preview.staying), "file")), self
        )
        self._whole.setEnabled(bool(self._preview.staying))
        self._whole.toggled.connect(lambda _on: self._show())
        foot.addWidget(self._whole)
        foot.addStretch(1)
        foot.addWidget(button(self, tr("Close"), self.accept, main=True))
        column.addLayout(foot)
        self._show()

    def _show(self) -> None:
        files = self._preview.changes.files
        kinds = [
            tr("new") if item.before is None else tr("gone") if item.after is None else tr("changed") for item in files
        ]
        staying = self._preview.staying if self._whole.isChecked() else {}
        self._pane.show_changes(list(zip(kinds, files, strict=True)), *self._readers, staying)
