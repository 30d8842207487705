"""Small tables with sorting: a tuple of text rows shown as they are."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QApplication, QHeaderView, QTableView, QWidget

from fernshale.app.theme import Tone, code_font, theme

ModelIndex = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True, slots=True)
class TableRow:
    """The texts of one row, a tone for some of its columns, and its payload."""

    cells: tuple[str, ...]
    tones: tuple[tuple[int, Tone], ...] = ()
    payload: object = None


class TextTableModel(QAbstractTableModel):
    """Columns by name and rows of texts; sorting sorts the tuple."""

    def __init__(self, parent: QWidget, columns: tuple[str, ...], code: tuple[int, ...]) -> None:
        super().__init__(parent)
        self.columns, self._code = columns, code
        self.rows: tuple[TableRow, ...] = ()

    def set_columns(self, columns: tuple[str, ...]) -> None:
        self.beginResetModel()
        self.columns, self.rows = columns, ()
        self.endResetModel()

    def set_rows(self, rows: tuple[TableRow, ...]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        if column < 0:
            return
        self.set_rows(
            tuple(sorted(self.rows, key=lambda row: row.cells[column], reverse=order is Qt.SortOrder.DescendingOrder))
        )

    def rowCount(self, parent: ModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: ModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if (
            role == Qt.ItemDataRole.DisplayRole
            and orientation is Qt.Orientation.Horizontal
            and section < len(self.columns)
        ):
            return self.columns[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        return None

    def data(self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        row = self.rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return row.cells[index.column()]
        if role == Qt.ItemDataRole.ForegroundRole:
            tone = dict(row.tones).get(index.column())
            return theme().tone(tone) if tone else None
        if role == Qt.ItemDataRole.FontRole and index.column() in self._code:
            return code_font(12)
        return None


class TextTable(QTableView):
    """A read-only table. `chosen` follows the current row, `activated_row` is Enter or a double click."""

    chosen = Signal(object)
    activated_row = Signal(object)

    def __init__(self, parent: QWidget, name: str, columns: tuple[str, ...], code: tuple[int, ...] = ()) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self._table = TextTableModel(self, columns, code)
        self.setModel(self._table)
        self.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QTableView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(24)
        header = self.horizontalHeader()
        header.setHighlightSections(False)
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setStretchLastSection(True)
        header.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        self.setSortingEnabled(True)
        self.setTabKeyNavigation(False)
        self.selectionModel().currentRowChanged.connect(self._on_current)
        self.activated.connect(self._on_activated)

    def set_columns(self, columns: tuple[str, ...]) -> None:
        """Set other columns; the rows have to be set again."""
        if columns != self._table.columns:
            self._table.set_columns(columns)

    def set_rows(self, rows: tuple[TableRow, ...]) -> None:
        known = self.current()
        self._table.set_rows(rows)
        self._table.sort(self.horizontalHeader().sortIndicatorSection(), self.horizontalHeader().sortIndicatorOrder())
        self.fit_columns()
        at = next(
            (at for at, row in enumerate(self._table.rows) if row.payload is not None and row.payload == known), 0
        )
        if rows:
            self.selectRow(at)

    def current(self) -> object:
        index = self.currentIndex()
        return (
            self._table.rows[index.row()].payload if index.isValid() and index.row() < len(self._table.rows) else None
        )

    def select(self, payload: object) -> bool:
        """Select the row of `payload`; False when there is none."""
        at = next((at for at, row in enumerate(self._table.rows) if row.payload == payload), None)
        if at is not None:
            self.selectRow(at)
        return at is not None

    def fit_columns(self) -> None:
        """Widths by content, none wider than its share allows."""
        self.resizeColumnsToContents()
        widest = max(160, self.viewport().width() // 2)
        for column in range(len(self._table.columns) - 1):
            self.setColumnWidth(column, min(self.columnWidth(column) + 14, widest))

    def find_text(self, words: str) -> bool:
        """Find the next row that contains `words`."""
        rows = self._table.rows
        start = self.currentIndex().row() + 1
        for step in range(len(rows)):
            at = (start + step) % len(rows)
            if words.lower() in "\t".join(rows[at].cells).lower():
                self.selectRow(at)
                return True
        return False

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            index = self.currentIndex()
            if index.isValid():
                QApplication.clipboard().setText("\t".join(self._table.rows[index.row()].cells))
            return
        super().keyPressEvent(event)

    def _on_current(self, now: QModelIndex, before: QModelIndex) -> None:
        self.chosen.emit(self._table.rows[now.row()].payload if now.isValid() else None)

    def _on_activated(self, index: QModelIndex) -> None:
        self.activated_row.emit(self._table.rows[index.row()].payload)
