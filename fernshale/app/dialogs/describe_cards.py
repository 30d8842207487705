"""The cards of a description: a question about a value or a folder, and a section with its lines."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from fernshale.api.describing import Line, Section
from fernshale.app.theme import code_font, text_font, theme
from fernshale.app.widgets.basics import ShortLabel, button, heading_label, quiet_label
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import printable

# A section shows so many lines until a person asks for all.
_FEW = 4
_STRIKE = tr("Remove this suggestion; it is not made again")


class AnswerCard(QFrame):
    """A question with numbered answers; a digit, or a click, gives one. Escape closes it."""

    closed = Signal()

    def __init__(
        self, parent: QWidget, title: str, options: Sequence[tuple[str, str, Callable[[], None]]], notes: Sequence[str]
    ) -> None:
        super().__init__(parent)
        self.setObjectName("question")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._acts = [act for _, _, act in options]
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 10)
        column.setSpacing(3)
        head = heading_label(self, printable(title))
        head.setWordWrap(True)
        column.addWidget(head)
        for number, (words, hint, act) in enumerate(options, 1):
            row = QHBoxLayout()
            row.setSpacing(8)
            made = button(self, f"{number}   {words}", act)
            made.setObjectName("link")
            row.addWidget(made)
            if hint:
                row.addWidget(quiet_label(self, hint), 1)
            column.addLayout(row)
        for note in notes:
            column.addWidget(quiet_label(self, printable(note)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        digit = event.text()
        if digit.isdigit() and 0 < int(digit) <= len(self._acts):
            self._acts[int(digit) - 1]()
        elif event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)


class SectionCard(QFrame):
    """A part of the description with its lines; a click on a line shows its place in the file."""

    opened = Signal(object)
    struck = Signal(str)

    def __init__(self, parent: QWidget, section: Section) -> None:
        super().__init__(parent)
        self.setObjectName("open" if section.open else "card")
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 8, 12, 10)
        self._column.setSpacing(2)
        head = QHBoxLayout()
        head.addWidget(heading_label(self, section.title))
        head.addStretch(1)
        state = f"◆ {count(section.open, 'question')}" if section.open else tr("● complete")
        label = QLabel(state, self)
        label.setFont(text_font(12))
        label.setStyleSheet(f"color: {theme().alarm if section.open else theme().mine}")
        head.addWidget(label)
        self._column.addLayout(head)
        self._rest = list(section.lines[_FEW:])
        for line in section.lines[:_FEW]:
            self._column.addWidget(self._row(line))
        self._more: QPushButton | None = None
        if self._rest:
            self._more = button(self, tr("{number} more", number=len(self._rest)), self._show_all)
            self._more.setObjectName("link")
            self._column.addWidget(self._more, 0, Qt.AlignmentFlag.AlignLeft)

    def add(self, widget: QWidget) -> None:
        """Put something below the lines."""
        self._column.addWidget(widget)

    def _show_all(self) -> None:
        assert self._more is not None
        at = self._column.indexOf(self._more)
        for number, line in enumerate(self._rest):
            self._column.insertWidget(at + number, self._row(line))
        self._more.hide()

    def _row(self, line: Line) -> QWidget:
        row = QWidget(self)
        across = QHBoxLayout(row)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(6)
        if line.file is not None:
            place = button(row, printable(line.left), lambda: self.opened.emit(line), hint=tr("Show it in its file"))
            place.setObjectName("link")
            place.setFont(code_font())
            place.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)
            across.addWidget(place)
        else:
            left = ShortLabel(row, "")
            left.setText(printable(line.left))
            left.setFont(code_font())
            across.addWidget(left)
        across.addStretch(1)
        right = ShortLabel(row, "")
        right.setText(printable(line.right))  # a text set later may be cut
        right.setObjectName("quiet")
        across.addWidget(right)
        if line.key:
            strike = button(row, "✕", lambda: self.struck.emit(line.key), hint=_STRIKE)
            strike.setObjectName("link")
            strike.setAccessibleName(tr("Leave out {left}", left=line.left))
            across.addWidget(strike)
        return row
