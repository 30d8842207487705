"""Lines of a file in which values are marked; a click on a value sends its line and column."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPoint, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from fernshale.app.theme import Tone, code_font, scaled, theme
from fernshale.core.base.texts import tr

_HEIGHT = 22
_NUMBER = 48
_ROUND = 4


@dataclass(frozen=True, slots=True)
class LineMark:
    """A marked part of a line, from and to a column; `is_open` marks are still a question, and dashed."""

    start: int
    end: int
    tone: Tone
    words: str
    is_open: bool = False


@dataclass(frozen=True, slots=True)
class MarkedLine:
    """A line of the file with its number and its marks."""

    number: int
    text: str
    marks: tuple[LineMark, ...] = ()


class MarkedLines(QWidget):
    """A run of lines. `pointed` has the number of the line and the column that was clicked."""

    pointed = Signal(int, int)

    def __init__(self, parent: QWidget, lines: tuple[MarkedLine, ...]) -> None:
        super().__init__(parent)
        self._lines = lines
        self._letter = QFontMetricsF(code_font()).horizontalAdvance("0")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(scaled(_HEIGHT) * len(lines))
        longest = max((len(line.text.expandtabs(4)) for line in lines), default=0)
        self.setMinimumWidth(min(scaled(_NUMBER) + round((longest + 3) * self._letter), 6000))
        self.setAccessibleName(tr("The file; click a value to say what it is"))
        self._focus = (-1, -1)  # line and mark under the keyboard

    @property
    def lines(self) -> tuple[MarkedLine, ...]:
        return self._lines

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colours = theme()
        soft = {
            "mine": colours.mine_soft,
            "incoming": colours.incoming_soft,
            "base": colours.base_soft,
            "alarm": colours.alarm_soft,
        }
        painter.setFont(code_font())
        first = max(0, event.rect().top() // scaled(_HEIGHT))
        last = min(len(self._lines), event.rect().bottom() // scaled(_HEIGHT) + 1)
        for at in range(first, last):
            line, top = self._lines[at], at * scaled(_HEIGHT)
            for number, mark in enumerate(line.marks):
                around = self._box(line, mark, top)
                style = Qt.PenStyle.DashLine if mark.is_open else Qt.PenStyle.SolidLine
                width = 2.0 if self._focus == (at, number) and self.hasFocus() else 1.0
                painter.setPen(QPen(colours.tone(mark.tone), width, style))
                painter.setBrush(QColor(soft.get(mark.tone, colours.track)))
                painter.drawRoundedRect(around, _ROUND, _ROUND)
            painter.setPen(QColor(colours.quiet))
            box = QRect(0, top, scaled(_NUMBER) - 14, scaled(_HEIGHT))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, str(line.number))
            painter.setPen(QColor(colours.text))
            text = QRect(scaled(_NUMBER), top, max(self.width(), 6000), scaled(_HEIGHT))
            painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, line.text.expandtabs(4))

    def _box(self, line: MarkedLine, mark: LineMark, top: int) -> QRectF:
        left, right = (len(line.text[:column].expandtabs(4)) for column in (mark.start, mark.end))
        return QRectF(
            scaled(_NUMBER) + left * self._letter - 3, top + 2, (right - left) * self._letter + 6, scaled(_HEIGHT) - 4
        )

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            found = self._place(event.position().toPoint())
            if found is not None:
                self.pointed.emit(*found)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        found = self._place(event.position().toPoint())
        mark = self._mark(*found) if found is not None else None
        self.setCursor(Qt.CursorShape.PointingHandCursor if found is not None else Qt.CursorShape.ArrowCursor)
        QToolTip.showText(event.globalPosition().toPoint(), mark.words if mark is not None else "", self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right go from mark to mark, Enter points at one."""
        marks = [(at, number) for at, line in enumerate(self._lines) for number in range(len(line.marks))]
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if step is not None and marks:
            at = marks.index(self._focus) + step if self._focus in marks else 0 if step > 0 else -1
            if 0 <= at < len(marks) or at == -1:
                self._focus = marks[at]
                self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._focus in marks:
            at, number = self._focus
            self.pointed.emit(self._lines[at].number, self._lines[at].marks[number].start)
        else:
            super().keyPressEvent(event)

    def _place(self, point: QPoint) -> tuple[int, int] | None:
        """The line's number and the column at a point; None outside the text."""
        at = point.y() // scaled(_HEIGHT)
        if not 0 <= at < len(self._lines) or point.x() < scaled(_NUMBER) - 4:
            return None
        line = self._lines[at]
        wanted = int((point.x() - scaled(_NUMBER)) / max(self._letter, 1.0))
        column = next((n for n in range(len(line.text)) if len(line.text[: n + 1].expandtabs(4)) > wanted), None)
        return (line.number, column) if column is not None else None

    def _mark(self, number: int, column: int) -> LineMark | None:
        line = next((line for line in self._lines if line.number == number), None)
        marks = line.marks if line is not None else ()
        return next((mark for mark in marks if mark.start <= column < mark.end), None)

    def sizeHint(self) -> QSize:
        return QSize(400, scaled(_HEIGHT) * len(self._lines))
