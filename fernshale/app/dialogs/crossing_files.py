"""Export a crossing into a file, and import one: the questions before, and the work."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QCheckBox, QDialog, QFileDialog, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from fernshale.api.crossings import EXPORTED_SUFFIX, Crossing, ExportedCrossing, ImportPlan, is_here
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import printable

_FILES = tr("Exported crossings (*{exported_suffix})", exported_suffix=EXPORTED_SUFFIX)


def ask_export_file(parent: QWidget, crossing: Crossing) -> Path | None:
    """The file to export a crossing into, None when the user cancels."""
    name, _ = QFileDialog.getSaveFileName(
        parent, tr("Export the crossing"), f"{crossing.setup.project.name}{EXPORTED_SUFFIX}", _FILES
    )
    if not name:
        return None
    return Path(name if name.endswith(EXPORTED_SUFFIX) else name + EXPORTED_SUFFIX)


def ask_import_file(parent: QWidget) -> Path | None:
    """An exported crossing to import, None when the user cancels."""
    name, _ = QFileDialog.getOpenFileName(
        parent, tr("Import a crossing"), "", tr("{files};;All files (*)", files=_FILES)
    )
    return Path(name) if name else None


class ImportCrossingDialog(QDialog):
    """Where an exported crossing goes on this machine. `plan` is the answer once it is accepted."""

    def __init__(self, parent: QWidget | None, exported: ExportedCrossing) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Import a crossing"))
        self.resize(640, 300)
        self._exported = exported
        column = QVBoxLayout(self)
        title = f"{printable(exported.project)}   {exported.start} → {exported.target}"
        column.addWidget(heading_label(self, title))
        words = tr(
            "Choose the folder of the project here. A new or empty folder is filled with the project as it was exported."
        )
        column.addWidget(quiet_label(self, words))
        form = QFormLayout()
        self._project = self._folder_row(form, tr("Folder of the project"), tr("The folder of the project"))
        known = [address for address in exported.shelves if is_here(address)]
        self._shelf = self._folder_row(form, tr("Releases"), tr("The folder of the releases"))
        self._shelf.setText(known[0] if known else "")
        self._shelf.setPlaceholderText(tr("not here: {missing}", missing=", ".join(map(printable, exported.shelves))))
        column.addLayout(form)
        self._commands = QCheckBox(tr("Keep its own checks that run commands"), self)
        self._commands.setVisible(bool(exported.commands))
        column.addWidget(self._commands)
        lines = "\n".join(printable(" ".join(line)) for line in exported.commands)
        listed = quiet_label(self, lines)
        listed.setVisible(bool(exported.commands))
        column.addWidget(listed)
        column.addWidget(quiet_label(self, tr("You are asked to trust its engine profile before any command runs.")))
        column.addStretch(1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(self, tr("Cancel"), self.reject))
        self._import = button(self, tr("Import the crossing"), self.accept, main=True)
        foot.addWidget(self._import)
        column.addLayout(foot)
        self._project.textChanged.connect(self._enable)
        self._shelf.textChanged.connect(self._enable)
        self._enable()

    @property
    def plan(self) -> ImportPlan:
        shelf = self._shelf.text().strip()
        chosen = (shelf,) if shelf and shelf not in self._exported.shelves else ()
        return ImportPlan(Path(self._project.text().strip()), chosen, self._commands.isChecked())

    def _folder_row(self, form: QFormLayout, title: str, question: str) -> QLineEdit:
        whole = QWidget(self)
        row = QHBoxLayout(whole)
        row.setContentsMargins(0, 0, 0, 0)
        made = QLineEdit(whole)
        made.setAccessibleName(title)
        row.addWidget(made, 1)

        def choose() -> None:
            if folder := QFileDialog.getExistingDirectory(self, question):
                made.setText(folder)

        row.addWidget(button(whole, tr("Choose…"), choose))
        form.addRow(title, whole)
        return made

    def _enable(self) -> None:
        self._import.setEnabled(bool(self._project.text().strip() and self._shelf.text().strip()))
