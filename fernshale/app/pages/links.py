"""Links: what dangles, what it meant, what it should be."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QWidget

from fernshale.app.pages.base import Page
from fernshale.app.session import Session
from fernshale.app.widgets.basics import Card, button, quiet_label
from fernshale.app.widgets.charts import Bar, BarChart
from fernshale.app.widgets.diff import diff_lines
from fernshale.app.widgets.lines import Document
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.tables import TableRow, TextTable
from fernshale.core.base.words import count
from fernshale.core.change.preview import unified_diff
from fernshale.core.crossing.matter import Matter, Stage
from fernshale.core.crossing.overview import Overview
from fernshale.core.crossing.stages.links import DanglingId, preview_relink


class LinksPage(Page):
    stage = Stage.LINKS

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        self._overview: Overview | None = None
        self._bars = BarChart(self, "Ids used by assets", 130)
        self.column.addWidget(self._bars)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(14)
        left = QSplitter(Qt.Orientation.Vertical, split)
        left.setHandleWidth(10)
        dangling = Card(left, "Ids that assets use")
        self._ids = TextTable(dangling, "Ids that assets use", ("id", "state", "uses", "was declared in"), (0, 3))
        self._ids.chosen.connect(self._show_id)
        dangling.body.addWidget(self._ids)
        ways = Card(left, "What it may be now")
        self._ways = RowList(ways, "What it may be now", wrap=True)
        self._ways.chosen.connect(self._show_way)
        ways.body.addWidget(self._ways)
        left.setSizes([230, 200])
        self._card = Card(split, "What will be written")
        self._text = Document(self._card, "What will be written")
        self._card.body.addWidget(self._text, 1)
        self._said = quiet_label(self._card, "")
        self._said.setContentsMargins(11, 4, 9, 4)
        self._card.body.addWidget(self._said)
        row = QHBoxLayout()
        row.setContentsMargins(11, 6, 9, 9)
        row.setSpacing(6)
        self._apply = button(self._card, "Relink", self._on_apply, main=True)
        self._leave = button(self._card, "Leave it dangling", self._on_leave)
        row.addWidget(self._apply)
        row.addWidget(self._leave)
        row.addStretch(1)
        self._card.body.addLayout(row)
        split.setSizes([480, 500])
        self.column.addWidget(split, 1)
        self.setFocusProxy(self._ids)

    def fill(self, overview: Overview) -> None:
        self._overview = overview
        view = overview.links
        dangling = {item.id: item for item in view.dangling}
        good = sum(id in view.ids.declared for id in view.ids.used)
        parts = (
            ("mine", good, "resolve"),
            ("alarm", len(dangling), "dangle since the crossing began"),
            ("base", view.before, "dangled before"),
        )
        self._bars.set_bars((Bar("ids in assets", parts, count(len(view.ids.used), "id")),))  # type: ignore[arg-type]
        rows = []
        for id in sorted(view.ids.used, key=lambda id: (id in view.ids.declared, id)):
            item = dangling.get(id)
            state = "◆ dangles" if item else "● resolves" if id in view.ids.declared else "dangled before"
            declared = view.ids.declared.get(id, ())
            where = item.was if item else f"{declared[0].file}:{declared[0].line}" if declared else ""
            uses = view.ids.used[id]
            rows.append(TableRow((id, state, str(len(uses)), where), ((1, "alarm" if item else "mine"),), id))
        self._ids.set_rows(tuple(rows))
        if dangling and self._ids.current() not in dangling:
            self._ids.find_text("◆")
        self._show_id(self._ids.current())

    def go_to(self, matter: Matter) -> None:
        self._ids.find_text(matter.key.removeprefix("links:"))

    def find_text(self, words: str) -> bool:
        return self._ids.find_text(words)

    def _item(self) -> DanglingId | None:
        if self._overview is None:
            return None
        return next((item for item in self._overview.links.dangling if item.id == self._ids.current()), None)

    def _show_id(self, payload: object) -> None:
        item = self._item()
        self._leave.setVisible(item is not None)
        if item is None:
            self._ways.set_rows(())
            return
        self._ways.set_rows(
            tuple(
                Row(
                    entry.id,
                    entry.evidence,
                    f"{entry.score:.2f}",
                    "●" if entry.score >= 0.9 else "○",
                    "mine",
                    payload=entry.id,
                )
                for entry in item.candidates
            )
        )

    def _show_way(self, payload: object) -> None:
        item = self._item()
        ready = item is not None and isinstance(payload, str)
        self._apply.setVisible(ready)
        self._said.setText("")
        if not ready or item is None or self._overview is None:
            self._text.show_lines(())
            self._card.set_title("Nothing is left to write here" if item is None else "No candidate is known")
            return
        project = self._overview.setup.project
        changes = preview_relink(self._overview.ground, item, str(payload))
        self._text.show_lines(diff_lines(unified_diff(changes, lambda change: (project / change.path).read_bytes())))
        self._card.set_title(
            f"{item.id} → {payload}", f"{count(len(item.uses), 'use')} in {count(len(changes.files), 'file')}"
        )
        self._apply.setText(f"Relink {count(len(item.uses), 'use')}")

    def _on_apply(self) -> None:
        item, way = self._item(), self._ways.current()
        if item is not None and isinstance(way, str):
            self.session.take(f"links:{item.id}", way, f"relinking {item.id}")

    def _on_leave(self) -> None:
        item = self._item()
        if item is not None:
            self.session.take(f"links:{item.id}", "", f"leaving {item.id}")
