"""Lists of rows: one model and one delegate for items, causes, files, notes and the logbook.

The model holds a tuple of frozen rows and nothing else; order and filter are made before it is set.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetrics, QKeyEvent, QKeySequence, QMouseEvent, QPainter
from PySide6.QtWidgets import QApplication, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from fernshale.app.theme import Tone, code_font, scaled, text_font, theme

ModelIndex = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True, slots=True)
class Row:
    """One row. `glyph` precedes the title, `right` is at its end; `bar` is 0 to 1, below zero for none."""

    title: str
    sub: str = ""
    right: str = ""
    glyph: str = ""
    tone: Tone = "plain"
    edge: Tone | None = None
    bar: float = -1.0
    payload: object = None
    heading: bool = False
    code: bool = False
    faded: bool = False
    link: bool = False

    @property
    def text(self) -> str:
        """The row for the clipboard and for searching."""
        return "\t".join(part for part in (self.title, self.sub, self.right) if part)


class RowModel(QAbstractListModel):
    """A tuple of rows."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.rows: tuple[Row, ...] = ()

    def set_rows(self, rows: tuple[Row, ...]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: ModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def data(self, index: ModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or not 0 <= index.row() < len(self.rows):
            return None
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.title
        if role == Qt.ItemDataRole.UserRole:
            return row
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole):
            return "\n".join(part for part in (row.title, row.sub, row.right) if part)
        return None

    def flags(self, index: ModelIndex) -> Qt.ItemFlag:
        if not index.isValid() or self.rows[index.row()].heading:
            return Qt.ItemFlag.ItemIsEnabled if index.isValid() else Qt.ItemFlag.NoItemFlags
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemNeverHasChildren


class RowDelegate(QStyledItemDelegate):
    """Paints a row: edge, glyph, title, right text; below it the quiet line and the bar. Titles may take two lines."""

    def __init__(self, parent: QWidget, wrap: bool, padding: int) -> None:
        super().__init__(parent)
        self._wrap = wrap
        self._padding = padding

    def sizeHint(self, option: QStyleOptionViewItem, index: ModelIndex) -> QSize:
        row: Row = index.data(Qt.ItemDataRole.UserRole)
        if row.heading:
            return QSize(60, scaled(26))
        view = self.parent()
        width = view.viewport().width() if isinstance(view, QListView) else 240
        title = self._title_height(row, width)
        return QSize(60, 2 * self._padding + title + (scaled(16) if row.sub else 0) + (9 if row.bar >= 0 else 0))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: ModelIndex) -> None:
        row: Row = index.data(Qt.ItemDataRole.UserRole)
        colours = theme()
        rect: QRect = option.rect
        state: QStyle.StateFlag = option.state
        selected = bool(state & QStyle.StateFlag.State_Selected) and not row.heading
        painter.save()
        background = colours.head if row.heading else colours.mine_soft if selected else colours.card
        painter.fillRect(rect, QColor(background))
        if row.edge is not None:
            painter.fillRect(rect.left(), rect.top(), 3, rect.height() - 1, colours.tone(row.edge))
        elif selected:
            painter.fillRect(rect.left(), rect.top(), 3, rect.height() - 1, QColor(colours.mine))
        painter.setPen(QColor(colours.track))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        inner = rect.adjusted(11, self._padding, -9, -2)
        self._paint_title(painter, row, inner)
        below = inner.top() + self._title_height(row, rect.width())
        if row.sub:
            painter.setFont(text_font(11))
            painter.setPen(QColor(colours.quiet))
            line = QRect(inner.left(), below, inner.width(), scaled(15))
            sub = QFontMetrics(painter.font()).elidedText(row.sub, Qt.TextElideMode.ElideRight, line.width())
            painter.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, sub)
            below += scaled(16)
        if row.bar >= 0:
            painter.fillRect(inner.left(), below + 2, inner.width(), 5, QColor(colours.track))
            painter.fillRect(
                inner.left(), below + 2, round(inner.width() * min(row.bar, 1.0)), 5, colours.tone(row.tone)
            )
        painter.restore()

    def _paint_title(self, painter: QPainter, row: Row, inner: QRect) -> None:
        colours = theme()
        font = code_font(12) if row.code else text_font(12 if row.heading else 13, row.heading or row.tone == "strong")
        painter.setFont(font)
        right_width = 0
        if row.right:
            right_width = QFontMetrics(font).horizontalAdvance(row.right) + 8
            painter.setPen(QColor(colours.mine if row.link else colours.quiet if row.faded else colours.text))
            painter.drawText(inner, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, row.right)
        left = inner.left()
        if row.glyph:
            painter.setPen(colours.tone(row.tone))
            painter.drawText(left, inner.top(), scaled(18), scaled(18), Qt.AlignmentFlag.AlignLeft, row.glyph)
            left += scaled(18)
        painter.setPen(QColor(colours.quiet if row.faded else colours.text))
        box = QRect(left, inner.top(), inner.right() - left - right_width, self._title_height(row, inner.width() + 20))
        metrics = QFontMetrics(font)
        if self._wrap and not row.heading:
            # A qualified name is one long word, and may be broken between its parts.
            title = re.sub(r"(?<=[^\W\d])(\.|_|::)(?=[^\W\d])", "\\1\u200b", row.title)
            shown = metrics.elidedText(title, Qt.TextElideMode.ElideRight, box.width() * 2 - 24)
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, shown)
        else:
            shown = metrics.elidedText(row.title, Qt.TextElideMode.ElideMiddle, box.width())
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, shown)

    def _title_height(self, row: Row, width: int) -> int:
        if not self._wrap or row.heading:
            return scaled(17)
        metrics = QFontMetrics(text_font(13, row.tone == "strong"))
        right = metrics.horizontalAdvance(row.right) + 8 if row.right else 0
        room = width - 20 - (scaled(18) if row.glyph else 0) - right
        return scaled(17 if metrics.horizontalAdvance(row.title) <= room else 33)


class RowList(QListView):
    """A list of rows. `chosen` follows the current row, `activated_row` is Enter or a double click."""

    chosen = Signal(object)
    activated_row = Signal(object)
    link_clicked = Signal(object)

    def __init__(self, parent: QWidget, name: str, wrap: bool = False, padding: int = 6) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self._rows = RowModel(self)
        self.setModel(self._rows)
        self.setItemDelegate(RowDelegate(self, wrap, padding))
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setWordWrap(wrap)  # rows are laid out again when the width changes, as it does when the scroll bar appears
        self.setUniformItemSizes(False)
        self.selectionModel().currentChanged.connect(self._on_current)
        self.activated.connect(self._on_activated)

    def set_rows(self, rows: tuple[Row, ...]) -> None:
        """Show `rows`; the current one stays current where its payload is still there, else the one in its place is."""
        known, place = self.current(), self.currentIndex().row()
        self._rows.set_rows(rows)
        wanted = next((at for at, row in enumerate(rows) if row.payload is not None and row.payload == known), -1)
        if wanted < 0:
            shown = [at for at, row in enumerate(rows) if not row.heading]
            wanted = next((at for at in shown if at >= place), shown[-1] if shown and place > 0 else -1)
        if wanted >= 0:
            self.setCurrentIndex(self._rows.index(wanted))
        else:
            self.chosen.emit(None)

    def rows(self) -> tuple[Row, ...]:
        return self._rows.rows

    def current(self) -> object:
        """The payload of the current row."""
        index = self.currentIndex()
        return self._rows.rows[index.row()].payload if index.isValid() and index.row() < len(self._rows.rows) else None

    def select(self, payload: object) -> bool:
        """Select the row of `payload`; False when there is none."""
        for at, row in enumerate(self._rows.rows):
            if row.payload == payload and not row.heading:
                self.setCurrentIndex(self._rows.index(at))
                return True
        return False

    def find_text(self, words: str) -> bool:
        """Find the next row that contains `words`."""
        count = len(self._rows.rows)
        start = self.currentIndex().row() + 1
        for step in range(count):
            at = (start + step) % count
            if words.lower() in self._rows.rows[at].text.lower() and not self._rows.rows[at].heading:
                self.setCurrentIndex(self._rows.index(at))
                return True
        return False

    def show_top(self) -> None:
        """Make the first row current."""
        if self._rows.rows:
            self.setCurrentIndex(self._rows.index(0))
            self.scrollToTop()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        place = event.position().toPoint()
        index = self.indexAt(place)
        super().mouseReleaseEvent(event)
        if not index.isValid() or event.button() is not Qt.MouseButton.LeftButton:
            return
        row = self._rows.rows[index.row()]
        width = QFontMetrics(text_font(13)).horizontalAdvance(row.right) + 24
        if row.link and place.x() > self.viewport().width() - width:
            self.link_clicked.emit(row.payload)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            index = self.currentIndex()
            if index.isValid():
                QApplication.clipboard().setText(self._rows.rows[index.row()].text)
            return
        super().keyPressEvent(event)

    def _on_current(self, now: QModelIndex, before: QModelIndex) -> None:
        self.chosen.emit(self._rows.rows[now.row()].payload if now.isValid() else None)

    def _on_activated(self, index: QModelIndex) -> None:
        row = self._rows.rows[index.row()]
        if not row.heading:
            self.activated_row.emit(row.payload)
