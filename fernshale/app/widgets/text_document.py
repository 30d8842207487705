"""Lines of text with a margin that names the source of each; only visible lines are painted."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPoint, QRect, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QFontMetrics, QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from fernshale.app.theme import Tone, code_font, text_font, theme

_HEIGHT = 18
_MARGIN = 78
_NARROW = 6
_NUMBER = 44


@dataclass(frozen=True, slots=True)
class LineRow:
    """A line: the word in the margin with its tone, its number, its text; `fill` is its background colour."""

    margin: str
    tone: Tone
    number: str
    text: str
    fill: Tone | None = None


class LinesBlock(QWidget):
    """A run of lines. Lines can be selected with the mouse or Ctrl+A, and copied."""

    def __init__(self, parent: QWidget, lines: tuple[LineRow, ...], margin: int = _MARGIN) -> None:
        super().__init__(parent)
        self._lines: tuple[LineRow, ...] = ()
        self._margin = margin
        self._from = self._to = -1
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.IBeamCursor)
        self.set_lines(lines)

    def set_lines(self, lines: tuple[LineRow, ...]) -> None:
        self._lines = lines
        self._from = self._to = -1
        longest = max((line.text for line in lines), key=len, default="")
        width = self._margin + _NUMBER + QFontMetrics(code_font()).horizontalAdvance(longest.expandtabs(4)) + 24
        self.setFixedHeight(_HEIGHT * len(lines))
        self.setMinimumWidth(min(width, 6000))
        self.update()

    def lines(self) -> tuple[LineRow, ...]:
        return self._lines

    def select_line(self, at: int) -> None:
        self._from = self._to = at
        self.update()

    @property
    def selected(self) -> int:
        """The first selected line, -1 for none."""
        return min(self._from, self._to)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colours = theme()
        inks = {"mine": colours.mine, "incoming": colours.incoming, "base": colours.base, "alarm": colours.alarm}
        soft = {
            "mine": colours.mine_soft,
            "incoming": colours.incoming_soft,
            "base": colours.base_soft,
            "alarm": colours.alarm_soft,
        }
        first = max(0, event.rect().top() // _HEIGHT)
        last = min(len(self._lines), event.rect().bottom() // _HEIGHT + 1)
        low, high = sorted((self._from, self._to))
        for at in range(first, last):
            line = self._lines[at]
            top = at * _HEIGHT
            if line.fill is not None:
                painter.fillRect(self._margin, top, self.width(), _HEIGHT, QColor(soft.get(line.fill, colours.track)))
            if low <= at <= high and low >= 0:
                painter.fillRect(self._margin + 4, top, self.width(), _HEIGHT, QColor(colours.mine_soft))
            painter.setFont(text_font(11))
            painter.setPen(colours.tone(line.tone) if line.margin else QColor(colours.quiet))
            painter.drawText(QRect(6, top, self._margin - 14, _HEIGHT), Qt.AlignmentFlag.AlignVCenter, line.margin)
            painter.fillRect(self._margin - 4, top, 4, _HEIGHT, QColor(inks.get(line.tone, colours.track)))
            painter.setFont(code_font())
            painter.setPen(QColor(colours.quiet))
            box = QRect(self._margin, top, _NUMBER - 10, _HEIGHT)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, line.number)
            painter.setPen(QColor(colours.text))
            text = QRect(self._margin + _NUMBER, top, max(self.width(), 6000), _HEIGHT)
            painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, line.text.expandtabs(4))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            self._from = self._to = self._at(event.position().toPoint())
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._to = self._at(event.position().toPoint())
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy) and self.selected >= 0:
            low, high = sorted((self._from, self._to))
            QApplication.clipboard().setText("\n".join(line.text for line in self._lines[low : high + 1]))
        elif event.matches(QKeySequence.StandardKey.SelectAll) and self._lines:
            self._from, self._to = 0, len(self._lines) - 1
            self.update()
        else:
            super().keyPressEvent(event)

    def _at(self, place: QPoint) -> int:
        return min(max(place.y() // _HEIGHT, 0), len(self._lines) - 1)


class AnnotatedText(QScrollArea):
    """Blocks of lines with other widgets between them, one below the other; without margin texts the margin is narrow."""

    def __init__(self, parent: QWidget, name: str, has_words: bool = True) -> None:
        super().__init__(parent)
        self._margin = _MARGIN if has_words else _NARROW
        self.setAccessibleName(name)
        self.setWidgetResizable(True)
        self.viewport().setAutoFillBackground(False)
        self._parts: list[QWidget] = []
        self.show_parts([])

    def show_lines(self, lines: tuple[LineRow, ...]) -> None:
        """Nothing but lines."""
        self.show_parts([LinesBlock(self, lines, self._margin)])

    def show_parts(self, parts: list[QWidget]) -> None:
        """Show lines and cards, in order; earlier content is deleted."""
        # Replaced instead of emptied: the old widgets go with their parent, after the click that may have come from them.
        inside = QWidget(self)
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 4, 0, 8)
        column.setSpacing(4)
        for part in parts:
            column.addWidget(part)
        column.addStretch(1)
        self._parts = parts
        old = self.takeWidget()
        self.setWidget(inside)
        inside.setAutoFillBackground(False)
        if old is not None:
            old.deleteLater()

    def blocks(self) -> list[LinesBlock]:
        return [part for part in self._parts if isinstance(part, LinesBlock)]

    def reveal(self, part: QWidget) -> None:
        """Scroll so that a part is in view, a little below the top."""
        inside = self.widget()
        if inside is not None and (layout := inside.layout()) is not None:
            layout.activate()
            bar = self.verticalScrollBar()
            bar.setValue(max(0, part.mapTo(inside, QPoint(0, 0)).y() - 70))

    def show_part(self, part: QWidget) -> None:
        """Scroll so that something inside a part is in view, once it has found its place."""

        def scroll() -> None:
            inside = self.widget()
            if inside is not None and inside.isAncestorOf(part):
                place = part.mapTo(inside, QPoint(0, part.height()))
                self.ensureVisible(self._margin, place.y() + 40, 0, 20)

        QTimer.singleShot(0, self, scroll)

    def find_text(self, words: str) -> bool:
        """Find the next line that contains `words`."""
        lines = [(block, at) for block in self.blocks() for at in range(len(block.lines()))]
        if not lines:
            return False
        start = next((n for n, (block, at) in enumerate(lines) if block.selected == at), -1) + 1
        for step in range(len(lines)):
            block, at = lines[(start + step) % len(lines)]
            if words.lower() in block.lines()[at].text.lower():
                for other in self.blocks():
                    other.select_line(-1)
                block.select_line(at)
                if (inside := self.widget()) is not None:
                    place = block.mapTo(inside, QPoint(0, at * _HEIGHT))
                    self.ensureVisible(self._margin, place.y(), 0, 80)
                return True
        return False

    def sizeHint(self) -> QSize:
        return QSize(480, 320)
