"""Route: the plugin x release table with the chosen way, what needs you, and what the notes say."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from fernshale.app.pages.base import Page
from fernshale.app.session import Session
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card, button, clear_layout, quiet_label
from fernshale.app.widgets.charts import Field, WayTable
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.words import count
from fernshale.core.crossing.matter import Matter, Stage
from fernshale.core.crossing.overview import Overview
from fernshale.core.crossing.stages.route import RouteView

_READY: dict[str, Tone] = {
    "ready": "mine",
    "preview only": "incoming",
    "source revision": "incoming",
    "nothing yet": "quiet",
}


class RoutePage(Page):
    stage = Stage.ROUTE

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        table = Card(self)
        self._table = WayTable(table)
        table.body.addWidget(self._table)
        lower = QSplitter(Qt.Orientation.Horizontal, self)
        lower.setHandleWidth(14)
        left = QSplitter(Qt.Orientation.Vertical, lower)
        left.setHandleWidth(10)
        needs = Card(left, "Needs you")
        self._needs_box = QVBoxLayout()
        self._needs_box.setContentsMargins(11, 8, 9, 9)
        self._needs_box.setSpacing(6)
        needs.body.addLayout(self._needs_box)
        needs.body.addStretch(1)
        work = Card(left, "Work expected, by known rule")
        work.body.setContentsMargins(11, 6, 9, 6)
        self._work = RowList(work, "Work expected")
        work.body.addWidget(self._work)
        self._work_card = work
        left.setSizes([90, 200])
        notes = Card(lower, "Release notes")
        self._notes = RowList(notes, "Release notes", wrap=True)
        self._notes_card = notes
        notes.body.addWidget(self._notes)
        lower.setSizes([430, 560])
        self.column.addWidget(table)
        self.column.addWidget(lower, 1)
        self.setFocusProxy(self._notes)

    def fill(self, overview: Overview) -> None:
        view = overview.route
        columns, rows = _way(view, overview)
        self._table.set_table(columns, rows)
        self._show_needs(view)
        most = max(view.places.values(), default=1)
        self._work.set_rows(
            tuple(
                Row(title, right=str(amount), bar=amount / most, tone="mine") for title, amount in view.places.items()
            )
        )
        self._work_card.set_title("Work expected, by known rule", count(sum(view.places.values()), "place"))
        used = [item for item in view.notes if item.uses]
        rest = [item for item in view.notes if not item.uses]
        self._notes_card.set_title(f"Notes of {view.leg.to}", f"{len(used)} of {len(view.notes)} touch what you use")
        self._notes.set_rows(
            tuple(
                Row(
                    item.point.text.replace("`", "").replace("*", ""),
                    f"{count(item.uses, 'use')} of names it mentions"
                    if item.uses
                    else "nothing here uses what it names",
                    edge="alarm" if item.uses else None,
                    payload=item.point.text,
                    faded=not item.uses,
                )
                for item in [*sorted(used, key=lambda item: -item.uses), *rest]
            )
        )

    def find_text(self, words: str) -> bool:
        return self._notes.find_text(words) or self._work.find_text(words)

    def _show_needs(self, view: RouteView) -> None:
        clear_layout(self._needs_box)
        if not view.matters:
            self._needs_box.addWidget(
                quiet_label(self, "Nothing. Every plugin has a release that goes there, or can stay as it is.")
            )
        for matter in view.matters:
            self._needs_box.addWidget(quiet_label(self, f"◆ {matter.title}: {matter.detail}"))
            for way in matter.proposals:
                self._needs_box.addWidget(button(self, way.title, self._taking(matter, way.id)))

    def _taking(self, matter: Matter, way: str):
        return lambda: self.session.take(matter.key, way, matter.title)


def _way(
    view: RouteView, overview: Overview
) -> tuple[tuple[tuple[str, str, Tone], ...], tuple[tuple[str, tuple[Field, ...]], ...]]:
    """Columns and rows of the table."""
    leg = view.leg
    columns: list[tuple[str, str, Tone]] = []
    for release in view.releases:
        remark, tone = release.stage if release.stage != "stable" else "", "quiet"
        if release.version == leg.from_:
            remark, tone = "here" if overview.ground.release == leg.from_ else "where you were", "strong"
        elif release.version == leg.to:
            remark, tone = "target", "mine"
        elif release.faults:
            remark, tone = "known fault", "alarm"
        columns.append((release.version, remark, tone))
    rows = []
    for step in leg.plugins:
        fields = []
        for release in view.releases:
            cell = view.table[step.id, release.version]
            on_way = release.version in (leg.from_, leg.to)
            text = cell.release or "–"
            if release.version == leg.to and step.action == "stay":
                text = step.to
            hint = f"{step.id} for {release.version}: {cell.readiness}" + (f", {cell.release}" if cell.release else "")
            fields.append(Field(text, _READY[cell.readiness], on_way, hint))
        rows.append((step.id, tuple(fields)))
    return tuple(columns), tuple(rows)
