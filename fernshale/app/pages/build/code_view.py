"""The detail of the Build page as widgets: words, what the tools printed, and code with changes drawn in."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from fernshale.app.hunks import HunkLine
from fernshale.app.pages.build.detail import Block, Code, Folded, Words
from fernshale.app.theme import text_font, theme
from fernshale.app.widgets.basics import button, quiet_label
from fernshale.app.widgets.text_document import AnnotatedText, LineRow, LinesBlock
from fernshale.core.base.texts import tr


class CodeView(AnnotatedText):
    """Shows blocks. `place_chosen` has the number of an edit, `place_opened` a place as `path:line`."""

    place_chosen = Signal(int)
    place_opened = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, tr("The code with the option drawn in"))
        self._is_open = False  # whether what the tools printed is shown

    def show_blocks(self, blocks: Sequence[Block]) -> None:
        self.show_parts([part for block in blocks for part in self._parts_of(block)])

    def _parts_of(self, block: Block) -> list[QWidget]:
        if isinstance(block, Words):
            return [self._words(block)]
        if isinstance(block, Folded):
            return [_FoldedLines(self, block)]
        lines = LinesBlock(self, tuple(_row(line, block.is_here) for line in block.lines), path=block.path)
        if block.edits:
            changed = _edit_numbers(block)
            lines.pointed.connect(lambda at: self.place_chosen.emit(changed[at]) if at in changed else None)
        return [self._place(block), lines] if block.place else [lines]

    def _words(self, block: Words) -> QLabel:
        lead = (
            f'<b style="color:{theme().tone(block.tone).name()}">{escape(block.lead)}</b>&nbsp; ' if block.lead else ""
        )
        label = QLabel(lead + escape(block.text), self)
        label.setTextFormat(Qt.TextFormat.RichText)
        label.setWordWrap(True)
        label.setContentsMargins(11, 3, 9, 1)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        return label

    def _place(self, block: Code) -> QWidget:
        holder = QWidget(self)
        row = QHBoxLayout(holder)
        row.setContentsMargins(7, 4, 9, 0)
        kind, _, rest = block.link.partition(":")
        link = button(holder, ("▸ " if block.is_here else "") + block.place, lambda: self._follow(kind, rest))
        link.setObjectName("link")
        row.addWidget(link)
        row.addWidget(quiet_label(holder, block.remark), 1)
        return holder

    def _follow(self, kind: str, rest: str) -> None:
        if kind == "place":
            self.place_chosen.emit(int(rest))
        else:
            self.place_opened.emit(rest)


class _FoldedLines(QWidget):
    """A line that a click opens."""

    def __init__(self, parent: QWidget, block: Folded) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(7, 0, 9, 2)
        column.setSpacing(2)
        self._text = block.text
        self._head = QPushButton(self)
        self._head.setObjectName("link")
        self._head.setFont(text_font(11))
        self._head.setCheckable(True)
        self._head.toggled.connect(self._fold)
        column.addWidget(self._head)
        self._lines = LinesBlock(self, tuple(LineRow("", "quiet", "", line) for line in block.lines), 6)
        column.addWidget(self._lines)
        self._fold(False)

    def _fold(self, is_open: bool) -> None:
        self._lines.setVisible(is_open)
        self._write_head()

    def _write_head(self) -> None:
        words = ("▾ " if self._head.isChecked() else "▸ ") + self._text
        room = max(self.width() - 40, 100)
        self._head.setText(self._head.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, room))
        self._head.setToolTip("" if self._head.isChecked() else self._text)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._write_head()


def _row(line: HunkLine, is_here: bool) -> LineRow:
    number = str(line.number) if line.number else ""
    if line.kind == "old":
        return LineRow(tr("▸ before") if is_here else tr("before"), "alarm", number, line.text, "alarm", line.marks)
    if line.kind == "new":
        return LineRow(tr("after"), "mine", number, line.text, "mine", line.marks)
    if line.kind == "said":
        return LineRow("▴", "alarm", "", line.text, "alarm", faded=True)
    return LineRow("", "plain", number, line.text, faded=line.kind == "head")


def _edit_numbers(block: Code) -> dict[int, int]:
    """The number of the edit that each changed line is of: lines and edits are in the same order."""
    found: dict[int, int] = {}
    at = -1
    before = ""
    for index, line in enumerate(block.lines):
        if line.kind in ("old", "new"):
            at += before not in ("old", "new")
            found[index] = block.edits[min(at, len(block.edits) - 1)]
        before = line.kind
    return found
