"""Lines of text with a margin that names the source of each; only visible lines are painted."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QPoint, QPointF, QRect, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetrics,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QTextLayout,
)
from PySide6.QtWidgets import QApplication, QLabel, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from fernshale.app.highlight import TAB, Colours, colours_of_line
from fernshale.app.theme import Tone, code_font, scaled, text_font, theme
from fernshale.core.base.texts import tr

# In pixels at the usual size of letters.
_HEIGHT = 18
_MARGIN = 78
# Lines of a block that a screen reader is given.
_SPOKEN = 200
_NARROW = 6
_NUMBER = 44
_WIDEST = 6000
# Lines above one that is scrolled to.
_ABOVE = 4
# Where fewer columns than the second would be seen of a mark, it is shown as far from the start as the first.
_BEFORE_MARK, _AFTER_MARK = 24, 12
# Columns that are seen before the width is known.
_COLUMNS = 64


class LineRow(NamedTuple):
    """A line: the word in the margin with its tone, its number, its text; `fill` is its background colour.

    `marks` are spans of columns in bold, `faded` lines only say where the others are, `path` is a file in whose language a single
    line is. (A tuple, since long files have many thousands of lines.)
    """

    margin: str
    tone: Tone
    number: str
    text: str
    fill: Tone | None = None
    marks: tuple[tuple[int, int], ...] = ()
    faded: bool = False
    path: str = ""

    def skipped(self, columns: int) -> int:
        """How many columns are left out at the start, so that what is marked is among the first `columns`."""
        start = self.marks[0][0] if self.marks else 0
        return max(start - _BEFORE_MARK, 0) if start > columns - _AFTER_MARK else 0


def _height() -> int:
    return scaled(_HEIGHT)


def _number() -> int:
    return scaled(_NUMBER)


class LinesBlock(QWidget):
    """A run of lines, with the colours of the language of the file `path`. Lines can be selected with the mouse or Ctrl+A, and
    copied. `pointed` has the index of a line that was clicked."""

    pointed = Signal(int)

    def __init__(self, parent: QWidget, lines: tuple[LineRow, ...], margin: int | None = None, path: str = "") -> None:
        super().__init__(parent)
        self._lines: tuple[LineRow, ...] = ()
        self._path = path
        self._colours = Colours("", ())
        self._margin = scaled(_MARGIN) if margin is None else margin
        self._from = self._to = -1
        self._columns = _COLUMNS
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.IBeamCursor)
        self.set_lines(lines)

    def set_lines(self, lines: tuple[LineRow, ...]) -> None:
        self._lines = lines
        self._colours = Colours(self._path, [line.text for line in lines] if self._path else ())
        self._from = self._to = -1
        self.setAccessibleName(tr("Lines of {path}", path=self._path) if self._path else tr("Lines"))
        spoken = [f"{line.margin}: {line.text}" if line.margin else line.text for line in lines[:_SPOKEN]]
        self.setAccessibleDescription("\n".join(spoken))
        self._fit()

    def set_room(self, width: int) -> None:
        """So many pixels are seen at a time."""
        letter = max(1, QFontMetrics(code_font()).horizontalAdvance("0"))
        columns = max(20, (width - self._margin - _number() - 24) // letter)
        if columns != self._columns:
            self._columns = columns
            self._fit()

    def _fit(self) -> None:
        lines = self._lines
        shown = (line.text[line.skipped(self._columns) :] if line.marks else line.text for line in lines)
        longest = max(shown, key=len, default="")
        width = self._margin + _number() + QFontMetrics(code_font()).horizontalAdvance(longest.expandtabs(TAB)) + 24
        self.setFixedHeight(_height() * len(lines))
        self.setMinimumWidth(min(width, _WIDEST))
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
        first = max(0, event.rect().top() // _height())
        last = min(len(self._lines), event.rect().bottom() // _height() + 1)
        low, high = sorted((self._from, self._to))
        for at in range(first, last):
            line = self._lines[at]
            top = at * _height()
            if line.fill is not None:
                painter.fillRect(self._margin, top, self.width(), _height(), QColor(soft.get(line.fill, colours.track)))
            if low <= at <= high and low >= 0:
                painter.fillRect(self._margin + 4, top, self.width(), _height(), QColor(colours.mine_soft))
            painter.setFont(text_font(11))
            painter.setPen(colours.tone(line.tone) if line.margin else QColor(colours.quiet))
            painter.drawText(QRect(6, top, self._margin - 14, _height()), Qt.AlignmentFlag.AlignVCenter, line.margin)
            painter.fillRect(self._margin - 4, top, 4, _height(), QColor(inks.get(line.tone, colours.track)))
            painter.setFont(code_font())
            painter.setPen(QColor(colours.quiet))
            box = QRect(self._margin, top, _number() - 10, _height())
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, line.number)
            self._paint_text(painter, at, top)

    def _paint_text(self, painter: QPainter, at: int, top: int) -> None:
        line = self._lines[at]
        skipped = len(line.text[: line.skipped(self._columns)].expandtabs(TAB))
        whole = line.text.expandtabs(TAB)
        layout = QTextLayout(f"…{whole[skipped + 1 :]}" if skipped else whole, code_font())
        own = colours_of_line(whole, line.path) if line.path else self._colours.of(at)
        formats = [_shape(start, end, tone) for start, end, tone in (() if line.faded else own)]
        for start, end in line.marks:
            start, end = (len(line.text[:column].expandtabs(TAB)) for column in (start, end))
            formats.append(_shape(start, end, None))
        for part in formats:
            part.start, part.length = max(part.start - skipped, 0), part.length + min(part.start - skipped, 0)
        layout.setFormats([part for part in formats if part.length > 0])
        layout.beginLayout()
        made = layout.createLine()
        made.setLineWidth(_WIDEST)
        layout.endLayout()
        painter.setPen(QColor(theme().quiet if line.faded else theme().text))
        layout.draw(painter, QPointF(self._margin + _number(), top + (_height() - made.height()) / 2))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() is Qt.MouseButton.LeftButton:
            self._from = self._to = self._at(event.position().toPoint())
            self.pointed.emit(self._from)
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
        return min(max(place.y() // _height(), 0), len(self._lines) - 1)


def _shape(start: int, end: int, tone: Tone | None) -> QTextLayout.FormatRange:
    """A span in a tone; without one, in bold."""
    found = QTextLayout.FormatRange()
    found.start, found.length = start, end - start
    if tone is None:
        found.format.setFontWeight(QFont.Weight.Bold)
    else:
        found.format.setForeground(theme().tone(tone))
    return found


class AnnotatedText(QScrollArea):
    """Blocks of lines with other widgets between them, one below the other; without margin texts the margin is narrow."""

    def __init__(self, parent: QWidget, name: str, has_words: bool = True) -> None:
        super().__init__(parent)
        self._margin = scaled(_MARGIN) if has_words else _NARROW
        self.setAccessibleName(name)
        self.setWidgetResizable(True)
        self.viewport().setAutoFillBackground(False)
        self._parts: list[QWidget] = []
        self.show_parts([])

    def show_lines(self, lines: tuple[LineRow, ...], path: str = "") -> None:
        """Nothing but lines, in the colours of the language of `path`."""
        self.show_parts([LinesBlock(self, lines, self._margin, path)])

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
        self._fit()
        if old is not None:
            old.deleteLater()

    @property
    def plain_text(self) -> str:
        """All words and lines, one below the other."""
        parts = []
        for part in self._parts:
            if isinstance(part, LinesBlock):
                parts += [f"{line.margin} {line.text}".lstrip() for line in part.lines()]
            labels = [part] if isinstance(part, QLabel) else part.findChildren(QLabel)
            parts += [label.text() for label in labels]
        return "\n".join(parts)

    def blocks(self) -> list[LinesBlock]:
        return [part for part in self._parts if isinstance(part, LinesBlock)]

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Keep words and cards as wide as what is seen; only lines of code reach beyond it."""
        for part in self._parts:
            if isinstance(part, LinesBlock):
                part.set_room(self.viewport().width())
            else:
                part.setMaximumWidth(max(self.viewport().width(), 200))

    def scroll_to(self, at: int) -> None:
        """Scroll to a height once everything has found its place."""
        QTimer.singleShot(0, self, lambda: self.verticalScrollBar().setValue(at))

    def reveal(self, part: QWidget) -> None:
        """Scroll so that a part is in view, a little below the top."""
        inside = self.widget()
        if inside is not None and (layout := inside.layout()) is not None:
            layout.activate()
            bar = self.verticalScrollBar()
            bar.setValue(max(0, part.mapTo(inside, QPoint(0, 0)).y() - 70))

    def reveal_line(self, block: LinesBlock, at: int) -> None:
        """Scroll so that a line is in view, with some lines above it, once everything has found its place."""

        def scroll() -> None:
            inside = self.widget()
            if inside is not None and inside.isAncestorOf(block):
                self.verticalScrollBar().setValue(block.mapTo(inside, QPoint(0, (at - _ABOVE) * _height())).y())

        QTimer.singleShot(0, self, scroll)

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
                    place = block.mapTo(inside, QPoint(0, at * _height()))
                    self.ensureVisible(self._margin, place.y(), 0, 80)
                return True
        return False

    def sizeHint(self) -> QSize:
        return QSize(480, 320)
