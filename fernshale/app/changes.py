"""A list of changes and, beside it, the chosen one in full: text as a diff, everything else as facts."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QSplitter, QWidget

from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card
from fernshale.app.widgets.diff import diff_lines
from fernshale.app.widgets.lines import Document, LineRow
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.treepath import printable
from fernshale.core.change.model import FileChange
from fernshale.core.change.preview import Read, show_change

_GLYPHS: dict[str, tuple[str, Tone]] = {"new": ("○", "mine"), "gone": ("–", "alarm"), "moved": ("◇", "base")}


class ChangesPane(QSplitter):
    """`chosen` carries the FileChange that is shown."""

    chosen = Signal(object)

    def __init__(self, parent: QWidget, name: str) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        listed, shown = Card(self), Card(self)
        self._list = RowList(listed, name)
        listed.body.addWidget(self._list)
        self._text = Document(shown, "The change")
        shown.body.addWidget(self._text)
        self.setSizes([340, 520])
        self.setChildrenCollapsible(False)
        self._before: Read | None = None
        self._after: Read | None = None
        self._list.chosen.connect(self._show)

    def show_changes(self, changes: Sequence[tuple[str, FileChange]], before: Read, after: Read) -> None:
        """Each as (what in a word or two, change); the two read the contents of either side."""
        self._before, self._after = before, after
        self._list.set_rows(tuple(_row(words, change) for words, change in changes))
        if changes:
            self._list.select(changes[0][1])
        else:
            self._text.show_lines((LineRow("", "quiet", "", "Nothing differs."),))

    def say(self, words: str) -> None:
        """Words in place of a list."""
        self._list.set_rows(())
        self._text.show_lines(tuple(LineRow("", "quiet", "", line) for line in words.splitlines()))

    def current(self) -> FileChange | None:
        found = self._list.current()
        return found if isinstance(found, FileChange) else None

    def find_text(self, words: str) -> bool:
        return self._list.find_text(words) or self._text.find_text(words)

    def _show(self, change: object) -> None:
        if not isinstance(change, FileChange) or self._before is None or self._after is None:
            return
        try:
            lines = diff_lines(show_change(change, self._before, self._after))
        except (FernshaleError, OSError) as error:
            lines = (LineRow("", "alarm", "", f"cannot be shown: {error}"),)
        self._text.show_lines(lines)
        self.chosen.emit(change)


def _row(words: str, change: FileChange) -> Row:
    glyph, tone = _GLYPHS.get(words.split()[0], ("◐", "incoming"))
    return Row(printable(change.path), right=printable(words), glyph=glyph, tone=tone, payload=change, code=True)
