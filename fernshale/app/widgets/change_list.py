"""A list of changes and, next to it, the selected one in full: text as a diff, everything else as facts."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QWidget

from fernshale.api.changes import EntryReader, show_change, show_content, tree_of
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card
from fernshale.app.widgets.diff_lines import diff_lines
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.text_document import AnnotatedText, LineRow
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, printable, under
from fernshale.core.change.changeset import FileChange
from fernshale.core.snapshot.manifest import TreeEntry

_MAX_LINES = 4000
_NOTHING: Mapping[TreePath, TreeEntry] = {}
_GLYPHS: dict[str, tuple[str, Tone]] = {"new": ("○", "mine"), "gone": ("–", "alarm"), "moved": ("◇", "base")}


class ChangesPane(QSplitter):
    """The changes as a tree, and the chosen file or folder in full."""

    def __init__(self, parent: QWidget, name: str) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        listed, shown = Card(self), Card(self)
        self._list = RowList(listed, name)
        listed.body.addWidget(self._list)
        self._text = AnnotatedText(shown, tr("The change"))
        shown.body.addWidget(self._text)
        self.setSizes([340, 520])
        self.setChildrenCollapsible(False)
        self._changes: list[FileChange] = []
        self._before: EntryReader | None = None
        self._after: EntryReader | None = None
        self._staying: Mapping[TreePath, TreeEntry] = {}
        self._list.chosen.connect(self._show)

    def show_changes(
        self,
        changes: Sequence[tuple[str, FileChange]],
        before: EntryReader,
        after: EntryReader,
        staying: Mapping[TreePath, TreeEntry] = _NOTHING,
    ) -> None:
        """Show changes, each as (a word or two, change); the two functions read the contents of either side."""
        self._before, self._after, self._staying = before, after, staying
        self._changes = [change for _, change in changes]
        words = {change.path: what for what, change in changes}
        tree = tree_of(self._changes, staying)
        rows = [
            _row(depth, path, tr("stays") if path in staying else words.get(TreePath(path), ""), change)
            for depth, path, change in tree
        ]
        self._list.set_rows(tuple(rows))
        first = next((change for _, _, change in tree if change is not None), None)
        if first is not None:
            self._list.select(first.path)
        else:
            self._text.show_lines((LineRow("", "quiet", "", tr("Nothing differs.")),))

    def say(self, words: str) -> None:
        """Words in place of a list."""
        self._list.set_rows(())
        self._text.show_lines(tuple(LineRow("", "quiet", "", line) for line in words.splitlines()))

    def current(self) -> str:
        """The file or folder that is chosen, "" for none."""
        found = self._list.current()
        return found if isinstance(found, str) else ""

    def find_text(self, words: str) -> bool:
        return self._list.find_text(words) or self._text.find_text(words)

    def _show(self, path: object) -> None:
        """The chosen file, or everything in the chosen folder."""
        if not isinstance(path, str) or self._before is None or self._after is None:
            return
        if (entry := self._staying.get(TreePath(path))) is not None:
            self._text.show_lines(
                self._shown(path, lambda before, after: show_content(path, entry, before))[:_MAX_LINES]
            )
            return
        lines: list[LineRow] = []
        for change in self._changes:
            if len(lines) > _MAX_LINES:
                lines.append(LineRow("", "quiet", "", tr("There is more; choose one file.")))
                break
            if under(change.path, path):
                lines += self._shown(change.path, partial(show_change, change))
        self._text.show_lines(tuple(lines))

    def _shown(self, path: str, show: Callable[[EntryReader, EntryReader], str]) -> tuple[LineRow, ...]:
        assert self._before is not None and self._after is not None
        try:
            return diff_lines(show(self._before, self._after))
        except (FernshaleError, OSError) as error:
            return (LineRow("", "alarm", "", tr("{path} cannot be shown: {error}", path=printable(path), error=error)),)


def _row(depth: int, path: str, words: str, change: FileChange | None) -> Row:
    name = printable(path.rpartition("/")[2])
    indent = "  " * depth
    if change is None and words:
        return Row(indent + name, right=words, glyph="·", payload=path, code=True, faded=True)
    if change is None:
        return Row(f"{indent}{name}/", glyph=" ", payload=path, code=True, faded=True)
    glyph, tone = _GLYPHS.get(words.split()[0] if words else "", ("◐", "incoming"))
    return Row(indent + name, right=printable(words), glyph=glyph, tone=tone, payload=path, code=True)
