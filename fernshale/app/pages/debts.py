"""Debts: what a crossing left unfinished, with what returns or ends it."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.crossings import DebtKind, FindingParts, find_outstanding
from fernshale.app.session import Session
from fernshale.app.widgets.basics import Card, FindingLabel, button, quiet_label
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.texts import count, tr, tr_marked
from fernshale.core.crossing.flow.outstanding import OutstandingDebt
from fernshale.core.crossing.flow.summaries import Finding
from fernshale.core.crossing.stages.overview import Overview

_BACK: Mapping[DebtKind, str] = {
    "plugin": tr("Return it"),
    "code": tr("Return it"),
    "member": tr("Return it"),
    "line": tr("Remove it"),
    "held back": tr("Decide again"),
    "accepted": tr("It is not meant so"),
}


class DebtsView(QWidget):
    """All debts, when each can be resolved, and the action that does it."""

    NAME = "debts"

    count_changed = Signal(int)

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.session = session
        self._owed: tuple[OutstandingDebt, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 14, 18, 10)
        column.setSpacing(10)
        self.finding = FindingLabel(self)
        column.addWidget(self.finding)
        card = Card(self, tr("Debts"))
        self._list = RowList(card, tr("Debts"), wrap=True)
        self._list.chosen.connect(self._show)
        card.body.addWidget(self._list, 1)
        self._detail = quiet_label(card, "")
        self._detail.setContentsMargins(11, 6, 9, 4)
        card.body.addWidget(self._detail)
        row = QHBoxLayout()
        row.setContentsMargins(11, 6, 9, 9)
        self._back = button(card, tr("Return it"), self._on_back, main=True, hint=tr("As a step that can be undone"))
        row.addWidget(self._back)
        row.addStretch(1)
        card.body.addLayout(row)
        column.addWidget(card, 1)
        self.setFocusProxy(self._list)

    def show_overview(self, overview: Overview) -> None:
        crossing = self.session.crossing
        if crossing is None:
            return
        self._owed = find_outstanding(overview, crossing)
        self.count_changed.emit(len(self._owed))
        ready = sum(bool(item.ready) for item in self._owed)
        parts: FindingParts = (("plain", tr("No debts.")),)
        if self._owed:
            words = (
                tr("{ready} of them can be resolved now.", ready=ready) if ready else tr("none can be resolved yet.")
            )
            parts = (("strong", count(len(self._owed), "debt")), ("plain", "; "), ("mine" if ready else "plain", words))
        self.finding.show_finding(Finding(parts))
        self._list.set_rows(tuple(_debt_row(item) for item in self._owed))
        self._show(self._list.current())

    def find_text(self, words: str) -> bool:
        return self._list.find_text(words)

    def _show(self, payload: object) -> None:
        item = next((item for item in self._owed if item.key == payload), None)
        self._back.setVisible(item is not None and item.kind in _BACK)
        self._back.setText(_BACK.get(item.kind, "") if item else "")
        nothing = tr(
            "This page lists code that is switched off, plugins left out or held back, previews in use and "
            "accepted messages."
        )
        self._detail.setText(f"{item.why}\n{item.place}" if item else nothing)

    def _on_back(self) -> None:
        item = next((item for item in self._owed if item.key == self._list.current()), None)
        if item is not None and item.action is not None:
            self.session.carry_out(item.action, f"{_BACK[item.kind].lower()}: {item.title}")
        elif item is not None and item.decision:
            self.session.withdraw(item.decision, f"{_BACK[item.kind].lower()}: {item.title}")


def _debt_row(item: OutstandingDebt) -> Row:
    words = item.ready or item.condition
    return Row(
        item.title,
        words,
        tr_marked(item.kind),
        "●" if item.ready else "○",
        "mine" if item.ready else "base",
        payload=item.key,
    )
