"""Missing items on the left, the files that use them on the right, and a band between them as wide as the number of uses."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from fernshale.app.theme import Tone, scaled, text_font, theme
from fernshale.core.base.texts import tr

_ROW = 19
_TOP = 20
_MAX_ROWS = 7


@dataclass(frozen=True, slots=True)
class Thread:
    """A missing item: its word, its tone with a glyph, and the number of uses by kind of file."""

    word: str
    tone: Tone
    glyph: str
    users: tuple[tuple[str, int], ...]
    payload: object = None

    @property
    def total(self) -> int:
        return sum(number for _, number in self.users)


class HangingChart(QWidget):
    """The threads with most uses, and a last one for all others together."""

    chosen = Signal(object)

    def __init__(self, parent: QWidget, name: str, left: str, right: str) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._heads = left, right
        self._threads: tuple[Thread, ...] = ()
        self.setFixedHeight(0)

    def set_threads(self, threads: tuple[Thread, ...]) -> None:
        ranked = sorted(threads, key=lambda item: -item.total)
        if len(ranked) > _MAX_ROWS:
            rest = ranked[_MAX_ROWS - 1 :]
            users: dict[str, int] = {}
            for thread in rest:
                for word, number in thread.users:
                    users[word] = users.get(word, 0) + number
            ranked = [
                *ranked[: _MAX_ROWS - 1],
                Thread(tr("{number} others", number=len(rest)), "base", "·", tuple(users.items())),
            ]
        self._threads = tuple(ranked)
        self.setFixedHeight(scaled(_TOP) + scaled(_ROW) * max(len(ranked), len(self._kinds()), 1) + 4 if ranked else 0)
        self.setAccessibleDescription("; ".join(f"{item.word}: {item.total}" for item in ranked))
        self.update()

    def _kinds(self) -> dict[str, int]:
        kinds: dict[str, int] = {}
        for thread in self._threads:
            for word, number in thread.users:
                kinds[word] = kinds.get(word, 0) + number
        return dict(sorted(kinds.items(), key=lambda item: -item[1])[:_MAX_ROWS])

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colours = theme()
        left, right = self.width() * 0.36, self.width() * 0.72
        painter.setFont(text_font(11))
        painter.setPen(QColor(colours.quiet))
        align = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, 0, left, scaled(_TOP) - 2), align | Qt.AlignmentFlag.AlignRight, self._heads[0])
        painter.drawText(QRectF(right, 0, self.width() - right, scaled(_TOP) - 2), align, self._heads[1])
        kinds = self._kinds()
        most = max([*kinds.values(), *(thread.total for thread in self._threads)], default=1)
        scale = (scaled(_ROW) - 5) / most
        at_kind = {word: scaled(_TOP) + number * scaled(_ROW) + 2.0 for number, word in enumerate(kinds)}
        for number, thread in enumerate(self._threads):
            top = scaled(_TOP) + number * scaled(_ROW) + 2.0
            ink = colours.tone(thread.tone)
            soft = QColor(ink)
            soft.setAlpha(90)
            for word, uses in thread.users:
                if word in at_kind:
                    height = max(1.4, uses * scale)
                    painter.fillPath(_band(left + 8, top, right - 8, at_kind[word], height), soft)
                    at_kind[word] += height
                    top += height
        painter.setFont(text_font(12))
        for number, thread in enumerate(self._threads):
            box = QRectF(0, scaled(_TOP) + number * scaled(_ROW), left, scaled(_ROW) - 2)
            painter.setPen(colours.tone(thread.tone))
            words = f"{thread.word} {thread.glyph} {thread.total}"
            if painter.fontMetrics().horizontalAdvance(words) > left:
                room = int(left) - painter.fontMetrics().horizontalAdvance(f" {thread.glyph} {thread.total}")
                short = painter.fontMetrics().elidedText(thread.word, Qt.TextElideMode.ElideMiddle, room)
                words = f"{short} {thread.glyph} {thread.total}"
            painter.drawText(box, align | Qt.AlignmentFlag.AlignRight, words)
        painter.setPen(QColor(colours.text))
        for number, (word, uses) in enumerate(kinds.items()):
            box = QRectF(right, scaled(_TOP) + number * scaled(_ROW), self.width() - right, scaled(_ROW) - 2)
            painter.drawText(
                box,
                align,
                painter.fontMetrics().elidedText(
                    tr("{uses} in {word}", uses=uses, word=word), Qt.TextElideMode.ElideRight, int(box.width())
                ),
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = int((event.position().y() - scaled(_TOP)) // scaled(_ROW))
        if 0 <= at < len(self._threads) and self._threads[at].payload is not None:
            self.chosen.emit(self._threads[at].payload)


def _band(left: float, top: float, right: float, goal: float, height: float) -> QPainterPath:
    middle = (left + right) / 2
    path = QPainterPath(QPointF(left, top))
    path.cubicTo(middle, top, middle, goal, right, goal)
    path.lineTo(right, goal + height)
    path.cubicTo(middle, goal + height, middle, top + height, left, top + height)
    path.closeSubpath()
    return path
