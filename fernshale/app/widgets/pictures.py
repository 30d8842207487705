"""Two pictures side by side with the differences marked."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QSizePolicy, QWidget

from fernshale.app.theme import text_font, theme
from fernshale.core.base.texts import tr

_HEAD = 20
_GAP = 14


class PicturePairView(QWidget):
    """Before and now at one scale, side by side or one above the other, whichever shows them larger; the box round what looks
    different is drawn on both."""

    def __init__(self, parent: QWidget, name: str) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)
        self._pictures = QPixmap(), QPixmap()
        self._box: tuple[int, int, int, int] | None = None
        self._words = ""

    def show_pair(self, before: str, now: str, box: tuple[int, int, int, int] | None, words: str) -> None:
        self._pictures = QPixmap(before), QPixmap(now)
        self._box, self._words = box, words
        self.setAccessibleDescription(words)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colours = theme()
        painter.setFont(text_font(12))
        cells = self._cells()
        for number, (picture, head) in enumerate(zip(self._pictures, (tr("before"), tr("now")), strict=True)):
            cell = cells[number]
            painter.setPen(QColor(colours.quiet))
            words = head + (f" · {self._words}" if number else "")
            painter.drawText(
                QRectF(cell.left(), cell.top(), cell.width(), _HEAD - 4), Qt.AlignmentFlag.AlignVCenter, words
            )
            if picture.isNull():
                painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, tr("no picture"))
                continue
            scale = _scale(picture, cell)
            top = cell.top() + _HEAD
            place = QRectF(cell.left(), top, picture.width() * scale, picture.height() * scale)
            # Small pictures are enlarged without smoothing, so that they can be compared.
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 1)
            painter.drawPixmap(place.toRect(), picture)
            if self._box is not None:
                x, y, right, bottom = self._box
                pen = QPen(QColor(colours.alarm), 2)
                painter.setPen(pen)
                size = (right - x) * scale + 4, (bottom - y) * scale + 4
                painter.drawRect(QRectF(cell.left() + x * scale - 2, top + y * scale - 2, *size))

    def _cells(self) -> tuple[QRectF, QRectF]:
        """A place for each picture."""
        width, height = self.width(), self.height()
        half, part = (width - _GAP) / 2, (height - _GAP) / 2
        side_by_side = QRectF(0, 0, half, height), QRectF(half + _GAP, 0, half, height)
        below = QRectF(0, 0, width, part), QRectF(0, part + _GAP, width, part)
        now = self._pictures[1]
        return below if not now.isNull() and _scale(now, below[0]) > _scale(now, side_by_side[0]) else side_by_side


def _scale(picture: QPixmap, cell: QRectF) -> float:
    return min(cell.width() / picture.width(), max(1.0, cell.height() - _HEAD - 4) / picture.height())
