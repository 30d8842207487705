"""Add releases by pointing at folders and archives: the recognised releases are listed, corrected, and added to the shelf."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.projects import add_releases, find_releases
from fernshale.app.dialogs.questions import WorkingDialog, show_error
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import Work
from fernshale.core.profile.model import Profile
from fernshale.core.route.release_recognition import FoundRelease

_COLUMNS = (
    tr("Add"),
    tr("What"),
    tr("Name"),
    tr("Version"),
    tr("Accepts"),
    tr("How it was recognised, and where it is"),
)
_KINDS = ((tr("engine"), "engine"), (tr("plugin"), "plugin"))


class AddReleasesDialog(WorkingDialog):
    """Lists the releases found at the places that a person points at. `added` counts those put on the shelf."""

    def __init__(self, parent: QWidget | None, shelf: Path, profile: Profile) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Add releases"))
        self.resize(980, 460)
        self.added = 0
        self._shelf, self._profile = shelf, profile
        self._found: list[FoundRelease] = []
        column = QVBoxLayout(self)
        column.addWidget(
            heading_label(self, tr("Where are releases of {title} and of the plugins?", title=profile.title))
        )
        column.addWidget(
            quiet_label(
                self,
                tr(
                    "Point at a folder with one release or with many, an installed engine, an archive, a git repository (its tags"
                    " are releases), or a folder of downloaded packages. Nothing in them is run."
                ),
            )
        )
        row = QHBoxLayout()
        self._folder = button(self, tr("A folder or a repository…"), self._choose_folder, main=True)
        row.addWidget(self._folder)
        row.addWidget(button(self, tr("Archives…"), self._choose_archives))
        self._message = quiet_label(self, "")
        row.addWidget(self._message, 1)
        column.addLayout(row)
        self._table = QTableWidget(0, len(_COLUMNS), self)
        self._table.setAccessibleName(tr("Releases that were recognised"))
        self._table.setHorizontalHeaderLabels(list(_COLUMNS))
        self._table.verticalHeader().hide()
        for at, width in enumerate((50, 110, 190, 130, 110)):
            self._table.setColumnWidth(at, width)
        self._table.horizontalHeader().setSectionResizeMode(len(_COLUMNS) - 1, QHeaderView.ResizeMode.Stretch)
        column.addWidget(self._table, 1)
        self._in_place = QCheckBox(tr("Use folders in place, without copying them"), self)
        self._in_place.setChecked(True)
        column.addWidget(self._in_place)
        foot = QHBoxLayout()
        foot.addWidget(quiet_label(self, tr("They are listed in {shelf}.", shelf=printable(str(shelf)))), 1)
        foot.addWidget(button(self, tr("Close"), self.reject))
        self._add = button(self, tr("Add them"), self._put, main=True)
        self._add.setEnabled(False)
        foot.addWidget(self._add)
        column.addLayout(foot)
        self._runner.failed.connect(self._on_trouble)
        self._runner.succeeded.connect(self._on_result)

    def look_at(self, places: list[Path]) -> None:
        """Recognise the releases at some places."""
        profile = self._profile
        self._message.setText("looking…")
        self._runner.start(
            "", lambda work: [found for place in places for found in find_releases(place, profile, work)]
        )

    def _choose_folder(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("A folder with releases, or a git repository"))
        if folder:
            self.look_at([Path(folder)])

    def _choose_archives(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Archives of releases"))
        if names:
            self.look_at([Path(name) for name in names])

    def _on_trouble(self, error: object) -> None:
        self._message.setText("")
        show_error(self, error)

    def _on_result(self, result: object) -> None:
        if isinstance(result, int):
            self.added += result
            self.accept()
            return
        assert isinstance(result, list)
        known = {(item.kind, item.id, item.version, item.place) for item in self._found}
        new = [item for item in result if (item.kind, item.id, item.version, item.place) not in known]
        for item in new:
            self._show(item)
        self._found += new
        words = (
            tr("{releases} found there", releases=count(len(new), "release"))
            if new
            else tr("no release was recognised there")
        )
        self._message.setText(words)
        self._add.setEnabled(bool(self._found))

    def _show(self, item: FoundRelease) -> None:
        at = self._table.rowCount()
        self._table.insertRow(at)
        tick = QTableWidgetItem()
        tick.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled)
        tick.setCheckState(Qt.CheckState.Checked if item.is_complete else Qt.CheckState.Unchecked)
        self._table.setItem(at, 0, tick)
        kind = QComboBox(self._table)
        for words, value in _KINDS:
            kind.addItem(words, value)
        kind.setCurrentIndex(kind.findData(item.kind))
        kind.setAccessibleName(tr("What {id} is", id=item.id))
        self._table.setCellWidget(at, 1, kind)
        for number, text in ((2, item.id), (3, item.version), (4, item.accepts)):
            self._table.setItem(at, number, QTableWidgetItem(printable(text)))
        where = QTableWidgetItem(f"{item.why}: {printable(str(item.place))}")
        where.setFlags(Qt.ItemFlag.ItemIsEnabled)
        where.setToolTip(where.text())
        self._table.setItem(at, 5, where)

    @property
    def chosen(self) -> list[FoundRelease]:
        """The ticked releases as they were corrected."""
        chosen = []
        for at, item in enumerate(self._found):
            tick, kind = self._table.item(at, 0), self._table.cellWidget(at, 1)
            assert tick is not None and isinstance(kind, QComboBox)
            if tick.checkState() is Qt.CheckState.Checked:
                is_engine = kind.currentData() == "engine"
                id = self._profile.id if is_engine else self._cell(at, 2)
                chosen.append(
                    replace(
                        item,
                        kind="engine" if is_engine else "plugin",
                        id=id,
                        version=self._cell(at, 3),
                        accepts=self._cell(at, 4),
                    )
                )
        return chosen

    def _cell(self, at: int, number: int) -> str:
        item = self._table.item(at, number)
        return item.text().strip() if item is not None else ""

    def _put(self) -> None:
        chosen, shelf, in_place = self.chosen, self._shelf, self._in_place.isChecked()
        if not chosen:
            self._message.setText(tr("Tick the releases to add."))
            return
        self._message.setText("adding…")
        self._runner.start("", lambda work: _added(shelf, chosen, in_place, work))


def _added(shelf: Path, chosen: list[FoundRelease], in_place: bool, work: Work) -> int:
    return len(add_releases(shelf, chosen, work, in_place=in_place))
