"""The report as it will be shared."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QPlainTextEdit,
    QStackedWidget,
    QTabBar,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.crossings import FindingParts
from fernshale.api.reports import (
    REPORT_FORMS,
    export_playbook,
    report_data,
    report_document,
    report_html,
    report_markdown,
    report_message,
    report_pictures,
    write_patches,
)
from fernshale.app.dialogs.questions import show_error
from fernshale.app.session import Session
from fernshale.app.theme import code_font, theme
from fernshale.app.widgets.basics import Card, FindingLabel, button, quiet_label
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.flow.summaries import Finding
from fernshale.core.crossing.stages.overview import Overview

# Pixels beyond the page that nobody scrolls for.
_EDGE = 3


class ReportView(QWidget):
    """The report in three forms, and actions to share it."""

    NAME = "report"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 10)
        column.setSpacing(10)
        self.finding = FindingLabel(self)
        column.addWidget(self.finding)
        card = Card(self, tr("Preview of the report"))
        self._tabs = QTabBar(card)
        self._tabs.setAccessibleName(tr("Form of the report"))
        self._tabs.setDrawBase(False)
        for word in (tr("Report"), tr("Message for a merge request"), "Markdown"):
            self._tabs.addTab(word)
        card.head.addWidget(self._tabs)
        self._stack = QStackedWidget(card)
        self._page = QTextBrowser(self._stack)
        self._page.setOpenLinks(False)
        self._page.setFrameShape(QFrame.Shape.NoFrame)
        self._page.setAccessibleName(tr("Report"))
        # A table that fills the page is a pixel wider than it.
        self._page.horizontalScrollBar().rangeChanged.connect(
            lambda _low, high: self._page.setHorizontalScrollBarPolicy(
                Qt.ScrollBarPolicy.ScrollBarAlwaysOff if high <= _EDGE else Qt.ScrollBarPolicy.ScrollBarAsNeeded
            )
        )
        self._message, self._markdown = (QPlainTextEdit(self._stack) for _ in range(2))
        self._stack.addWidget(self._page)
        for text, name in ((self._message, tr("Message for a merge request")), (self._markdown, "Markdown")):
            text.setReadOnly(True)
            text.setFont(code_font())
            text.setAccessibleName(name)
            self._stack.addWidget(text)
        self._tabs.currentChanged.connect(self._stack.setCurrentIndex)
        card.body.addWidget(self._stack, 1)
        row = QHBoxLayout()
        row.setContentsMargins(11, 6, 9, 9)
        row.setSpacing(6)
        row.addWidget(button(card, tr("Save…"), self.save, main=True, hint=tr("As HTML, Markdown or JSON")))
        row.addWidget(button(card, tr("Copy"), self._copy, hint=tr("What is shown, as text")))
        row.addWidget(
            button(card, tr("Export patches…"), self._patches, hint=tr("Each step as a patch that git applies"))
        )
        row.addWidget(
            button(
                card,
                tr("Export the playbook…"),
                self._hand_on,
                hint=tr("Decisions, rules and checks for the next project"),
            )
        )
        row.addStretch(1)
        self._outcome = quiet_label(card, "")
        row.addWidget(self._outcome)
        card.body.addLayout(row)
        column.addWidget(card, 1)
        self.setFocusProxy(self._page)

    def show_overview(self, overview: Overview) -> None:
        crossing = self.session.crossing
        if crossing is None or not self.isVisible():
            return
        data = report_data(overview, crossing)
        figures = data["figures"]
        steps, edits = count(figures["steps"], "step"), count(figures["local edits"], "local edit")
        words = tr(
            " {steps} over {files}; {edits} accounted for.",
            steps=steps,
            files=count(figures["files touched"], "file"),
            edits=edits,
        )
        parts: FindingParts = (("mine" if data["done"] else "alarm", data["verdict"]), ("plain", words))
        self.finding.show_finding(Finding(parts))
        place = self._page.verticalScrollBar().value()
        self._page.setHtml(report_html(data, _ink(), report_pictures(overview)))
        self._page.verticalScrollBar().setValue(place)
        self._message.setPlainText(report_message(data))
        self._markdown.setPlainText(report_markdown(data))

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self.session.overview is not None:
            self.show_overview(self.session.overview)

    def find_text(self, words: str) -> bool:
        shown = self._stack.currentWidget()
        assert isinstance(shown, QTextBrowser | QPlainTextEdit)
        return shown.find(words)

    def save(self) -> None:
        """Ask for a file name and write the report in the form of its ending."""
        overview, crossing = self.session.overview, self.session.crossing
        if overview is None or crossing is None:
            return
        forms = tr("HTML (*.html);;Markdown (*.md);;JSON (*.json)")
        name, _ = QFileDialog.getSaveFileName(self, tr("Save the report"), "crossing.html", forms)
        if name:
            form = Path(name).suffix.lower()
            text = report_document(overview, crossing, form if form in REPORT_FORMS else ".md")
            self._try(lambda: Path(name).write_text(text, encoding="utf-8"), tr("written to {name}", name=name))

    def _copy(self) -> None:
        shown = self._stack.currentWidget()
        text = shown.toPlainText() if isinstance(shown, QTextBrowser | QPlainTextEdit) else ""
        QApplication.clipboard().setText(text)
        self._outcome.setText(tr("copied"))

    def _patches(self) -> None:
        crossing = self.session.crossing
        folder = QFileDialog.getExistingDirectory(self, tr("An empty folder for the patches")) if crossing else ""
        if crossing is not None and folder:
            self._try(lambda: write_patches(crossing, Path(folder)), tr("patches written to {folder}", folder=folder))

    def _hand_on(self) -> None:
        overview, crossing = self.session.overview, self.session.crossing
        if overview is None or crossing is None:
            return
        start = f"{overview.setup.project.name}.way.toml"
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Export the playbook"), start, tr("Playbook of a crossing (*.way.toml)")
        )
        if name:

            def work() -> None:
                Path(name).write_text(export_playbook(crossing, overview.scan, CancelToken()), encoding="utf-8")

            self._try(work, tr("written to {name}; `fernshale cross --playbook` follows it", name=name))

    def _try(self, work: Callable[[], object], said: str) -> None:
        try:
            work()
        except (OSError, FernshaleError) as error:
            show_error(self, error)
        else:
            self._outcome.setText(said)


def _ink() -> dict[str, str]:
    """The report's colours in the theme of the window."""
    colours = theme()
    return {
        "text": colours.text,
        "ground": colours.card,
        "edge": colours.edge,
        "line": colours.track,
        "quiet": colours.quiet,
        "good": colours.mine,
        "bad": colours.alarm,
        "new": colours.incoming,
    }


# The button text for paying a debt, by its kind.
