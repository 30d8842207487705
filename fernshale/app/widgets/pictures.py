"""Two pictures side by side with what differs marked."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QSizePolicy, QWidget

from fernshale.app.theme import text_font, theme

_HEAD, _GAP = 20, 14


class PicturePairView(QWidget):
    """Before at the left, now at the right, both at one scale; the box round what looks different is drawn on both."""

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
        half = (self.width() - _GAP) / 2
        room = self.height() - _HEAD - 4
        for number, (picture, head) in enumerate(zip(self._pictures, ("before", "now"), strict=True)):
            left = number * (half + _GAP)
            painter.setPen(QColor(colours.quiet))
            words = head + (f" · {self._words}" if number else "")
            painter.drawText(QRectF(left, 0, half, _HEAD - 4), Qt.AlignmentFlag.AlignVCenter, words)
            if picture.isNull():
                painter.drawText(QRectF(left, _HEAD, half, room), Qt.AlignmentFlag.AlignCenter, "no picture")
                continue
            scale = min(half / picture.width(), room / picture.height())
            place = QRectF(left, _HEAD, picture.width() * scale, picture.height() * scale)
            # Small pictures are made larger as they are, without smoothing what is to be compared.
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 1)
            painter.drawPixmap(place.toRect(), picture)
            if self._box is not None:
                x, y, right, bottom = self._box
                pen = QPen(QColor(colours.alarm), 2)
                painter.setPen(pen)
                painter.drawRect(
                    QRectF(
                        left + x * scale - 2, _HEAD + y * scale - 2, (right - x) * scale + 4, (bottom - y) * scale + 4
                    )
                )
