"""Engine: every site before and after, the generated files that the generator replaces, and how its run went."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSplitter, QWidget

from fernshale.api.actions import PointAtRelease, RunGenerator, UpdateForkedFile
from fernshale.api.changes import unified_diff
from fernshale.api.releases import is_needed, preview_copy, preview_engine
from fernshale.app.pages.base import Page, file_and_line, take_option
from fernshale.app.session import Session
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card, button, buttons_in, clear_layout, quiet_label
from fernshale.app.widgets.charts import Bar, BarChart
from fernshale.app.widgets.diff_lines import diff_lines
from fernshale.app.widgets.tables import TableRow, TextTable
from fernshale.app.widgets.text_document import AnnotatedText, LineRow
from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.engine.forked_files import KEY, ForkedFile
from fernshale.core.crossing.stages.engine.view import EngineView
from fernshale.core.crossing.stages.engine.workarounds import KEY as WORKAROUND
from fernshale.core.crossing.stages.engine.workarounds import WorkaroundLine
from fernshale.core.crossing.stages.overview import Overview

# In pixels at the usual size of letters.
_HIGH = 960
_REPLACED = tr("removed before the generator runs; restored if it fails or does not write it again")


class EnginePage(Page):
    stage = Stage.ENGINE
    picture_title = tr("Places")

    def __init__(self, parent: QWidget, session: Session) -> None:
        self._split: QSplitter | None = None
        super().__init__(parent, session)
        self._view: EngineView | None = None
        self._written: tuple[LineRow, ...] = ()
        self.picture = self._bars = BarChart(self, tr("Places"), 130)
        self.column.addWidget(self._bars)
        split = self._split = QSplitter(Qt.Orientation.Vertical, self)
        split.setHandleWidth(12)
        sites = Card(split, tr("Every place that names a release"))
        columns = (tr("file"), tr("before"), tr("after"), tr("what it is"), tr("remark"))
        self._sites = TextTable(sites, tr("Places that name a release"), columns, (0,))
        self._sites.activated_row.connect(self._open)
        self._sites.chosen.connect(self._on_site)
        sites.body.addWidget(self._sites)
        preview = Card(split, tr("What will be written"))
        self.detail = self._preview_card = preview
        self._text = AnnotatedText(preview, tr("What will be written"))
        preview.body.addWidget(self._text, 1)
        self._message = quiet_label(preview, "")
        self._message.setContentsMargins(11, 4, 9, 4)
        preview.body.addWidget(self._message)
        row = QHBoxLayout()
        row.setContentsMargins(11, 6, 9, 9)
        row.setSpacing(6)
        self._apply = button(preview, tr("Change them"), self._on_apply, main=True)
        self._again = button(preview, tr("Run the generator"), self._on_again)
        preview.head.addWidget(self._again)
        row.addWidget(self._apply)
        row.addStretch(1)
        self._asks = quiet_label(preview, "")
        self._asks.setContentsMargins(11, 2, 9, 0)
        self._asked = ""  # the key of the item whose options are shown
        self._options = QHBoxLayout()
        self._options.setSpacing(6)
        row.addLayout(self._options)
        preview.body.addWidget(self._asks)
        preview.body.addLayout(row)
        split.setSizes([230, 330])
        self.column.addWidget(split, 1)
        self.setFocusProxy(self._sites)

    def fill(self, overview: Overview) -> None:
        view = overview.engine
        pending = view.places
        right = [item for item in view.sites if not item.changes and not item.trouble]
        troubled = [item for item in view.sites if item.trouble]
        parts: tuple[tuple[Tone, int, str], ...] = (
            ("mine", len(right), tr("correct")),
            ("incoming", pending, tr("will be changed")),
            ("alarm", len(troubled), tr("unchanged, please check")),
        )
        bars = [Bar(tr("places"), parts, tr("{number} of {total} right", number=len(right), total=len(view.sites)))]
        if view.stale:
            bars.append(
                Bar(
                    tr("generated files"),
                    (("base", len(view.stale), tr("the generator replaces")),),
                    tr("{number} stale", number=len(view.stale)),
                )
            )
        self._bars.set_bars(tuple(bars))
        self._sites.set_rows(
            tuple(
                TableRow(
                    (
                        f"{item.site.file}:{item.site.line}",
                        item.before,
                        item.after if item.changes else tr("as it is"),
                        item.site.name,
                        item.trouble
                        or item.why
                        or (
                            tr("holds it already")
                            if item.site.notation not in ("exact", "series") and not item.changes
                            else ""
                        ),
                    ),
                    ((1, "base"), (2, "mine" if item.changes else "quiet"), (4, "alarm" if item.trouble else "quiet")),
                    (item.site.file, item.site.line),
                )
                for item in view.sites
            )
            + tuple(_copy_row(item) for item in view.copies)
            + tuple(_workaround_row(item, view, overview.setup.to) for item in view.workarounds)
        )
        changes = preview_engine(overview.scan, view, overview.setup.to)
        project = overview.setup.project
        text = unified_diff(changes, lambda change: (project / change.path).read_bytes())
        gone = [LineRow("again", "base", "", f"{path}: {_REPLACED}", "base") for path in view.stale]
        self._written = (*diff_lines(text), *gone)
        last = view.regenerated
        mark = "◆" if last is not None and last.status else "●"
        self._message.setText(
            tr("{mark} the generator printed: {said}", mark=mark, said=last.said)
            if last is not None and last.said
            else ""
        )
        self._apply.setVisible(not changes.is_empty)
        self._apply.setText(tr("Point the project at {to}", to=overview.setup.to))
        self._view = view
        self._show_options()
        can_run = overview.scan.profile.commands.regenerate is not None and changes.is_empty
        self._again.setVisible(can_run and self._asked != "engine:generate")  # which has it among its options

    def go_to(self, item: Item) -> None:
        path, line = file_and_line(item.place)
        self._sites.select((path, line))
        self._show_options()

    def _on_site(self, payload: object) -> None:
        self.visited = ""
        self._show_options()

    def _show_options(self) -> None:
        """Show the options of the selected place, else of the first item that needs a decision."""
        clear_layout(self._options)
        waiting = [item for item in self._view.items if _is_asked_here(item)] if self._view else []
        chosen = [item for item in waiting if file_and_line(item.place) == self._sites.current()]
        open_item = next(iter(chosen or waiting), None)
        self._asked = open_item.key if open_item is not None else ""
        # Changes to be written are shown first; the files of an item once there are none.
        asked = open_item.detail.split("\n") if open_item is not None and not self._written else []
        preview = self._preview_of(open_item) if open_item is not None and (chosen or not self._written) else ()
        self._text.show_lines(preview or self._written or tuple(LineRow("", "base", "", line) for line in asked))
        title = (
            open_item.title
            if open_item is not None and (preview or asked)
            else tr("What will be written")
            if self._written
            else tr("Nothing is left to write here")
        )
        self._preview_card.set_title(title)
        # The title above has the same text, and the buttons need the room.
        self._asks.setText(f"◆ {open_item.title}" if open_item and open_item.title != title else "")
        self._asks.setVisible(bool(self._asks.text()))
        if open_item is not None:
            for option in open_item.options:
                self._options.addWidget(button(self, option.title, self._taking(open_item, option)))

    def _preview_of(self, item: Item) -> tuple[LineRow, ...]:
        """What each option of a copy of an engine's file would write."""
        copy = next((copy for copy in self._view.copies if copy.key == item.key), None) if self._view else None
        overview = self.session.overview
        if copy is None or overview is None:
            return ()
        rows: list[LineRow] = []
        for option in item.options:
            if not isinstance(option.action, UpdateForkedFile):
                continue
            changes = preview_copy(overview.scan, copy, option.action.choice)
            text = unified_diff(changes, lambda change: (overview.setup.project / change.path).read_bytes())
            rows.append(LineRow("option", "base", "", option.title, "base"))
            rows += [LineRow(tr("because"), "quiet", "", text, faded=True) for text in option.evidence]
            # The name of the file is in the title.
            rows += diff_lines(text)[1:] or [LineRow("", "quiet", "", tr("nothing is written"))]
        return tuple(rows)

    def set_room(self, width: int, height: int) -> None:
        super().set_room(width, height)
        # Unless the window is high, the places are beside what will be written, not above it.
        if self._split is not None:
            self._split.setOrientation(Qt.Orientation.Vertical if height >= _HIGH else Qt.Orientation.Horizontal)

    def option_buttons(self) -> list[QPushButton]:
        own = self._apply if self.visited == "engine:sites" else None
        return [own] if own is not None else [*buttons_in(self._options), self._apply, self._again]

    def _taking(self, item: Item, option: Option) -> Callable[[], None]:
        return lambda: take_option(self, self.session, item, option)

    def find_text(self, words: str) -> bool:
        return self._sites.find_text(words) or self._text.find_text(words)

    def _on_apply(self) -> None:
        self.session.carry_out(PointAtRelease(), tr("pointing the project at the release"))

    def _on_again(self) -> None:
        self.session.carry_out(RunGenerator(), tr("running the generator"))

    def _open(self, payload: object) -> None:
        if isinstance(payload, tuple):
            self.editor_wanted.emit(payload[0], payload[1])


def _is_asked_here(item: Item) -> bool:
    """Whether an item shows its options here; for the others the page has buttons."""
    is_here = item.needs_you or item.key.startswith((KEY, WORKAROUND))
    return bool(item.options) and item.key != "engine:sites" and is_here


def _workaround_row(item: WorkaroundLine, view: EngineView, to: str) -> TableRow:
    before, after = "", item.workaround.line
    if item.line:
        before, after = after, tr("as it is") if is_needed(item, view.workarounds, to) else tr("goes")
    cells = (item.place, before, after, tr("workaround line"), item.condition)
    tone: Tone = "quiet" if after == "as it is" else "mine"
    return TableRow(cells, ((2, tone), (4, "quiet")), (item.file, item.line))


def _copy_row(item: ForkedFile) -> TableRow:
    remark = (
        tr("{places} to decide", places=count(item.clashes, "place")) if item.clashes else tr("merges without a clash")
    )
    cells = (
        item.path,
        tr("{alike:.0%} alike", alike=item.alike),
        tr("follows it"),
        tr("a copy of the engine's {engine}", engine=item.engine),
        remark,
    )
    return TableRow(cells, ((2, "mine"), (4, "alarm" if item.clashes else "quiet")), file_and_line(item.path))
