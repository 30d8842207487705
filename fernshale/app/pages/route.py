"""Route: the plugin x release table with the chosen route, the estimate of each route, open items, release notes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QSplitter, QVBoxLayout, QWidget

from fernshale.api.actions import Choose, ChooseRoute
from fernshale.api.projects import plugin_key
from fernshale.app.option_effects import OptionEffects
from fernshale.app.pages.base import Page
from fernshale.app.session import Session
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card, button, buttons_in, clear_layout, quiet_label
from fernshale.app.widgets.plan_matrix import MatrixCell, MatrixColumn, MatrixRow, RouteTable
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.texts import count, tr, tr_marked
from fernshale.core.crossing.project.release_notes import NoteUse
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.route.options import LegEstimate, RouteOption
from fernshale.core.crossing.stages.route.view import RouteView
from fernshale.core.route.planner import PluginStep

_TONES: dict[str, Tone] = {"ready": "mine", "nothing": "quiet"}
# More names are not shown.
_MAX_NAMES = 40


class RoutePage(Page):
    stage = Stage.ROUTE
    rehearsal_wanted = Signal()

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        self._overview: Overview | None = None
        self.top.addWidget(
            button(
                self,
                tr("Rehearse…"),
                self.rehearsal_wanted.emit,
                hint=tr("Try the whole way on a copy, and see its cost"),
            )
        )
        table = Card(self)
        area = QScrollArea(table)
        area.setAccessibleName(tr("Plugins and engine releases"))
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        self._table = RouteTable(area)
        self._table.plugin_picked.connect(self._show_detail)
        self._table.release_picked.connect(self._on_release)
        area.setWidget(self._table)
        area.viewport().setAutoFillBackground(False)
        self._table.setAutoFillBackground(False)
        self._area = area
        table.body.addWidget(area)
        self._detail = quiet_label(table, "")
        self._detail.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._remedies = QHBoxLayout()
        self._remedies.setSpacing(6)
        foot = QWidget(table)
        inner = QHBoxLayout(foot)
        inner.setContentsMargins(14, 4, 11, 8)
        words = QVBoxLayout()
        words.setSpacing(2)
        self._effects = OptionEffects(foot, session)
        words.addWidget(self._detail)
        words.addWidget(self._effects)
        inner.addLayout(words, 1)
        inner.addLayout(self._remedies)
        table.body.addWidget(foot)
        lower = QSplitter(Qt.Orientation.Horizontal, self)
        lower.setHandleWidth(14)
        routes = Card(lower, tr("Routes and their cost"))
        self._routes = RowList(routes, tr("Routes and their cost"))
        self._routes.activated_row.connect(self._choose_route)
        self._routes.link_clicked.connect(self._choose_route)
        routes.body.addWidget(self._routes)
        notes = self.detail = Card(lower, tr("Release notes"))
        self._notes = RowList(notes, tr("Release notes"), wrap=True)
        self._notes.activated_row.connect(self._on_note)
        self._notes.link_clicked.connect(self._on_note)
        self._notes_card = notes
        notes.body.addWidget(self._notes)
        lower.setSizes([430, 560])
        self.column.addWidget(table)
        self.column.addWidget(lower, 1)
        self.setFocusProxy(self._table)

    def fill(self, overview: Overview) -> None:
        self._overview = overview
        view = overview.route
        self._table.set_table(_columns(view, overview), tuple(_line(step, view, overview) for step in view.leg.plugins))
        self._fit_table()
        self._routes.set_rows((*_route_rows(view), *_cost_rows(view.estimate)))
        near = [item for item in view.notes if item.concerns]
        left = sum(not item.dealt for item in near)
        title = tr("Notes between {before} and {to}", before=view.leg.from_, to=view.leg.to)
        self._notes_card.set_title(
            title,
            tr(
                "{number} of {total} concern you, {left} not dealt with",
                number=len(near),
                total=len(view.notes),
                left=left,
            ),
        )
        self._notes.set_rows(_note_rows(view.notes))
        if not self._table.picked:
            waiting = next((item for item in view.items if item.owner.startswith("plugin ")), None)
            self._table.picked = waiting.owner.removeprefix("plugin ") if waiting else ""
        self._show_detail(self._table.picked)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_table()

    def _fit_table(self) -> None:
        """Show all of the table where there is room; else it scrolls, so that routes and notes stay readable."""
        self._area.setFixedHeight(min(self._table.height() + 2, max(140, int(self.height() * 0.46))))

    def go_to(self, item: Item) -> None:
        self._table.pick(item.owner.removeprefix("plugin ") if item.owner.startswith("plugin ") else "")
        if not item.owner.startswith("plugin "):
            self._show_item(item)

    def find_text(self, words: str) -> bool:
        return self._notes.find_text(words) or self._routes.find_text(words)

    # -- the line under the table: reasons and alternatives

    def _show_detail(self, plugin: str) -> None:
        overview = self._overview
        if overview is None:
            return
        if plugin:
            top, bottom = self._table.lines_of(plugin)
            self._area.ensureVisible(0, (top + bottom) // 2, 0, bottom - top + 32)  # with the head above the first
        view = overview.route
        open_item = next((item for item in view.items if item.owner == f"plugin {plugin}"), None)
        step = next((item for item in view.leg.plugins if item.id == plugin), None)
        if open_item is not None:
            self._show_item(open_item)
        elif step is not None:
            self._show_step(step, view)
        elif view.items:
            self._show_item(view.items[0])
        else:
            clear_layout(self._remedies)
            self._effects.show_item(None)
            self._detail.setText(
                tr("Nothing here needs you. Select a plugin to see the reasons, or a release to stop at it.")
            )

    def _show_item(self, item: Item) -> None:
        clear_layout(self._remedies)
        detail = "" if item.detail in item.title else f"\n{item.detail}"
        self._detail.setText(f"◆ {item.title}.{detail}")
        self._effects.show_item(item)
        for route in item.options:
            self._remedies.addWidget(button(self, route.title, partial(self.session.choose, item, route.id)))

    def _show_step(self, step: PluginStep, view: RouteView) -> None:
        clear_layout(self._remedies)
        self._effects.show_item(None)
        where = f"{step.from_} → {step.to}" if step.to and step.to != step.from_ else step.from_
        self._detail.setText(f"{step.id}  {where}, {tr_marked(step.action)}: {step.why}.")
        assert self._overview is not None
        key = plugin_key(self._overview.setup, step.id)
        others = [
            item
            for item in view.choices.get(step.id, ())
            if item.version != step.to and item.readiness != "nothing" and not item.is_here
        ]
        for item in others[-2:]:
            title = tr("Use {version} instead", version=item.version)
            self._remedies.addWidget(
                button(self, title, self._choosing(key, tr("version {version}", version=item.version), title))
            )
        if step.action == "update":
            title = tr("Keep {before} for now", before=step.from_)
            self._remedies.addWidget(
                button(self, title, self._choosing(key, "keep", title), hint=tr("It may not compile"))
            )
        if key in view.decided:
            title = tr("Withdraw this decision")
            self._remedies.addWidget(button(self, title, lambda: self.session.withdraw(key, title)))

    def option_buttons(self) -> list[QPushButton]:
        return buttons_in(self._remedies)

    def _choosing(self, key: str, option: str, title: str) -> Callable[[], None]:
        return lambda: self.session.carry_out(Choose(key, option, words=title), title)

    # -- choosing a route, ticking a note

    def _on_release(self, release: str) -> None:
        """Stop at this release, or do not stop at it any more."""
        if self._overview is None:
            return
        setup, stops = self._overview.setup, self._overview.route.stops
        if release in (setup.from_, setup.target):
            return
        order = [item.version for item in self._overview.route.releases]
        wanted = [item for item in order if (item in stops) != (item == release)]
        self._choose_route(tuple(wanted))

    def _choose_route(self, payload: object) -> None:
        if isinstance(payload, tuple) and self._overview and payload != self._overview.route.stops:
            self.session.carry_out(ChooseRoute(" ".join(payload)), tr("another route"))

    def _on_note(self, payload: object) -> None:
        note = (
            next((item for item in self._overview.route.notes if item.key == payload), None) if self._overview else None
        )
        if note is None:
            return
        if note.dealt:
            self.session.withdraw(note.key, tr("note marked as open"))
        else:
            self.session.carry_out(Choose(note.key, "dealt"), tr("note marked as dealt with"))


def _columns(view: RouteView, overview: Overview) -> tuple[MatrixColumn, ...]:
    setup = overview.setup
    columns = []
    for item in view.releases:
        remark: str = "" if item.stage == "stable" else tr_marked(item.stage)
        tone: Tone = "quiet"
        if item.version == setup.from_:
            remark, tone = tr("here") if overview.scan.release == setup.from_ else tr("where you were"), "strong"
        elif item.version == setup.target:
            remark, tone = tr("target"), "mine"
        elif item.version in view.stops:
            remark, tone = tr("stop"), "mine"
        elif view.faults.get(item.version):
            remark, tone = tr("known fault"), "alarm"
        hint = "; ".join((tr("stop at {version}, or not", version=item.version), *view.faults.get(item.version, ())))
        columns.append(MatrixColumn(item.version, remark, tone, item.version in (setup.from_, *view.stops), hint))
    return tuple(columns)


def _line(step: PluginStep, view: RouteView, overview: Overview) -> MatrixRow:
    leg = view.leg
    fields = []
    for release in view.releases:
        cell = view.table.get((step.becomes or step.id, release.version))
        word = cell.readiness if cell else "nothing"
        text = (cell.release if cell else "") or "–"
        taken = release.version in (leg.from_, leg.to)
        if release.version == leg.to:
            text = step.to or "–"
            word = "ready" if step.action in ("stay", "update", "add", "follow") else word
        elif release.version == leg.from_:
            text = view.before.get(step.id, step.from_) or "–"
            word = "ready" if step.from_ else "nothing"
        hint = tr("{id} for {version}: {word}", id=step.id, version=release.version, word=tr_marked(word)) + (
            f", {text}" if text != "–" else ""
        )
        fields.append(MatrixCell(text, _TONES.get(word, "incoming"), taken, hint))
    waits = any(item.owner == f"plugin {step.id}" for item in view.items)
    return MatrixRow(step.id, tuple(fields), "◆" if waits else "")


def _route_rows(view: RouteView) -> list[Row]:
    most = max((sum(leg.places for leg in route.legs) for route in view.routes), default=0) or 1
    return [_route_row(route, route.stops == view.stops, most) for route in view.routes]


def _route_row(route: RouteOption, chosen: bool, most: int) -> Row:
    places = sum(leg.places for leg in route.legs)
    waiting = sum(leg.waiting for leg in route.legs)
    costs = "; ".join(f"{leg.leg.from_} → {leg.leg.to}: {count(leg.places, 'place')}" for leg in route.legs)
    more = tr(" · {waiting} not ready", waiting=waiting) if waiting else ""
    right = tr("chosen") if chosen else tr("choose this route")
    glyph = "●" if chosen else "○"
    return Row(route.title, costs + more, right, glyph, "mine", bar=places / most, payload=route.stops, link=not chosen)


def _cost_rows(item: LegEstimate) -> list[Row]:
    leg = item.leg
    rows = [
        Row(
            tr("Changed by known rules on {before} → {to}", before=leg.from_, to=leg.to),
            right=count(sum(item.known.values()), "place"),
            heading=True,
        )
    ]
    most = max(item.known.values(), default=1)
    rows += [Row(title, right=str(amount), bar=amount / most, tone="mine") for title, amount in item.known.items()]
    if item.gone:
        rows.append(Row(tr("Names you use that were removed"), right=count(len(item.gone), "name"), heading=True))
        shown = list(item.gone.items())[:_MAX_NAMES]
        rows += [Row(name, right=count(uses, "use"), code=True) for name, uses in shown]
    return rows


def _note_rows(notes: tuple[NoteUse, ...]) -> tuple[Row, ...]:
    rows: list[Row] = []
    source = ""
    for item in sorted(notes, key=lambda item: not item.concerns):
        part = item.source if item.concerns else tr("About things you do not use")
        if part != source:
            rows.append(Row(part, heading=True))
            source = part
        uses = tr("{uses} in your project", uses=count(item.uses, "use")) if item.uses else ""
        rows.append(
            Row(
                item.point.text.replace("`", "").replace("*", ""),
                uses if item.concerns else item.source,
                tr("open again") if item.dealt else tr("tick off"),
                "●" if item.dealt else "○",
                "mine" if item.dealt else "plain",
                edge="alarm" if item.uses and not item.dealt else None,
                payload=item.key,
                faded=not item.concerns or item.dealt,
                link=item.concerns,
            )
        )
    return tuple(rows)
