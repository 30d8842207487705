"""A few names to choose from, side by side and wrapped into rows."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QListView, QListWidget, QListWidgetItem, QSizePolicy, QWidget

from fernshale.app.theme import text_font

_MOST_ROWS = 3


class FileChips(QListWidget):
    """The names; `chosen` has the key of the one that a person takes."""

    chosen = Signal(str)

    def __init__(self, parent: QWidget, name: str) -> None:
        super().__init__(parent)
        self.setObjectName("chips")
        self.setAccessibleName(name)
        self.setFlow(QListView.Flow.LeftToRight)
        self.setWrapping(True)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setSpacing(3)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFont(text_font(12))
        self.itemSelectionChanged.connect(self._tell)

    def set_chips(self, chips: tuple[tuple[str, str], ...], current: str) -> None:
        """Show (key, words) pairs, with one of them chosen; no signal is sent."""
        self.blockSignals(True)
        self.clear()
        for key, words in chips:
            item = QListWidgetItem(words, self)
            item.setData(Qt.ItemDataRole.UserRole, key)
            item.setSizeHint(QSize(self.fontMetrics().horizontalAdvance(words) + 34, 26))
            if key == current:
                self.setCurrentItem(item)
        self.blockSignals(False)
        self._fit()

    def _tell(self) -> None:
        items = self.selectedItems()
        if items:
            self.chosen.emit(items[0].data(Qt.ItemDataRole.UserRole))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """As high as the rows need, up to a few; then the list scrolls."""
        rows, left = 1, 0
        for at in range(self.count()):
            width = self.item(at).sizeHint().width() + 6
            if left and left + width > self.viewport().width():
                rows, left = rows + 1, 0
            left += width
        self.setFixedHeight(min(rows, _MOST_ROWS) * 32 + 6)
