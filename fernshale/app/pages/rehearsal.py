"""Rehearsals: ways to the target tried on scratch copies, side by side."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from html import escape
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.crossings import FindingParts, all_crossings
from fernshale.api.rehearsals import (
    NewRelease,
    Outcome,
    Pace,
    RehearsalPlan,
    best_of,
    cell_lines,
    comparison_page,
    comparison_rows,
    decision_list,
    measure_pace,
    new_releases,
    rehearse,
    rehearsed_of,
)
from fernshale.app.dialogs.questions import show_error
from fernshale.app.jobs import ProgressNote, Runner
from fernshale.app.notify import notify
from fernshale.app.session import Session
from fernshale.app.theme import theme
from fernshale.app.widgets.basics import Card, FindingLabel, button, quiet_label
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.release import parse_release
from fernshale.core.base.settings import usable_settings
from fernshale.core.base.texts import count, tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.summaries import Finding
from fernshale.core.crossing.stages.overview import Overview

_BUDGET_MIN = 60.0
# Pixels of the longest bar.
_BAR = 200


class RehearsalView(QWidget):
    """Ways to check, and the table of their outcomes. `automatic_wanted` carries the plan whose automatic part is wanted."""

    NAME = "rehearsal"

    automatic_wanted = Signal(object)

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.session = session
        self._project = ""
        self._outcomes: dict[str, Outcome] = {}
        self._new: dict[str, NewRelease] = {}
        self._runner = Runner(self)
        self._runner.progressed.connect(self._on_progress)
        self._runner.output.connect(self._on_output)
        self._runner.succeeded.connect(self._on_done)
        self._runner.failed.connect(self._on_failed)
        self._runner.cancelled.connect(lambda: self._end(tr("stopped; it goes on from here the next time")))
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 10)
        column.setSpacing(10)
        self.finding = FindingLabel(self)
        column.addWidget(self.finding)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(14)
        split.addWidget(self._make_ways(split))
        table = Card(split, tr("What they would cost"))
        self._table = QTextBrowser(table)
        self._table.setAccessibleName(tr("Rehearsals side by side"))
        self._table.setOpenLinks(False)
        self._table.setFrameShape(QFrame.Shape.NoFrame)
        table.body.addWidget(self._table)
        row = QHBoxLayout()
        row.setContentsMargins(11, 6, 9, 9)
        row.setSpacing(6)
        self._begin = button(
            table, tr("Carry out the automatic part"), self._on_begin, hint=tr("In the project, step by step")
        )
        self._share = button(table, tr("Share as a page…"), self._on_share)
        for made in (self._begin, self._share):
            row.addWidget(made)
        row.addStretch(1)
        table.body.addLayout(row)
        split.setSizes([300, 900])
        split.setStretchFactor(1, 1)
        column.addWidget(split, 1)
        self.setFocusProxy(self._ways)
        self._enable()

    def _make_ways(self, parent: QWidget) -> Card:
        card = Card(parent, tr("Ways to rehearse"))
        self._ways = QListWidget(card)
        self._ways.setAccessibleName(tr("Ways to rehearse"))
        self._ways.setFrameShape(QFrame.Shape.NoFrame)
        self._ways.setSpacing(3)
        self._ways.itemChanged.connect(lambda _item: self._enable())
        card.body.addWidget(self._ways)
        row = QHBoxLayout()
        row.setContentsMargins(11, 6, 9, 0)
        row.setSpacing(6)
        row.addWidget(quiet_label(card, tr("At most, for each")))
        self._budget = QDoubleSpinBox(card)
        self._budget.setAccessibleName(tr("Minutes for each way"))
        self._budget.setRange(1, 10_000)
        self._budget.setDecimals(0)
        self._budget.setSuffix(tr(" min"))
        self._budget.setValue(_BUDGET_MIN)
        row.addWidget(self._budget)
        row.addStretch(1)
        card.body.addLayout(row)
        foot = QHBoxLayout()
        foot.setContentsMargins(11, 6, 9, 4)
        foot.setSpacing(6)
        self._go = button(
            card, tr("Rehearse"), self._on_go, main=True, hint=tr("On copies; the project is not touched")
        )
        self._stop = button(card, tr("Stop"), self._runner.cancel)
        foot.addWidget(self._go)
        foot.addWidget(self._stop)
        foot.addStretch(1)
        card.body.addLayout(foot)
        self._said = quiet_label(card, "")
        self._said.setContentsMargins(11, 0, 9, 9)
        card.body.addWidget(self._said)
        return card

    def show_overview(self, overview: Overview) -> None:
        """Offer the ways of this crossing; results of another project go."""
        if str(overview.setup.project) != self._project:
            self._project, self._outcomes = str(overview.setup.project), {}
            self._said.setText("")
        known = {plan.title for plan in self._plans(checked=False)}
        plans = ways_of(overview)
        if {plan.title for plan in plans} != known:
            self._ways.clear()
            for number, plan in enumerate(plans):
                item = QListWidgetItem(plan.title)
                item.setData(Qt.ItemDataRole.UserRole, plan)
                item.setCheckState(Qt.CheckState.Checked if number == 0 else Qt.CheckState.Unchecked)
                self._ways.addItem(item)
            self._look_for_new_releases(overview)
        self._show()

    def _look_for_new_releases(self, overview: Overview) -> None:
        """Select releases that were added to the shelf since the last rehearsal; rehearse them if the settings say so."""
        with suppress(FernshaleError):
            found = new_releases(rehearsed_of(overview.setup), [item.version for item in overview.route.releases])
            self._new = {item.plan.title: item for item in found}
            if found:
                self.check(*self._new)
                self._said.setText(tr("new on the shelf: {found}", found=", ".join(item.plan.to for item in found)))
                if usable_settings().rehearsal.new_releases and not self._runner.is_busy:
                    self._on_go()

    def find_text(self, words: str) -> bool:
        return self._table.find(words)

    def close_work(self) -> None:
        """Stop a rehearsal and wait for it."""
        self._runner.close()

    # -- rehearsing

    @property
    def is_busy(self) -> bool:
        return self._runner.is_busy

    def check(self, *titles: str) -> None:
        """Check the ways with these titles, and no others."""
        for number in range(self._ways.count()):
            item = self._ways.item(number)
            item.setCheckState(Qt.CheckState.Checked if item.text() in titles else Qt.CheckState.Unchecked)

    def start(self) -> None:
        """As by a click."""
        self._on_go()

    def _plans(self, *, checked: bool = True) -> tuple[RehearsalPlan, ...]:
        items = [self._ways.item(number) for number in range(self._ways.count())]
        return tuple(
            item.data(Qt.ItemDataRole.UserRole)
            for item in items
            if not checked or item.checkState() is Qt.CheckState.Checked
        )

    def _on_go(self) -> None:
        crossing = self.session.crossing
        plans = self._plans()
        if crossing is None or not plans:
            return
        try:
            what = rehearsed_of(crossing.setup)
        except FernshaleError as error:
            show_error(self, error)
            return
        budget_s = self._budget.value() * 60
        project = self._project

        def task(work: Work) -> tuple[str, tuple[Outcome, ...]]:
            found = []
            for number, plan in enumerate(plans):
                work.progress(tr("rehearsing {title}", title=plan.title), number, len(plans))
                found.append(rehearse(what, plan, budget_s, work))
            return project, tuple(found)

        self._said.setText("rehearsing…")
        self._runner.start("", task)
        self._enable()

    def _on_progress(self, note: object) -> None:
        if isinstance(note, ProgressNote) and note.total:
            self._said.setText(tr("{what} ({done} of {total})", what=note.what, done=note.done + 1, total=note.total))

    def _on_output(self, lines: object) -> None:
        if isinstance(lines, list) and lines:
            self._said.setText(str(lines[-1])[:120])

    def _on_done(self, result: object) -> None:
        assert isinstance(result, tuple)
        project, outcomes = result
        if project == self._project:
            self._outcomes.update({outcome.plan.title: outcome for outcome in outcomes})
        new = [self._new.pop(item.plan.title).words(item) for item in outcomes if item.plan.title in self._new]
        self._end("; ".join(new))
        if not self.window().isActiveWindow():
            notify(tr("The rehearsal is done"), "; ".join(new) or best_of(outcomes).words)

    def _on_failed(self, error: object) -> None:
        self._end("")
        show_error(self, error)

    def _end(self, words: str) -> None:
        self._said.setText(words)
        self._show()

    # -- showing

    @property
    def shown(self) -> Sequence[Outcome]:
        """The outcomes of the table, in the order of the ways."""
        return [self._outcomes[plan.title] for plan in self._plans(checked=False) if plan.title in self._outcomes]

    def _show(self) -> None:
        outcomes = self.shown
        parts: FindingParts = (("plain", tr("Try the whole way on a copy, and see what the upgrade would cost.")),)
        if outcomes:
            words = best_of(outcomes).words
            ways = count(len(outcomes), "way")
            parts = (
                ("plain", tr("Rehearsed on copies, {ways}: ", ways=ways)),
                ("strong", words),
                ("plain", tr("; your project was not touched.")),
            )
        self.finding.show_finding(Finding(parts))
        self._table.setHtml(_table(outcomes, measure_pace(all_crossings())) if outcomes else _hint())
        self._enable()

    def _enable(self) -> None:
        is_busy = self._runner.is_busy
        self._go.setEnabled(not is_busy and bool(self._plans()))
        self._stop.setVisible(is_busy)
        self._share.setEnabled(bool(self._outcomes))
        self._begin.setEnabled(not is_busy and self._own_plan() is not None)

    def _own_plan(self) -> RehearsalPlan | None:
        """The rehearsed plan that is the route of the open crossing, None where that was not rehearsed."""
        crossing = self.session.crossing
        if crossing is None:
            return None
        stops = crossing.setup.stops
        own = [
            outcome.plan
            for outcome in self.shown
            if (*outcome.plan.via, outcome.plan.to) == stops and not outcome.plan.hold
        ]
        return own[0] if own else None

    def _on_begin(self) -> None:
        if (plan := self._own_plan()) is not None:
            self.automatic_wanted.emit(plan)

    def _on_share(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Share the rehearsal"), "rehearsal.html", tr("HTML (*.html)"))
        if not name:
            return
        page = comparison_page(Path(self._project).name, self.shown, measure_pace(all_crossings()))
        try:
            Path(name).write_text(page, encoding="utf-8")
        except OSError as error:
            show_error(self, error)
            return
        self._said.setText(tr("written to {name}", name=name))


def ways_of(overview: Overview) -> tuple[RehearsalPlan, ...]:
    """The route of the crossing, then each release of the shelf that is newer, directly and over the one before."""
    setup, releases = overview.setup, overview.route.releases
    newer = [item.version for item in releases if parse_release(item.version) > parse_release(setup.start)]
    plans = [RehearsalPlan(setup.target, setup.stops[:-1])]
    for number, version in enumerate(newer):
        plans.append(RehearsalPlan(version))
        if number:
            plans.append(RehearsalPlan(version, (newer[number - 1],)))
    return tuple({plan.title: plan for plan in plans}.values())


def _hint() -> str:
    return tr(
        '<p style="color:{quiet}">Check the ways to compare and press Rehearse. Each is carried '
        "out on a copy. Where a person has to decide, an option that drops nothing is taken and "
        "noted.</p>",
        quiet=theme().quiet,
    )


def _table(outcomes: Sequence[Outcome], pace: Pace | None) -> str:
    colours = theme()
    best = best_of(outcomes)
    heads = "".join(f"<th align='left'>{escape(item.plan.title)}</th>" for item in outcomes)
    rows = []
    for name, cells in comparison_rows(outcomes, pace):
        columns = []
        for outcome, cell in zip(outcomes, cells, strict=True):
            back = f" bgcolor='{colours.mine_soft}'" if outcome is best and len(outcomes) > 1 else ""
            columns.append(f"<td{back}>{_bar(name, outcome, outcomes)}{cell_lines(cell)}</td>")
        rows.append(f"<tr><td><span style='color:{colours.quiet}'>{escape(name)}</span></td>{''.join(columns)}</tr>")
    lists = "".join(decision_list(outcome, "h3") for outcome in outcomes)
    return (
        f"<table cellpadding='7' cellspacing='0' width='100%'><tr><th></th>{heads}</tr>{''.join(rows)}</table>{lists}"
    )


def _bar(name: str, outcome: Outcome, outcomes: Sequence[Outcome]) -> str:
    """A bar of the edits or the errors of a way, on the scale of all ways."""
    colours = theme()
    if name == "your edits":
        kept, already, conflicts = outcome.edits
        parts = ((kept, colours.mine), (already, colours.base), (conflicts, colours.alarm))
        most = max(sum(item.edits) for item in outcomes)
    elif name == "errors" and outcome.errors_left is not None:
        first = max(outcome.errors_at_first, default=0)
        parts = ((outcome.errors_left, colours.alarm), (max(0, first - outcome.errors_left), colours.base), (0, ""))
        most = max((max(item.errors_at_first, default=0) for item in outcomes), default=0)
    else:
        return ""
    widths = [(round(_BAR * number / most) if most else 0, colour) for number, colour in parts]
    cells = "".join(
        f"<td bgcolor='{colour}' width='{width}' style='font-size:3px'>&nbsp;</td>" for width, colour in widths if width
    )
    return f"<table cellspacing='0' cellpadding='3' border='0'><tr>{cells}</tr></table>" if cells else ""
