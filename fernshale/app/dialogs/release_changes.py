"""Browse what changed between two releases, before or during a crossing: search, filter, and both declarations side by side."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.releases import ReleasePlaces, compare_releases, names_in, uses_of
from fernshale.app.dialogs.questions import WorkingDialog, show_error
from fernshale.app.jobs import ProgressNote
from fernshale.app.widgets.api_changes import KIND_TITLES, title_of_change
from fernshale.app.widgets.basics import Card, button, quiet_label
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.text_document import AnnotatedText, LineRow
from fernshale.core.base.texts import count, tr, tr_kept
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import Work
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.symbols import Symbol

# The kinds to choose from, as a person names them; the first word stands for all of them.
_KINDS: Mapping[str, tuple[str, ...]] = {
    tr("All changes"): (),
    tr("Renamed or moved"): ("renamed", "moved"),
    tr("Imported from elsewhere"): ("imported-from",),
    tr("Removed"): ("removed",),
    tr("Other parameters or types"): ("signature", "reordered", "wider"),
    tr("Other meaning"): ("default", "no-longer-overrides"),
    tr("Deprecated"): ("deprecated",),
    tr("To implement"): ("must-implement",),
    tr("Added"): ("added",),
}
# Lines of the source that are shown before a declaration and after its first line.
_BEFORE, _AFTER = 12, 40
# A list with more rows helps nobody; the search narrows it.
_MAX_ROWS = 5000


@dataclass(frozen=True, slots=True)
class ComparisonFolders:
    """The folders of two releases, and of a project whose uses are counted, "" for none."""

    old: str = ""
    new: str = ""
    project: str = ""


@dataclass(frozen=True, slots=True)
class _Compared:
    """The changes with the number of uses in the project, and the places that were compared."""

    places: ComparisonFolders
    changes: tuple[ApiChange, ...]
    used: Mapping[str, int]


class ReleaseChangesDialog(WorkingDialog):
    """Compares the two releases at once if both are given."""

    def __init__(self, parent: QWidget | None, places: ComparisonFolders) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Changes between two releases"))
        self.resize(1180, 720)
        self._compared: _Compared | None = None
        self._places = places
        column = QVBoxLayout(self)
        row = QHBoxLayout()
        self._old = self._place_button(
            tr("Old release"), tr("A folder with the old release"), lambda at: self._set(old=at)
        )
        self._new = self._place_button(
            tr("New release"), tr("A folder with the new release"), lambda at: self._set(new=at)
        )
        self._project = self._place_button(
            tr("Project"), tr("A project whose uses are counted"), lambda at: self._set(project=at)
        )
        for made in (self._old, self._new, self._project):
            row.addWidget(made, 1)
        column.addLayout(row)
        filters = QHBoxLayout()
        self._words = QLineEdit(self)
        self._words.setPlaceholderText(tr("Search names, old and new"))
        self._words.setAccessibleName(tr("Search names"))
        self._words.setClearButtonEnabled(True)
        self._words.textChanged.connect(self._fill)
        self._kind = QComboBox(self)
        self._kind.setAccessibleName(tr("Kind of change"))
        self._kind.addItems(list(_KINDS))
        self._kind.currentIndexChanged.connect(self._fill)
        self._only_used = QCheckBox(tr("Only what the project uses"), self)
        self._only_used.toggled.connect(self._fill)
        filters.addWidget(self._words, 2)
        filters.addWidget(self._kind)
        filters.addWidget(self._only_used)
        self._message = quiet_label(self, "")
        filters.addWidget(self._message, 1)
        column.addLayout(filters)
        column.addWidget(self._panes(), 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(self, tr("Close"), self.reject, main=True))
        column.addLayout(foot)
        self._runner.succeeded.connect(self._on_compared)
        self._runner.failed.connect(self._on_trouble)
        self._runner.progressed.connect(self._on_progress)
        self._name_places()
        self._compare()

    def _panes(self) -> QSplitter:
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setChildrenCollapsible(False)
        listed = Card(split, tr("Changes"))
        self._list = RowList(listed, tr("Changes"), wrap=True)
        self._list.chosen.connect(lambda _: self._show())
        listed.body.addWidget(self._list)
        right = QWidget(split)
        side = QVBoxLayout(right)
        side.setContentsMargins(0, 0, 0, 0)
        self._what = quiet_label(right, "")
        side.addWidget(self._what)
        self._candidates = QComboBox(right)
        self._candidates.setAccessibleName(tr("Possible replacements"))
        self._candidates.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._candidates.activated.connect(lambda _: self._show_new())
        side.addWidget(self._candidates)
        sources = QSplitter(Qt.Orientation.Horizontal, right)
        self._old_card, self._new_card = Card(sources, tr("Old")), Card(sources, tr("New"))
        self._old_text = AnnotatedText(self._old_card, tr("The old declaration"), has_words=False)
        self._new_text = AnnotatedText(self._new_card, tr("The new declaration"), has_words=False)
        self._old_card.body.addWidget(self._old_text)
        self._new_card.body.addWidget(self._new_text)
        side.addWidget(sources, 1)
        split.setSizes([360, 820])
        return split

    # -- the releases

    def _place_button(self, what: str, words: str, put: Callable[[str], None]) -> QPushButton:
        def choose() -> None:
            folder = QFileDialog.getExistingDirectory(self, words)
            if folder:
                put(folder)

        made = button(self, what, choose, hint=words)
        made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        return made

    def _set(self, old: str = "", new: str = "", project: str = "") -> None:
        now = self._places
        self._places = ComparisonFolders(old or now.old, new or now.new, project or now.project)
        self._name_places()
        self._compare()

    def _name_places(self) -> None:
        places = ((self._old, tr("Old release")), (self._new, tr("New release")), (self._project, tr("Project")))
        for (made, what), folder in zip(
            places, (self._places.old, self._places.new, self._places.project), strict=True
        ):
            made.setText(f"{what}: {_short(folder)}" if folder else f"{what}…")
            made.setToolTip(printable(folder) if folder else "")
        self._only_used.setVisible(bool(self._places.project))

    def _compare(self) -> None:
        places = self._places
        if not (places.old and places.new):
            self._message.setText(tr("Choose the folders of two releases."))
            return

        def task(work: Work) -> _Compared:
            used = names_in(Path(places.project), work.token) if places.project else {}
            return _Compared(
                places, compare_releases(ReleasePlaces(Path(places.old), Path(places.new)), "", work), used
            )

        if self._runner.start("", task):
            self._message.setText("comparing…")

    def _on_progress(self, note: ProgressNote) -> None:
        self._message.setText(
            tr("{what}: {done} of {total}", what=note.what, done=note.done, total=note.total)
            if note.total
            else note.what
        )

    def _on_trouble(self, error: object) -> None:
        self._message.setText("")
        show_error(self, error)

    def _on_compared(self, result: object) -> None:
        assert isinstance(result, _Compared)
        if result.places != self._places:
            self._compare()  # another folder was chosen meanwhile
            return
        self._compared = result
        self._only_used.setChecked(bool(result.used))
        self._fill()

    # -- the list

    def _fill(self) -> None:
        compared = self._compared
        if compared is None:
            return
        words, kinds = self._words.text().lower().split(), _KINDS[self._kind.currentText()]
        is_used_only = self._only_used.isChecked() and bool(compared.used)
        shown = []
        for number, change in enumerate(compared.changes):
            uses = uses_of(change, compared.used)
            if (kinds and change.kind not in kinds) or (is_used_only and (not uses or change.kind == "added")):
                continue
            if words and not all(word in _searchable(change) for word in words):
                continue
            shown.append((uses, number, change))
        if compared.used:
            shown.sort(key=lambda item: -item[0])
        rows = [_row(change, uses, number, bool(compared.used)) for uses, number, change in shown[:_MAX_ROWS]]
        if len(shown) > _MAX_ROWS:
            rows.append(
                Row(
                    tr("and {number} more: search to narrow the list", number=len(shown) - _MAX_ROWS),
                    faded=True,
                    heading=True,
                )
            )
        self._list.set_rows(tuple(rows))
        self._message.setText(
            tr("{number} of {changes}", number=len(shown), changes=count(len(compared.changes), "change"))
        )
        self._show()

    def select(self, row: int) -> None:
        """Select a row of the list."""
        self._list.select(self._list.rows()[row].payload)

    def _current(self) -> ApiChange | None:
        number = self._list.current()
        return self._compared.changes[number] if self._compared is not None and isinstance(number, int) else None

    # -- the declarations

    def _show(self) -> None:
        change = self._current()
        self._what.setText(tr_kept(change.what) if change is not None else "")
        self._candidates.clear()
        for candidate in change.candidates if change is not None else ():
            self._candidates.addItem(
                f"{candidate.score:.2f}   {candidate.symbol.full}   {' · '.join(map(tr_kept, candidate.evidence))}"
            )
        self._candidates.setVisible(self._candidates.count() > 0)
        _show_source(self._old_card, self._old_text, tr("Old"), self._places.old, change.old if change else None)
        self._show_new()

    def _show_new(self) -> None:
        change = self._current()
        symbol = change.new if change is not None else None
        if change is not None and change.candidates:
            symbol = change.candidates[max(0, self._candidates.currentIndex())].symbol
        _show_source(self._new_card, self._new_text, tr("New"), self._places.new, symbol)


def _show_source(card: Card, text: AnnotatedText, side: str, folder: str, symbol: Symbol | None) -> None:
    """Show the lines around a declaration, with its first line marked."""
    if symbol is None:
        card.set_title(tr("{side}: nothing there", side=side))
        text.show_lines(())
        return
    card.set_title(f"{side}: {printable(symbol.file)} : {symbol.line}")
    lines = _lines_of(str(Path(folder) / symbol.file))
    first = max(0, symbol.line - 1 - _BEFORE)
    shown = enumerate(lines[first : symbol.line + _AFTER], first + 1)
    rows = tuple(
        LineRow("", "quiet", str(number), line, "base" if number == symbol.line else None) for number, line in shown
    )
    text.show_lines(rows, symbol.file)


@cache
def _lines_of(path: str) -> tuple[str, ...]:
    try:
        return tuple(Path(path).read_bytes().decode("utf-8", "replace").splitlines())
    except OSError:
        return ()


def _searchable(change: ApiChange) -> str:
    names = (change.old, change.new, *(item.symbol for item in change.candidates))
    return " ".join(symbol.full for symbol in names if symbol is not None).lower()


def _row(change: ApiChange, uses: int, number: int, with_uses: bool) -> Row:
    is_sure = change.candidates and change.candidates[0].score
    sub = KIND_TITLES[change.kind] + (f" · {is_sure:.2f}" if is_sure else "")
    sub += tr(" · compiles and means something else") if change.is_silent else ""
    right = count(uses, "use") if with_uses and uses else ""
    return Row(
        title_of_change(change), sub, right, "!" if change.is_silent else "", "incoming" if change.is_silent else "plain",
        payload=number,
    )  # fmt: skip


def _short(folder: str) -> str:
    """The last two names of a path: the folder of a release is often named by its number alone."""
    return printable("/".join(Path(folder).parts[-2:]))
