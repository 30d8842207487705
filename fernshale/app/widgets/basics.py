"""Cards, headings, the finding, buttons: the parts of every page."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QStylePainter, QVBoxLayout, QWidget

from fernshale.app.theme import text_font, theme
from fernshale.core.crossing.flow.summaries import Finding

# A title in a card's head keeps at least so many pixels.
_SHORTEST = 90


class FindingLabel(QLabel):
    """The finding of a page: one sentence, its numbers in their tones."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.RichText)
        self.setWordWrap(True)
        self.setFont(text_font(17))
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)

    def show_finding(self, finding: Finding) -> None:
        parts = []
        for tone, text in finding.parts:
            words = escape(text)
            if tone in ("strong", "alarm"):
                words = f"<b>{words}</b>"
            parts.append(f'<span style="color:{theme().tone(tone).name()}">{words}</span>')
        self.setText("".join(parts))
        self.setAccessibleName(finding.plain)


class ShortLabel(QLabel):
    """One line of text that is cut in the middle where it is too long; the tool tip has all of it.

    There is always room for its beginning.
    """

    def __init__(self, parent: QWidget, text: str) -> None:
        super().__init__(text, parent)
        self._first = text
        self.setToolTip(text)
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setToolTip(text)

    def minimumSizeHint(self) -> QSize:
        whole = super().minimumSizeHint()
        return whole if self.text() == self._first else QSize(min(_SHORTEST, whole.width()), whole.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.width() >= self.sizeHint().width():
            super().paintEvent(event)
            return
        shown = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideMiddle, self.width())
        painter = QStylePainter(self)
        painter.drawItemText(
            self.rect(), self.alignment(), self.palette(), self.isEnabled(), shown, self.foregroundRole()
        )


class Card(QFrame):
    """A white card with an optional head line; `body` takes the content, `head` the widgets next to the title."""

    def __init__(self, parent: QWidget, title: str = "") -> None:
        super().__init__(parent)
        self.setObjectName("card")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(1, 1, 1, 1)
        outer.setSpacing(0)
        self.title = ShortLabel(self, title)
        self.title.setObjectName("heading")
        self.note = ShortLabel(self, "")
        self.note.setObjectName("quiet")
        self.note.setFont(text_font(11))
        self.note.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.head_frame = QFrame(self)
        self.head_frame.setObjectName("cardhead")
        self.head = QHBoxLayout(self.head_frame)
        self.head.setContentsMargins(11, 5, 9, 5)
        self.head.addWidget(self.title)
        self.head.addWidget(self.note, 1)
        self.head_frame.setVisible(bool(title))
        outer.addWidget(self.head_frame)
        self.body = QVBoxLayout()
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(0)
        outer.addLayout(self.body, 1)

    def set_title(self, title: str, note: str = "") -> None:
        self.title.setText(title)
        self.note.setText(note)
        self.head_frame.setVisible(bool(title))


def quiet_label(parent: QWidget, text: str) -> QLabel:
    """Small quiet words that may wrap."""
    label = QLabel(text, parent)
    label.setObjectName("quiet")
    label.setFont(text_font(11))
    label.setWordWrap(True)
    label.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
    return label


def heading_label(parent: QWidget, text: str) -> QLabel:
    label = QLabel(text, parent)
    label.setObjectName("heading")
    return label


def button(parent: QWidget, text: str, act: Callable[[], None], main: bool = False, hint: str = "") -> QPushButton:
    """A button; the `main` one is the most likely next step."""
    made = QPushButton(text, parent)
    made.setAutoDefault(False)
    if main:
        made.setObjectName("main")
    if hint:
        made.setToolTip(hint)
    # The slot drops `checked`; a bound method would do without this, a closure needs it.
    made.clicked.connect(lambda _checked=False: act())
    return made


def add_in_turn(layout: QHBoxLayout, buttons: Sequence[QPushButton]) -> None:
    """Put buttons into a row of which only some are shown at a time; hidden ones take no room."""
    for made in buttons:
        made.hide()
        layout.addWidget(made)


def buttons_in(layout: QHBoxLayout) -> list[QPushButton]:
    """The buttons of a row, from left to right."""
    items = [layout.itemAt(number) for number in range(layout.count())]
    widgets = [item.widget() for item in items if item is not None]
    return [widget for widget in widgets if isinstance(widget, QPushButton)]


def clear_layout(layout: QVBoxLayout | QHBoxLayout) -> None:
    """Remove and delete everything in a layout."""
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
