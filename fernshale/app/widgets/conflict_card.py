"""The card of an open conflict, in its place in the text."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from html import escape

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from fernshale.api.merging import changed_spans
from fernshale.app.theme import Tone, code_font, text_font, theme
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.app.widgets.code import CodeEditor
from fernshale.core.base.texts import tr
from fernshale.core.crossing.record.decision_titles import TAKEN_WORDS
from fernshale.core.crossing.stages.plugins.questions import Question, Version
from fernshale.core.merge.text_merge import Resolution

# The key of each option, and whether it is in the first row.
_OPTIONS: tuple[tuple[str, str, str, bool], ...] = (
    ("1", "mine", tr("Keep yours"), True),
    ("2", "incoming", tr("Use the vendor's"), True),
    ("3", "finer", tr("Merge the tokens"), True),
    ("4", "text", tr("Write it"), True),
    ("5", "both", tr("Both, yours first"), False),
    ("6", "swapped", tr("Both, the vendor's first"), False),
    ("7", "base", tr("As before"), False),
)
KEYS: tuple[tuple[str, str], ...] = tuple((key, option) for key, option, _, _ in _OPTIONS)
# The maximum number of lines of a block; all of it is in the text once the conflict is resolved.
_MAX_LINES = 12
_PICTURE = 190


class ConflictCard(QFrame):
    """Before, yours, the vendor's, and the options. `taken` carries (option, text, whether for all that are alike)."""

    taken = Signal(str, str, bool)
    withdrawn = Signal()
    editing = Signal(object)  # the editor that opened

    def __init__(self, parent: QWidget, question: Question, choice: Resolution | None) -> None:
        super().__init__(parent)
        self.conflict = question.conflict
        self.is_decided = choice is not None
        self._question = question
        self._all: QCheckBox | None = None
        self.setObjectName("decided" if choice else "decision")
        self.setAccessibleName(
            tr("Resolved conflict: {taken}", taken=TAKEN_WORDS[choice.take]) if choice else tr("Conflict to resolve")
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 8, 12, 9)
        self._column.setSpacing(5)
        if choice is not None:
            self._build_decided(choice)
        else:
            self._build_open()

    def take(self, option: str) -> None:
        """Choose an option; "text" opens the editor instead."""
        if option not in self.conflict.options:
            return
        if option == "text":
            self._edit()
        else:
            self.taken.emit(option, "", self._all is not None and self._all.isChecked())

    def _build_decided(self, choice: Resolution) -> None:
        row = QHBoxLayout()
        row.addWidget(heading_label(self, tr("● Resolved: {taken}", taken=TAKEN_WORDS[choice.take])))
        row.addStretch(1)
        row.addWidget(button(self, tr("Reopen"), self.withdrawn.emit, hint=tr("U reopens the last one")))
        self._column.addLayout(row)

    def _build_open(self) -> None:
        question = self._question
        title = heading_label(self, "◆ " + question.title)
        title.setStyleSheet(f"color: {theme().alarm}")
        title.setWordWrap(True)
        self._column.addWidget(title)
        self._column.addLayout(self._versions())
        if question.remembered is not None:
            self._column.addWidget(
                quiet_label(self, f"{TAKEN_WORDS[question.remembered.take]}: {question.remembered.words}")
            )
        self._rows = [self._buttons(True), self._buttons(False)]
        for row in self._rows:
            if row is not None:
                self._column.addLayout(row)
        if question.alike:
            words = (
                tr("one more decision like it")
                if question.alike == 1
                else tr("{alike} more decisions like it", alike=question.alike)
            )
            self._all = QCheckBox(tr("and the same for {words}", words=words), self)
            self._column.addWidget(self._all)

    def _buttons(self, first: bool) -> QHBoxLayout | None:
        names = {"mine": self._question.mine_words, "incoming": self._question.incoming_words}
        options = [item for item in _OPTIONS if item[3] is first and item[1] in self.conflict.options]
        if not options:
            return None
        row = QHBoxLayout()
        row.setSpacing(6)
        before = self._question.remembered
        for key, option, words, _ in options:
            is_known = before is not None and before.take == option
            made = button(self, f"{names.get(option, words)}  {key}", partial(self.take, option), main=is_known)
            if not first:
                made.setObjectName("main" if is_known else "link")
            row.addWidget(made)
        row.addStretch(1)
        return row

    def _versions(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(1, 1)
        glyphs: dict[str, tuple[str, Tone]] = {
            "before": (tr("○ before"), "base"),
            "yours": (tr("● yours"), "mine"),
            "incoming": (tr("◐ vendor's"), "incoming"),
            "by tokens": (tr("◈ by tokens"), "base"),
        }
        before = next((item.lines for item in self._question.versions if item.name == "before"), ())
        pictures: list[tuple[str, Tone, bytes]] = []
        for number, version in enumerate(self._question.versions):
            word, tone = glyphs[version.name]
            name = QLabel(word, self)
            name.setFont(text_font(12))
            name.setStyleSheet(f"color: {theme().tone(tone).name()}")
            name.setAlignment(Qt.AlignmentFlag.AlignTop)
            grid.addWidget(name, number, 0)
            grid.addWidget(self._text(version, before, tone), number, 1)
            if version.picture is not None:
                pictures.append((word, tone, version.picture))
        if pictures:
            grid.addLayout(self._pictures(pictures), grid.rowCount(), 0, 1, 2)
        return grid

    def _text(self, version: Version, before: Sequence[str], tone: Tone) -> QLabel:
        lines = version.lines[:_MAX_LINES]
        text = "\n".join(lines)
        spans = changed_spans("\n".join(before), text) if before and version.name != "before" else ()
        ink = theme().tone(tone).name()
        parts, at = [], 0
        for start, end in spans:
            parts += [escape(text[at:start]), f'<b style="color:{ink}">{escape(text[start:end])}</b>']
            at = end
        shown = "".join([*parts, escape(text[at:])]) or "(nothing)"
        if len(version.lines) > _MAX_LINES:
            shown += tr("\n… {number} more lines", number=len(version.lines) - _MAX_LINES)
        code = QLabel(f'<span style="white-space:pre-wrap">{shown.expandtabs(4)}</span>', self)
        code.setTextFormat(Qt.TextFormat.RichText)
        code.setFont(code_font())
        code.setWordWrap(True)
        code.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        return code

    def _pictures(self, pictures: Sequence[tuple[str, Tone, bytes]]) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(16)
        for word, tone, data in pictures:
            picture = QPixmap()
            if not picture.loadFromData(data):
                continue
            column = QVBoxLayout()
            label = quiet_label(self, f"{word}, {picture.width()} x {picture.height()}")
            label.setStyleSheet(f"color: {theme().tone(tone).name()}")
            frame = QLabel(self)
            size = _PICTURE
            if picture.width() > size or picture.height() > size:
                picture = picture.scaled(
                    size, size, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
            frame.setPixmap(picture)
            column.addWidget(label)
            column.addWidget(frame)
            row.addLayout(column)
        row.addStretch(1)
        return row

    def _edit(self) -> None:
        """Write the lines by hand, in place."""
        for row in self._rows:
            while row is not None and (item := row.takeAt(0)) is not None:
                widget = item.widget()
                if widget is not None:
                    widget.deleteLater()
        if self._all is not None:
            self._all.hide()
            self._all.setChecked(False)
        before = self._question.remembered
        start = before.text.rstrip("\n") if before is not None and before.take == "text" else self._question.start
        editor = CodeEditor(self, self._question.path, start)
        words = tr("Edit the text, starting from yours. Ctrl+Enter accepts it.")
        self._column.addWidget(quiet_label(self, words))
        self._column.addWidget(editor)
        row = QHBoxLayout()
        use = button(self, tr("Use it"), lambda: self._written(editor.toPlainText()), main=True)
        row.addWidget(use)
        row.addStretch(1)
        self._column.addLayout(row)
        editor.finished.connect(use.click)
        editor.given_up.connect(self.withdrawn.emit)
        editor.setFocus()
        self.editing.emit(editor)

    def _written(self, text: str) -> None:
        self.taken.emit("text", text if not text or text.endswith("\n") else text + "\n", False)
