"""A few names to choose from, side by side and wrapped into rows."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QListView, QListWidget, QListWidgetItem, QSizePolicy, QWidget

from fernshale.app.theme import scaled, text_font

_MOST_ROWS = 3
_CHIP, _SPACING = 26, 3
# The height of a row with the space around it, pixels.
_ROW = _CHIP + 2 * _SPACING


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
        self.setSpacing(_SPACING)
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
            item.setSizeHint(QSize(self.fontMetrics().horizontalAdvance(words) + 34, scaled(_CHIP)))
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
        if self.count():
            self.doItemsLayout()  # the list wraps later than it is resized
            top = self.visualItemRect(self.item(self.count() - 1)).top() + self.verticalOffset()
            self.setFixedHeight(min(top // scaled(_ROW) + 1, _MOST_ROWS) * scaled(_ROW) + 6)
