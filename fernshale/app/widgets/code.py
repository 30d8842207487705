"""An editor for a few lines of code, with the colours of its language."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QKeyEvent, QSyntaxHighlighter, QTextCharFormat, QTextDocument
from PySide6.QtWidgets import QPlainTextEdit, QWidget

from fernshale.app.highlight import colours_of_line
from fernshale.app.theme import code_font, theme


class CodeEditor(QPlainTextEdit):
    """An editor for a few lines. Ctrl+Enter accepts, Escape cancels."""

    finished = Signal()
    given_up = Signal()

    def __init__(self, parent: QWidget, path: str, text: str) -> None:
        super().__init__(parent)
        self.setFont(code_font())
        self.setTabStopDistance(4 * self.fontMetrics().horizontalAdvance(" "))
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.setPlainText(text)
        self._colours = _Highlighter(self.document(), path)
        lines = max(3, min(14, text.count("\n") + 3))
        self.setFixedHeight(lines * self.fontMetrics().lineSpacing() + 14)

    def event(self, event: QEvent) -> bool:
        # The window has a meaning for Escape of its own; here it is the editor's.
        is_key = event.type() is QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent)
        if is_key and event.key() == Qt.Key.Key_Escape:  # type: ignore[attr-defined]
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if (
            event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            self.finished.emit()
        elif event.key() == Qt.Key.Key_Escape:
            self.given_up.emit()
        else:
            super().keyPressEvent(event)


class _Highlighter(QSyntaxHighlighter):
    """Colours a line at a time: enough for the few lines of a decision."""

    def __init__(self, document: QTextDocument, path: str) -> None:
        super().__init__(document)
        self._path = path

    def highlightBlock(self, text: str) -> None:
        for start, end, tone in colours_of_line(text, self._path):
            shape = QTextCharFormat()
            shape.setForeground(theme().tone(tone))
            self.setFormat(start, end - start, shape)
