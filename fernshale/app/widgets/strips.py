"""Strips that stand for folded parts of the window: a line below the page, and one at its side."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QSizePolicy, QWidget

from fernshale.app.theme import text_font, theme
from fernshale.app.widgets.basics import ShortLabel, button
from fernshale.core.base.texts import tr

_WIDE = 26


class SideStrip(QPushButton):
    """Upright words at the side of the page; a click unfolds the parts that they name."""

    def __init__(self, parent: QWidget, act: Callable[[], None]) -> None:
        super().__init__(parent)
        self.setFixedWidth(_WIDE)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.clicked.connect(lambda _checked=False: act())
        self._needs_you = False

    def say(self, words: str, needs_you: bool) -> None:
        self.setText(words)
        self.setAccessibleName(words)
        self.setToolTip(words)
        self._needs_you = needs_you

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colours = theme()
        painter.fillRect(self.rect(), QColor(colours.card))
        painter.setPen(QColor(colours.edge))
        painter.drawLine(self.rect().topLeft(), self.rect().bottomLeft())
        if self.hasFocus():
            painter.setPen(QPen(QColor(colours.mine), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(2, 1, -2, -2))
        painter.setFont(text_font(12))
        painter.setPen(QColor(colours.alarm if self._needs_you else colours.quiet))
        painter.translate(self.width(), 0)
        painter.rotate(90)
        room = self.rect().transposed().adjusted(8, 0, -8, 0)
        shown = painter.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, shown)

    def sizeHint(self) -> QSize:
        return QSize(_WIDE, 200)


class FootStrip(QFrame):
    """A line of folded parts: of each its name as a link, and a few words."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("foot")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(11, 2, 9, 2)
        self._row.setSpacing(4)
        self._parts: dict[str, tuple[QPushButton, ShortLabel]] = {}

    def set_plain(self, is_plain: bool) -> None:
        """Without a background of its own, for a bar that has one."""
        self.setObjectName("" if is_plain else "foot")
        self._row.setContentsMargins(11, 0 if is_plain else 2, 9, 0 if is_plain else 2)
        self.style().unpolish(self)
        self.style().polish(self)
        for _, words in self._parts.values():
            words.setFont(text_font(12))  # polishing brings back the font of the first size of letters

    def add(self, name: str, title: str, key: str, act: Callable[[], None]) -> None:
        """A part of the line; a click on its title unfolds it."""
        link = button(self, title, act, hint=tr("Unfold it ({key})", key=key))
        link.setObjectName("link")
        words = ShortLabel(self, "")
        words.setObjectName("quiet")
        words.setFont(text_font(12))
        words.setContentsMargins(0, 0, 18, 0)
        words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._parts[name] = link, words
        self._row.addWidget(link)
        self._row.addWidget(words, 1)

    def say(self, name: str, words: str, title: str = "") -> None:
        """Change the words of a part, and its title if there is another one."""
        link, label = self._parts[name]
        label.setText(words)
        if title:
            link.setText(title)

    def show_part(self, name: str, is_shown: bool) -> None:
        """Show or hide a part; without parts the line is gone."""
        for widget in self._parts[name]:
            widget.setVisible(is_shown)
        self.setVisible(any(not link.isHidden() for link, _ in self._parts.values()))
