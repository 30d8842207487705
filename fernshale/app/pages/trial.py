"""Trial: the open items, and the evidence: logs aligned, checks by release, timings, pictures."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.actions import RunGame
from fernshale.api.reports import accepted_words, find_printers, log_key
from fernshale.app.dialogs.questions import ask_check, ask_why
from fernshale.app.jobs import Runner
from fernshale.app.option_effects import OptionEffects
from fernshale.app.pages.base import Page
from fernshale.app.session import Session
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card, button, quiet_label
from fernshale.app.widgets.frame_chart import FramePlot
from fernshale.app.widgets.pictures import PicturePairView
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.tables import TableRow, TextTable
from fernshale.app.widgets.text_document import AnnotatedText, LineRow
from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.project.check_runs import CheckRow
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.trial.view import TrialView
from fernshale.core.trial.frame_times import Timing
from fernshale.core.trial.log_diff import LogLine

_SIGNS: dict[str, tuple[str, Tone]] = {
    "same": ("", "plain"),
    "new": (tr("new"), "incoming"),
    "gone": (tr("gone"), "base"),
    "more": (tr("more"), "incoming"),
    "less": (tr("fewer"), "base"),
    "moved": (tr("moved"), "quiet"),
}
_VERDICTS = {
    "passed": tr("● passed"),
    "differs": tr("◆ differs"),
    "missing": tr("◆ missing"),
    "failed": tr("◆ failed"),
    "not tried": tr("· not tried"),
}
_LOG, _CHECKS, _TIMINGS, _PICTURES = range(4)
# Rows without an action; a row without a payload would be a heading.
_NO_ACTION = ("settled",)


class TrialPage(Page):
    stage = Stage.TRIAL

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        self._overview: Overview | None = None
        self._searching = Runner(self)
        self._searching.succeeded.connect(self._show_printers)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(14)
        left = self._left = Card(split, tr("To resolve"))
        self._list = RowList(left, tr("To resolve"), wrap=True)
        self._list.chosen.connect(self._show)
        left.body.addWidget(self._list, 1)
        self._detail = quiet_label(left, "")
        self._detail.setContentsMargins(11, 6, 9, 4)
        left.body.addWidget(self._detail)
        self._effects = OptionEffects(left, session)
        self._effects.setContentsMargins(11, 0, 9, 4)
        left.body.addWidget(self._effects)
        rows = QVBoxLayout()
        rows.setContentsMargins(11, 4, 9, 9)
        rows.setSpacing(6)
        first, second = QHBoxLayout(), QHBoxLayout()
        self._good = button(left, tr("It does"), lambda: self._mark("passed"), main=True)
        self._bad = button(left, tr("It does not…"), lambda: self._mark("failed"))
        self._accept = button(
            left, tr("Accept it…"), self._on_accept, hint=tr("Asks for a reason. You are not asked again")
        )
        self._where = button(
            left, tr("Where it is printed"), self._on_where, hint=tr("Opens the code that prints this line")
        )
        self._add = button(left, tr("Add this check"), self._on_add_proposed, main=True)
        self._refuse = button(left, tr("Not needed"), self._on_refuse)
        self._run = button(left, tr("Run the game"), self._on_run, main=True)
        for item in (self._good, self._bad, self._add, self._refuse, self._accept, self._where):
            first.addWidget(item)
            item.hide()  # which of them are shown depends on the selection
        first.addStretch(1)
        second.addWidget(self._run)
        second.addWidget(
            button(
                left, tr("New check…"), self._on_new_check, hint=tr("A behaviour to check, by hand or automatically")
            )
        )
        second.addStretch(1)
        rows.addLayout(first)
        rows.addLayout(second)
        left.body.addLayout(rows)
        right = self.detail = Card(split, tr("Evidence"))
        self._tabs = QTabBar(right)
        self._tabs.setAccessibleName(tr("Evidence"))
        self._tabs.setDrawBase(False)
        for word in (tr("Log"), tr("Checks"), tr("Timings"), tr("Pictures")):
            self._tabs.addTab(word)
        right.head.addWidget(self._tabs)
        self._only = QCheckBox(tr("only differences"), right)
        self._only.toggled.connect(self._show_log)
        right.head.addWidget(self._only)
        self._stack = QStackedWidget(right)
        self._tabs.currentChanged.connect(self._on_tab)
        right.body.addWidget(self._stack, 1)
        self._make_evidence()
        split.setSizes([370, 610])
        split.setStretchFactor(1, 1)
        self.column.addWidget(split, 1)
        self.setFocusProxy(self._list)

    def _make_evidence(self) -> None:
        self._log = AnnotatedText(self._stack, tr("Its log next to the baseline's"))
        self._stack.addWidget(self._log)
        checks = QSplitter(Qt.Orientation.Vertical, self._stack)
        self._table = TextTable(checks, tr("Checks by release"), (tr("check"),), ())
        self._table.chosen.connect(self._show_check)
        self._evidence = AnnotatedText(checks, tr("Evidence of a check"), has_words=False)
        checks.setSizes([220, 200])
        self._stack.addWidget(checks)
        timings = QWidget(self._stack)
        column = QVBoxLayout(timings)
        column.setContentsMargins(11, 8, 11, 8)
        self._plot = FramePlot(timings, tr("Frame times before and now"))
        column.addWidget(self._plot, 1)
        self._times = quiet_label(timings, "")
        column.addWidget(self._times)
        self._stack.addWidget(timings)
        pictures = QWidget(self._stack)
        column = QVBoxLayout(pictures)
        column.setContentsMargins(11, 8, 11, 8)
        self._which = QComboBox(pictures)
        self._which.setAccessibleName(tr("Which picture"))
        self._which.currentIndexChanged.connect(self._show_picture)
        column.addWidget(self._which)
        self._pair = PicturePairView(pictures, tr("The picture before and now"))
        column.addWidget(self._pair, 1)
        self._stack.addWidget(pictures)

    def fill(self, overview: Overview) -> None:
        self._overview = overview
        view = overview.trial
        rows = [
            Row(item.title, item.detail.split("\n")[0], "", "◆" if item.needs_you else "·", "alarm", payload=item.key)
            for item in view.items
        ]
        self._left.set_title(tr("To resolve") if view.items else tr("Nothing is open"))
        if view.proposed:
            rows.append(Row(tr("Worth trying: the upgrade touched it"), heading=True))
        rows += [
            Row(
                item.check.name,
                tr("proposed: {by_hand}", by_hand=item.check.by_hand),
                "",
                "○",
                "mine",
                payload=f"propose:{item.check.name}",
            )
            for item in view.proposed
        ]
        rows += [
            Row(
                accepted_words(view, key),
                tr("meant so: {why}", why=why or tr("no reason given")),
                "",
                "–",
                "quiet",
                payload=_NO_ACTION,
            )
            for key, why in view.accepted.items()
        ]
        self._list.set_rows(tuple(rows))
        self._run.setText(tr("Run the game") if view.run is None else tr("Run again"))
        self._run.setVisible(view.can_run)
        self._show_log()
        self._show_table()
        self._show_timings()
        self._which.blockSignals(True)
        self._which.clear()
        for pair in view.pictures:
            self._which.addItem(pair.name)
        self._which.blockSignals(False)
        self._which.setVisible(len(view.pictures) > 1)
        self._show_picture()
        self._name_tabs(view)
        self._show(self._list.current())

    def go_to(self, item: Item) -> None:
        self._list.select(item.key)

    def find_text(self, words: str) -> bool:
        if self._stack.currentIndex() == _CHECKS:
            return self._table.find_text(words)
        return self._log.find_text(words)

    # -- the list

    def _item(self) -> Item | None:
        if self._overview is None:
            return None
        return next((item for item in self._overview.trial.items if item.key == self._list.current()), None)

    def _show(self, payload: object) -> None:
        open_item = self._item()
        key = payload if isinstance(payload, str) else ""
        options = {option.id for option in open_item.options} if open_item else set()
        self._good.setVisible("passed" in options)
        self._bad.setVisible("failed" in options)
        self._accept.setVisible("accept" in options)
        self._where.setVisible(key.startswith("trial:log:"))
        self._add.setVisible(key.startswith("propose:"))
        self._refuse.setVisible(key.startswith("propose:"))
        lines = open_item.detail.splitlines()[:12] if open_item else []
        if key.startswith("propose:") and self._overview is not None:
            item = next(item for item in self._overview.trial.proposed if f"propose:{item.check.name}" == key)
            lines = [item.check.by_hand, item.reason]
        self._detail.setText("\n".join(lines))
        self._effects.show_item(open_item)
        for start, tab in (
            ("trial:check:", _CHECKS),
            ("propose:", _CHECKS),
            ("trial:time:", _TIMINGS),
            ("trial:picture:", _PICTURES),
            ("trial:", _LOG),
        ):
            if key.startswith(start):
                self._tabs.setCurrentIndex(tab)
                break
        if key.startswith("trial:check:"):
            self._table.select(key.removeprefix("trial:check:"))
        if key.startswith("trial:log:") and open_item is not None:
            self._log.find_text(open_item.detail)

    def option_buttons(self) -> list[QPushButton]:
        return [self._good, self._bad, self._accept, self._add, self._refuse, self._run]

    def _on_tab(self, tab: int) -> None:
        self._stack.setCurrentIndex(tab)
        self._only.setVisible(tab == _LOG)

    def _name_tabs(self, view: TrialView) -> None:
        differs = len([item for item in view.log.differences if item.sign != "moved"])
        tried = sum(row.on(view.release).verdict != "not tried" for row in view.checks)
        looks = sum(pair.difference is not None and not pair.difference.is_same for pair in view.pictures)
        self._tabs.setTabText(_LOG, tr("Log · {differs}", differs=differs) if differs else tr("Log"))
        self._tabs.setTabText(
            _CHECKS,
            tr("Checks · {tried} of {number}", tried=tried, number=len(view.checks)) if view.checks else tr("Checks"),
        )
        self._tabs.setTabText(
            _TIMINGS,
            tr("Timings · {hitches}", hitches=count(len(view.hitches), "hitch", "hitches"))
            if view.hitches
            else tr("Timings"),
        )
        self._tabs.setTabText(_PICTURES, tr("Pictures · {looks}", looks=looks) if looks else tr("Pictures"))

    # -- the evidence

    def _show_log(self) -> None:
        if self._overview is None:
            return
        log = self._overview.trial.log
        lines = log.lines
        if self._only.isChecked():
            lines = tuple(line for line in lines if line.sign != "same")
        if not lines:
            words = tr("not run yet") if self._overview.trial.run is None else tr("nothing differs")
            self._log.show_lines((LineRow("", "plain", "", words),))
            return
        self._log.show_lines(tuple(_log_row(line, log.is_condensed) for line in lines))

    def _show_table(self) -> None:
        assert self._overview is not None
        view, setup = self._overview.trial, self._overview.setup
        releases = list(dict.fromkeys([setup.start, *setup.stops]))
        releases = [each for each in releases if each == setup.to or any(each in row.results for row in view.checks)]
        self._table.set_columns((tr("check"), *releases))
        self._table.set_rows(tuple(_check_row(row, releases, setup.to) for row in view.checks))
        self._show_check(self._table.current())

    def _show_check(self, payload: object) -> None:
        view = self._overview.trial if self._overview else None
        row = next((row for row in view.checks if row.check.name == payload), None) if view else None
        if row is None or view is None:
            words = tr("there is no check yet; add one with “New check…”")
            self._evidence.show_lines((LineRow("", "plain", "", words),))
            return
        result = row.on(view.release)
        head = row.check.by_hand or row.check.why or " ".join(row.check.run)
        head = head or row.check.produced.replace("{out}/", "what the run writes: ") or row.check.prints
        told = (
            tr(
                "on {release}, {elapsed_s:.2f} s, {who}",
                release=result.release,
                elapsed_s=result.elapsed_s,
                who=result.who,
            )
            if result.time
            else tr("not tried on this release")
        )
        lines = [LineRow("", "quiet", "", head), LineRow("", "quiet", "", told)]
        for text in result.detail.splitlines():
            tone: Tone | None = "mine" if text.startswith("+") else "alarm" if text.startswith("-") else None
            lines.append(LineRow("", "plain", "", text, tone))
        self._evidence.show_lines(tuple(lines))

    def _show_timings(self) -> None:
        assert self._overview is not None
        view = self._overview.trial
        before = view.before.frame_runs if view.before else ()
        self._plot.set_times(before, view.run.frame_runs if view.run else (), [item.frame for item in view.hitches])
        lines = [_timing_words(item) for item in view.timings]
        runs = count(len(view.run.frame_runs) if view.run else 0, "run")
        for hitch in view.hitches[:5]:
            times = tr(
                "{now_ms:.2f} ms in {runs} of {total}; before {usual_ms:.2f} ms",
                now_ms=hitch.now_ms,
                runs=hitch.runs,
                total=runs,
                usual_ms=hitch.usual_ms,
            )
            lines.append(tr("◆ frame {frame} takes {times}", frame=hitch.frame, times=times))
        self._times.setText("\n".join(lines) or tr("no timings on both sides yet"))

    def _show_picture(self) -> None:
        view = self._overview.trial if self._overview else None
        at = max(0, self._which.currentIndex())
        if view is None or at >= len(view.pictures):
            self._pair.show_pair("", "", None, tr("the profile names no picture"))
            return
        pair = view.pictures[at]
        difference = pair.difference
        if difference is None:
            self._pair.show_pair(pair.before, pair.now, None, pair.trouble)
        else:
            words = difference.why or (
                tr("looks the same")
                if difference.is_same
                else tr("{share:.1%} looks different", share=difference.share)
            )
            self._pair.show_pair(
                pair.before, pair.now, None if difference.is_same or difference.why else difference.box, words
            )

    # -- actions

    def _on_run(self) -> None:
        self.session.carry_out(RunGame(), tr("running the game"))

    def _on_accept(self) -> None:
        item = self._item()
        why = ask_why(self, tr("It is meant to be so")) if item else None
        if item is not None and why is not None:
            self.session.choose(item, "accept", why=why)

    def _mark(self, verdict: str) -> None:
        item = self._item()
        why = "" if verdict == "passed" else ask_why(self, tr("It does not"))
        if item is not None and why is not None:
            self.session.choose(item, verdict, why=why)

    def _on_where(self) -> None:
        open_item = self._item()
        if self._overview is None or open_item is None:
            return
        scan, log = self._overview.scan, self._overview.trial.log
        item = next((item for item in log.differences if log_key(item) == open_item.key), None)
        if item is not None:
            work = lambda work: find_printers(scan, item.template, work.token)  # noqa: E731
            self._searching.start(tr("looking for the code"), work)

    def _show_printers(self, found: object) -> None:
        places = [item for item in found if not item.in_engine] if isinstance(found, tuple) else []
        if places:
            self.editor_wanted.emit(places[0].path, places[0].line)
        lines = (
            [f"{'engine: ' if item.in_engine else ''}{item.path}:{item.line}  {item.text}" for item in found]
            if isinstance(found, tuple)
            else []
        )
        self._detail.setText("\n".join(lines[:6]) or tr("no code was found that has these words"))

    def _on_add_proposed(self) -> None:
        view = self._overview.trial if self._overview else None
        item = (
            next((item for item in view.proposed if f"propose:{item.check.name}" == self._list.current()), None)
            if view
            else None
        )
        if item is not None:
            self.session.add_check(item.check)

    def _on_refuse(self) -> None:
        key = self._list.current()
        if isinstance(key, str):
            self.session.refuse_check(key.removeprefix("propose:"))

    def _on_new_check(self) -> None:
        check = ask_check(self)
        if check is not None:
            self.session.add_check(check)


def _log_row(line: LogLine, condensed: bool) -> LineRow:
    margin, tone = _SIGNS[line.sign]
    if line.severity and line.sign != "same":
        margin, tone = f"{margin} {line.severity}", "alarm" if line.sign in ("new", "more") else tone
    if condensed or line.sign in ("more", "less"):
        margin = f"{margin} {line.counts[0]}→{line.counts[1]}".strip()
    fill: Tone | None = None if line.sign in ("same", "moved") else tone
    return LineRow(margin, tone, str(line.now or line.was), line.text, fill)


def _check_row(row: CheckRow, releases: list[str], to: str) -> TableRow:
    results = [row.on(each) for each in releases]
    words = [
        _VERDICTS[item.verdict] if item.time or each == to else "" for item, each in zip(results, releases, strict=True)
    ]
    tones = tuple(
        (at + 1, "mine" if item.is_good else "alarm") for at, item in enumerate(results) if item.verdict != "not tried"
    )
    return TableRow((row.check.name, *words), tones, row.check.name)  # type: ignore[arg-type]


def _timing_words(item: Timing) -> str:
    change = f"{abs(item.ratio - 1):.0%} {tr('longer') if item.ratio > 1 else tr('shorter')}"
    told = {
        "slower": tr("◆ {change}, by chance alone in {chance:.1%} of cases", change=change, chance=item.chance or 0),
        "faster": tr("● {change}, by chance alone in {chance:.1%} of cases", change=change, chance=item.chance or 0),
        "as before": tr("● as before"),
        "noise": tr(
            "· {change}, which is within the noise (by chance in {chance:.0%} of cases)",
            change=change,
            chance=item.chance or 0,
        ),
        "too few runs": tr("· {change}; one run each is not enough to tell this from noise", change=change),
    }[item.verdict]
    runs = tr("{before} and {now} runs", before=item.runs[0], now=item.runs[1])
    return tr(
        "{name}: {before} before, {now} now; {told} ({runs})",
        name=item.name,
        before=seconds(item.before),
        now=seconds(item.now),
        told=told,
        runs=runs,
    )
