"""Trial: the two logs aligned, the checks, the timings."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QSplitter, QWidget

from fernshale.app.pages.base import Page
from fernshale.app.session import Session
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card, button, quiet_label
from fernshale.app.widgets.charts import Bar, BarChart
from fernshale.app.widgets.lines import Document, LineRow
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.words import seconds
from fernshale.core.crossing.matter import Matter, Stage
from fernshale.core.crossing.overview import Overview
from fernshale.core.trial.frames import FrameTimes
from fernshale.core.trial.logs import LogLine

_SIGNS: dict[str, tuple[str, Tone]] = {"same": ("", "plain"), "new": ("new", "incoming"), "gone": ("gone", "base")}


class TrialPage(Page):
    stage = Stage.TRIAL

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        self._overview: Overview | None = None
        self._bars = BarChart(self, "Lines of the log", 130)
        self.column.addWidget(self._bars)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(14)
        checks = Card(split, "Checks")
        self._checks = RowList(checks, "Checks", wrap=True)
        self._checks.chosen.connect(self._show_check)
        checks.body.addWidget(self._checks, 1)
        self._detail = quiet_label(checks, "")
        self._detail.setContentsMargins(11, 6, 9, 4)
        checks.body.addWidget(self._detail)
        row = QHBoxLayout()
        row.setContentsMargins(11, 6, 9, 9)
        row.setSpacing(6)
        self._run = button(checks, "Run the game", self._on_run, main=True)
        self._accept = button(
            checks, "It is meant to be so", self._on_accept, hint="Keeps the decision; it is not asked again"
        )
        row.addWidget(self._run)
        row.addWidget(self._accept)
        row.addStretch(1)
        checks.body.addLayout(row)
        log = Card(split, "Its log beside the baseline's")
        self._only = QCheckBox("only what differs", log)
        self._only.toggled.connect(self._show_log)
        log.head.addWidget(self._only)
        self._log = Document(log, "Its log beside the baseline's")
        log.body.addWidget(self._log)
        split.setSizes([330, 640])
        split.setStretchFactor(1, 1)
        self.column.addWidget(split, 1)
        self.setFocusProxy(self._checks)

    def fill(self, overview: Overview) -> None:
        self._overview = overview
        view = overview.trial
        parts: tuple[tuple[Tone, int, str], ...] = (
            ("mine", view.count("same"), "as before"),
            ("incoming", view.count("new"), "new"),
            ("base", view.count("gone"), "gone"),
        )
        times = []
        if view.baseline and view.baseline.run:
            times.append(f"before {seconds(view.baseline.run.elapsed_s)}")
        if view.run:
            times.append(f"now {seconds(view.run.elapsed_s)}")
        self._bars.set_bars((Bar("log lines", parts, ", ".join(times)),))
        rows = []
        for check in view.run.checks if view.run else ():
            good = check.verdict == "passed"
            glyph, tone = ("●", "mine") if good else ("◆", "alarm")
            rows.append(
                Row(
                    check.name,
                    "is as expected" if good else check.verdict,
                    "",
                    glyph,
                    tone,
                    payload=f"trial:check:{check.name}",
                )
            )  # type: ignore[arg-type]
        if view.run and view.run.frames:
            before = view.baseline.run.frames if view.baseline and view.baseline.run else None
            words = f"now {_frame_words(view.run.frames)}" + (f"; before {_frame_words(before)}" if before else "")
            rows.append(Row("longest and middle frame", words, "", "·", payload="frames"))
        for matter in view.matters:
            if not matter.key.startswith("trial:check:"):
                rows.append(Row(matter.title, "", "", "◆" if matter.needs_you else "·", "alarm", payload=matter.key))
        self._checks.set_rows(tuple(rows))
        self._run.setText("Run the game" if view.run is None else "Run again")
        self._show_log()
        self._show_check(self._checks.current())

    def go_to(self, matter: Matter) -> None:
        self._checks.select(matter.key)

    def find_text(self, words: str) -> bool:
        return self._log.find_text(words)

    def _matter(self) -> Matter | None:
        if self._overview is None:
            return None
        return next((matter for matter in self._overview.trial.matters if matter.key == self._checks.current()), None)

    def _show_check(self, payload: object) -> None:
        matter = self._matter()
        self._accept.setVisible(matter is not None and any(way.id == "accept" for way in matter.proposals))
        lines = matter.detail.splitlines()[:14] if matter else []
        self._detail.setText("\n".join(lines))

    def _show_log(self) -> None:
        if self._overview is None:
            return
        lines = self._overview.trial.log
        if self._only.isChecked():
            lines = tuple(line for line in lines if line.sign != "same")
        if not lines:
            words = "not run yet" if self._overview.trial.run is None else "nothing differs"
            self._log.show_lines((LineRow("", "plain", "", words),))
            return
        self._log.show_lines(tuple(_log_row(number, line) for number, line in enumerate(lines, 1)))

    def _on_run(self) -> None:
        self.session.take("trial:run", "run", "running the game")

    def _on_accept(self) -> None:
        matter = self._matter()
        if matter is not None:
            self.session.take(matter.key, "accept", matter.title)


def _frame_words(frames: FrameTimes) -> str:
    return f"{frames.longest_ms:.2f} and {frames.median_ms:.2f} ms"


def _log_row(number: int, line: LogLine) -> LineRow:
    margin, tone = _SIGNS[line.sign]
    if line.severity and line.sign != "same":
        margin, tone = f"{margin} {line.severity}", "alarm"
    fill: Tone | None = None if line.sign == "same" else tone
    return LineRow(margin, tone, str(number), line.text, fill)
