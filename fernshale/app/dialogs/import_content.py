"""Importing own content from an old folder or another project: its dependencies are shown before anything is copied."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QDir
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QFileSystemModel,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTreeView,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.crossings import ContentState, plan_import
from fernshale.api.projects import is_trusted, trust
from fernshale.app.dialogs.questions import WorkingDialog, ask_trust, show_error
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.import_content import ImportPlan
from fernshale.core.crossing.project.scan import ProjectScan

_STATES: dict[ContentState, tuple[str, str, Tone]] = {
    "copy": ("○", tr("new"), "mine"),
    "same": ("●", tr("already in the project"), "base"),
    "differs": ("◆", tr("differs from the project's file"), "alarm"),
}


def choose_content(parent: QWidget) -> tuple[Path, list[str]] | None:
    """A folder, and the files and folders in it to import; None when the user cancels."""
    folder = QFileDialog.getExistingDirectory(parent, tr("Where the content is: an old folder or another project"))
    if not folder:
        return None
    dialog = PickDialog(parent, Path(folder))
    is_chosen = dialog.exec() == PickDialog.DialogCode.Accepted
    return (Path(folder), dialog.picked()) if is_chosen else None


class PickDialog(QDialog):
    """Files and whole folders below a folder, as many as are wanted."""

    def __init__(self, parent: QWidget | None, folder: Path) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Choose files to import"))
        self.resize(620, 520)
        self._folder = folder
        column = QVBoxLayout(self)
        column.addWidget(heading_label(self, tr("From {folder}", folder=printable(str(folder)))))
        column.addWidget(
            quiet_label(
                self,
                tr(
                    "Files and folders; select several with Ctrl or Shift. Their dependencies are found in the next step."
                ),
            )
        )
        self._model = QFileSystemModel(self)
        self._model.setReadOnly(True)
        self._model.setResolveSymlinks(False)
        self._model.setFilter(QDir.Filter.AllEntries | QDir.Filter.NoDotAndDotDot | QDir.Filter.Hidden)
        self._tree = QTreeView(self)
        self._tree.setAccessibleName(tr("Files and folders"))
        self._tree.setModel(self._model)
        self._tree.setRootIndex(self._model.setRootPath(str(folder)))
        self._tree.setSelectionMode(QTreeView.SelectionMode.ExtendedSelection)
        self._tree.setColumnHidden(2, True)  # the kind, as the desktop calls it
        self._tree.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        column.addWidget(self._tree, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(self, tr("Not now"), self.reject))
        self._go = button(self, tr("Find dependencies"), self.accept, main=True)
        self._go.setEnabled(False)
        foot.addWidget(self._go)
        column.addLayout(foot)
        self._tree.selectionModel().selectionChanged.connect(lambda *_: self._go.setEnabled(bool(self.picked())))

    def picked(self) -> list[str]:
        """Paths below the folder; files in a selected folder are not listed."""
        rows = self._tree.selectionModel().selectedRows()
        paths = sorted(os.path.relpath(self._model.filePath(row), self._folder) for row in rows)
        return [path for path in paths if not any(path.startswith(f"{other}/") for other in paths)]


class ImportDialog(WorkingDialog):
    """The chosen files with their dependencies.

    `bring(plan, over)` imports them. `read(plan, work)` reads the binary assets that the plan could not, in the background.
    """

    def __init__(
        self,
        parent: QWidget | None,
        scan: ProjectScan,
        source: Path,
        chosen: list[str],
        bring: Callable[[ImportPlan, bool], None],
        read: Callable[[ImportPlan, Work], object],
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Import content"))
        self.resize(820, 520)
        self._scan, self._source, self._chosen = scan, source, chosen
        self._bring, self._read = bring, read
        self._plan: ImportPlan | None = None
        self._is_reading = False
        column = QVBoxLayout(self)
        column.addWidget(heading_label(self, tr("From {source}", source=printable(str(source)))))
        into = QHBoxLayout()
        words = quiet_label(self, tr("Import into this folder of the project (empty: its root)"))
        into.addWidget(words, 1)
        self._into = QLineEdit(self)
        self._into.setAccessibleName(tr("Import into this folder of the project"))
        self._into.editingFinished.connect(self._inspect)
        into.addWidget(self._into, 1)
        column.addLayout(into)
        self._message = quiet_label(self, "")
        column.addWidget(self._message)
        self._list = RowList(self, tr("Files to import"))
        column.addWidget(self._list, 1)
        self._over = QCheckBox(tr("Also replace files of the project that differ"), self)
        self._over.toggled.connect(lambda _on: self._show())
        column.addWidget(self._over)
        foot = QHBoxLayout()
        self._read_assets = button(self, tr("Read binary assets"), self._on_read)
        self._read_assets.hide()
        foot.addWidget(self._read_assets)
        foot.addStretch(1)
        foot.addWidget(button(self, tr("Not now"), self.reject))
        self._go = button(self, tr("Import"), self._on_go, main=True)
        foot.addWidget(self._go)
        column.addLayout(foot)
        self._runner.succeeded.connect(self._on_plan)
        self._runner.failed.connect(self._on_failed)
        self._inspect()

    def _inspect(self) -> None:
        into = self._into.text().strip()
        self._go.setEnabled(False)
        self._message.setText(tr("Finding dependencies…"))
        self._runner.start(
            tr("finding dependencies"),
            lambda work: plan_import(self._scan, self._source, self._chosen, into, work.token),
        )

    def _on_read(self) -> None:
        """Read the binary assets, after consent to the profile's commands, and find the dependencies again."""
        plan, into = self._plan, self._into.text().strip()
        if plan is None or not (is_trusted(self._scan.profile) or ask_trust(self, self._scan.profile)):
            return
        trust(self._scan.profile)
        self._is_reading = True
        self._go.setEnabled(False)
        self._read_assets.hide()
        self._message.setText(tr("Reading binary assets…"))

        def task(work: Work) -> ImportPlan:
            self._read(plan, work)
            return plan_import(self._scan, self._source, self._chosen, into, work.token)

        self._runner.start(tr("reading binary assets"), task)

    def _on_plan(self, plan: object) -> None:
        assert isinstance(plan, ImportPlan)
        self._is_reading = False
        self._plan = plan
        self._show()

    def _on_failed(self, error: object) -> None:
        if self._is_reading:
            self._is_reading = False
            show_error(self, error)
            self._inspect()  # with the assets that were read
            return
        self._plan = None
        self._list.set_rows(())
        self._message.setText(f"◆ {error}")

    def _show(self) -> None:
        plan = self._plan
        if plan is None:
            return
        rows = []
        for item in plan.files:
            glyph, words, tone = _STATES[item.state]
            rows.append(Row(printable(item.target), item.why, words, glyph, tone, payload=item.path, code=True))
        for missing in plan.unmet:
            why = tr("{by}:{line} needs it, and no file provides it", by=printable(missing.by), line=missing.line)
            rows.append(Row(missing.what, why, tr("missing"), "◇", "alarm", payload=missing, code=True))
        for path in plan.unread:
            rows.append(
                Row(printable(path), tr("its ids are not known"), tr("not read"), "◇", "alarm", payload=path, code=True)
            )
        self._list.set_rows(tuple(rows))
        self._read_assets.setText(tr("Read {binary_assets}", binary_assets=count(len(plan.unread), "binary asset")))
        self._read_assets.setVisible(bool(plan.unread))
        number = plan.count("copy") + (plan.count("differs") if self._over.isChecked() else 0)
        self._over.setVisible(bool(plan.count("differs")))
        needed = sum(item.why != "chosen" for item in plan.files)
        unread = (
            tr(", {binary_assets} not read", binary_assets=count(len(plan.unread), "binary asset"))
            if plan.unread
            else ""
        )
        self._message.setText(
            tr(
                "{files} chosen, {needed} more needed, {number} missing{unread}.",
                files=count(len(self._chosen), "file"),
                needed=needed,
                number=len(plan.unmet),
                unread=unread,
            )
        )
        self._go.setText(tr("Import {files}", files=count(number, "file")))
        self._go.setEnabled(bool(number))

    def _on_go(self) -> None:
        if self._plan is not None:
            self._bring(self._plan, self._over.isChecked())
            self.accept()
