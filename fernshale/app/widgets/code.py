"""An editor for a few lines of code, with the colours of its language."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QSyntaxHighlighter, QTextCharFormat, QTextDocument
from PySide6.QtWidgets import QPlainTextEdit, QWidget

from fernshale.app.theme import Tone, code_font, theme

_TONES: tuple[tuple[str, Tone], ...] = (
    ("Comment", "quiet"),
    ("Literal.String", "mine"),
    ("Literal.Number", "incoming"),
    ("Keyword", "base"),
    ("Name.Tag", "base"),
    ("Name.Attribute", "incoming"),
)


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
        self._colours = _Colours(self.document(), path)
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


class _Colours(QSyntaxHighlighter):
    """Colours a line at a time: enough for the few lines of a decision."""

    def __init__(self, document: QTextDocument, path: str) -> None:
        from pygments.lexers import TextLexer, get_lexer_for_filename
        from pygments.util import ClassNotFound

        super().__init__(document)
        try:
            self._lexer = get_lexer_for_filename(path.rsplit("/", 1)[-1], stripnl=False, ensurenl=False)
        except ClassNotFound:
            self._lexer = TextLexer(stripnl=False, ensurenl=False)

    def highlightBlock(self, text: str) -> None:
        at = 0
        for kind, part in self._lexer.get_tokens(text):
            name = str(kind).removeprefix("Token.")
            tone = next((tone for start, tone in _TONES if name.startswith(start)), None)
            if tone is not None:
                shape = QTextCharFormat()
                shape.setForeground(QColor(theme().tone(tone)))
                self.setFormat(at, len(part), shape)
            at += len(part)
