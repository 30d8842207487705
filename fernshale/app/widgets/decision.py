"""The card of a decision that is due, in its place in the text."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from fernshale.app.theme import Tone, code_font, text_font, theme
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.core.merge.folder import FileMerge
from fernshale.core.merge.textmerge import Choice, Due, TextMerge, part_of

_WORDS = {
    "mine": "yours kept",
    "incoming": "incoming taken",
    "both": "both, yours first",
    "swapped": "both, incoming first",
    "finer": "merged token by token",
    "base": "as it was before",
    "text": "written by hand",
}
# A block longer than this is shown by its beginning; the whole stands in the text once it is taken.
_MOST_LINES = 12


class DecisionCard(QFrame):
    """Before, yours, incoming, and the ways to settle it. `taken` carries (take, text)."""

    taken = Signal(str, str)
    withdrawn = Signal()

    def __init__(self, parent: QWidget, file: FileMerge, due: Due, choice: Choice | None) -> None:
        super().__init__(parent)
        self.due = due
        self.is_decided = choice is not None
        self._file = file
        self.setObjectName("decided" if choice else "decision")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 8, 12, 9)
        self._column.setSpacing(5)
        if choice is not None:
            self._build_decided(choice)
        else:
            self._build_open()

    def take(self, way: str) -> None:
        """Settle it one way; "text" opens the editor instead."""
        if way == "text":
            if self.due.kind == "text":
                self._edit()
        elif way != "both" or self.due.kind == "text":
            self.taken.emit(way, "")

    def _build_decided(self, choice: Choice) -> None:
        row = QHBoxLayout()
        row.addWidget(heading_label(self, f"● Decided: {_WORDS[choice.take]}"))
        row.addStretch(1)
        row.addWidget(button(self, "Take it back", self.withdrawn.emit))
        self._column.addLayout(row)

    def _build_open(self) -> None:
        title = heading_label(self, "◆ " + self._title())
        title.setStyleSheet(f"color: {theme().alarm}")
        self._column.addWidget(title)
        if self.due.kind == "text":
            self._column.addLayout(self._versions())
        row = QHBoxLayout()
        row.setSpacing(6)
        for key, way, words in self._ways():
            row.addWidget(button(self, f"{words}  {key}", lambda way=way: self.take(way)))
        row.addStretch(1)
        self._column.addLayout(row)
        self._row = row

    def _title(self) -> str:
        if self.due.kind == "file":
            return self._file.why[0].upper() + self._file.why[1:]
        if self.due.base[0] == self.due.base[1]:
            return "Both added something here"
        return "Both changed these lines"

    def _ways(self) -> tuple[tuple[str, str, str], ...]:
        if self.due.kind == "text":
            return (
                ("1", "mine", "Keep yours"),
                ("2", "incoming", "Take incoming"),
                ("3", "both", "Both, yours first"),
                ("4", "text", "Write it"),
            )
        mine = "Keep yours" if self._file.mine else "Leave it deleted"
        incoming = "Take incoming" if self._file.incoming else "Let it go"
        return (("1", "mine", mine), ("2", "incoming", incoming))

    def _versions(self) -> QGridLayout:
        text = self._file.merge
        assert isinstance(text, TextMerge)
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(1, 1)
        rows: tuple[tuple[str, Tone, tuple[str, ...]], ...] = (
            ("○ before", "base", part_of(text, self.due, "base")),
            ("● yours", "mine", part_of(text, self.due, "mine")),
            ("◐ incoming", "incoming", part_of(text, self.due, "incoming")),
        )
        for number, (word, tone, lines) in enumerate(rows):
            name = QLabel(word, self)
            name.setFont(text_font(12))
            name.setStyleSheet(f"color: {theme().tone(tone).name()}")
            name.setAlignment(Qt.AlignmentFlag.AlignTop)
            shown = "\n".join(lines[:_MOST_LINES]).expandtabs(4)
            if len(lines) > _MOST_LINES:
                shown += f"\n… {len(lines) - _MOST_LINES} more lines"
            code = QLabel(shown or "(nothing)", self)
            code.setTextFormat(Qt.TextFormat.PlainText)
            code.setFont(code_font())
            code.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            grid.addWidget(name, number, 0)
            grid.addWidget(code, number, 1)
        return grid

    def _edit(self) -> None:
        """Write the lines by hand, in place."""
        text = self._file.merge
        assert isinstance(text, TextMerge)
        while self._row.count():
            item = self._row.takeAt(0)
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        editor = QPlainTextEdit(self)
        editor.setFont(code_font())
        both = part_of(text, self.due, "mine")
        editor.setPlainText("\n".join(both))
        lines = max(3, min(14, len(both) + 2))
        editor.setFixedHeight(lines * 17 + 12)
        self._column.insertWidget(self._column.count() - 1, editor)
        self._column.insertWidget(
            self._column.count() - 1,
            quiet_label(self, "These lines will stand here. Start from yours, above is incoming."),
        )
        self._row.addWidget(button(self, "Use these lines", lambda: self._written(editor.toPlainText()), main=True))
        self._row.addStretch(1)
        editor.setFocus()

    def _written(self, text: str) -> None:
        self.taken.emit("text", text if not text or text.endswith("\n") else text + "\n")
