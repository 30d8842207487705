"""Plugins: the ledger, the files by outcome, and the woven text with a card wherever a decision is due."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QSplitter, QWidget

from fernshale.app.pages.base import Page
from fernshale.app.session import Session
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card, button, quiet_label
from fernshale.app.widgets.charts import Bar, BarChart
from fernshale.app.widgets.decision import DecisionCard
from fernshale.app.widgets.lines import Document, LineRow, LinesBlock
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.treepath import printable
from fernshale.core.base.words import count
from fernshale.core.crossing.matter import Matter, Stage
from fernshale.core.crossing.overview import Overview
from fernshale.core.crossing.stages.plugins import PluginView, decision_key
from fernshale.core.crossing.woven import file_lines
from fernshale.core.merge.folder import FileMerge
from fernshale.core.merge.ledger import LedgerEntry
from fernshale.core.merge.textmerge import Choice

_GROUPS: tuple[tuple[str, tuple[str, ...], str, Tone], ...] = (
    ("To decide", ("decide",), "◆", "alarm"),
    ("Edits carried", ("merged", "carried"), "●", "mine"),
    ("Yours alone", ("own",), "○", "mine"),
    ("New from the vendor", ("updated", "added"), "◐", "incoming"),
    ("Gone with this release", ("removed",), "–", "base"),
)
_SOURCES: dict[str, tuple[str, Tone]] = {
    "same": ("both", "quiet"),
    "mine": ("yours", "mine"),
    "incoming": ("incoming", "incoming"),
    "both": ("same in both", "base"),
}


@dataclass(frozen=True, slots=True)
class _FileOf:
    """A file of a plugin's merge, as the list's payload."""

    plugin: str
    path: str


class PluginsPage(Page):
    stage = Stage.PLUGINS

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        self._overview: Overview | None = None
        self._cards: list[DecisionCard] = []
        self._bars = BarChart(self, "Your edits by plugin", 130)
        self._bars.chosen.connect(self._on_bar)
        self.column.addWidget(self._bars)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(14)
        files = Card(split)
        self._files = RowList(files, "Files by outcome")
        self._files.chosen.connect(self._show_file)
        files.body.addWidget(self._files)
        self._card = Card(split, " ")
        self._next = button(self._card, "Next decision", self._on_next, hint="N")
        self._take = button(self._card, "Take the release", self._on_take, main=True)
        self._card.head.addWidget(self._next)
        self._card.head.addWidget(self._take)
        self._why = quiet_label(self._card, "")
        self._why.setContentsMargins(11, 6, 9, 4)
        self._card.body.addWidget(self._why)
        self._text = Document(self._card, "Result as it will be written")
        self._card.body.addWidget(self._text, 1)
        split.setSizes([270, 700])
        split.setStretchFactor(1, 1)
        self.column.addWidget(split, 1)
        for key, way in (("1", "mine"), ("2", "incoming"), ("3", "both"), ("4", "text")):
            shortcut = QShortcut(QKeySequence(key), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(lambda way=way: self._on_key(way))
        shortcut = QShortcut(QKeySequence("N"), self)
        shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        shortcut.activated.connect(self._on_next)
        self.setFocusProxy(self._files)

    def fill(self, overview: Overview) -> None:
        self._overview = overview
        self._bars.set_bars(tuple(_bar(view) for view in overview.plugins.plugins if view.ledger))
        rows = tuple(row for view in overview.plugins.plugins for row in _rows(view, overview))
        self._files.set_rows(rows)
        self._show_file(self._files.current())

    def go_to(self, matter: Matter) -> None:
        if self._overview is None:
            return
        for view in self._overview.plugins.plugins:
            if view.merge is None:
                continue
            for file, due in view.merge.decisions:
                if decision_key(due.id) == matter.key:
                    self._files.select(_FileOf(view.plugin.id, file.shown))
                    self._reveal(matter.key)
                    return
            if matter.key == f"plugin:{view.plugin.id}":
                self._on_bar(view.plugin.id)

    def find_text(self, words: str) -> bool:
        return self._text.find_text(words) or self._files.find_text(words)

    # -- the detail

    def _current(self) -> tuple[PluginView, FileMerge | None] | None:
        chosen = self._files.current()
        if self._overview is None or not isinstance(chosen, _FileOf):
            return None
        for view in self._overview.plugins.plugins:
            if view.plugin.id == chosen.plugin:
                files = view.merge.files if view.merge else ()
                return view, next((file for file in files if file.shown == chosen.path), None)
        return None

    def _show_file(self, payload: object) -> None:
        self._cards = []
        found = self._current()
        if found is None or self._overview is None:
            self._card.set_title("Nothing chosen")
            self._why.setText("")
            self._text.show_parts([])
            self._take.setVisible(False)
            self._next.setVisible(False)
            return
        view, file = found
        due = len(view.due(self._overview.plugins.choices))
        self._take.setVisible(view.merge is not None)
        self._take.setText(f"Take {view.plugin.id} {view.step.to}")
        self._take.setEnabled(not due)
        self._take.setToolTip("" if not due else f"{count(due, 'decision')} first")
        self._next.setVisible(any(item.due(self._overview.plugins.choices) for item in self._overview.plugins.plugins))
        if file is None:
            self._show_done(view)
            return
        note = "result as it will be written" if file.path else "will be gone"
        self._card.set_title(printable(file.shown), note)
        self._why.setText(file.why[0].upper() + file.why[1:] + "." + (f" {view.base_note}." if view.base_note else ""))
        self._text.show_parts(self._parts(view, file))

    def _show_done(self, view: PluginView) -> None:
        """A plugin that was taken: what became of each edit in the chosen file."""
        chosen = self._files.current()
        path = chosen.path if isinstance(chosen, _FileOf) else ""
        entries = [entry for entry in view.ledger.entries if entry.path == path] if view.ledger else []
        self._card.set_title(printable(path), f"{view.plugin.id} is taken; this is what became of your edits")
        self._why.setText("")
        rows = [
            LineRow(entry.fate, _fate_tone(entry), entry.lines, f"{entry.what}    now {entry.now or 'nowhere'}")
            for entry in entries
        ]
        self._text.show_lines(tuple(rows))

    def _parts(self, view: PluginView, file: FileMerge) -> list[QWidget]:
        assert self._overview is not None and view.merge is not None
        choices = self._overview.plugins.choices
        parts: list[QWidget] = []
        for due in file.decisions:
            if due.kind == "file":
                parts.append(self._decision(view, file, due.id, choices.get(due.id)))
        lines: list[LineRow] = []
        number = 0
        shown: set[str] = set()
        for line in file_lines(view.merge, file, choices):
            if line.due and line.due not in shown:
                if lines:
                    parts.append(LinesBlock(self._text, tuple(lines)))
                    lines = []
                shown.add(line.due)
                parts.append(self._decision(view, file, line.due, choices.get(line.due)))
            if not line.is_line:
                continue
            number += 1
            margin, tone = _SOURCES[line.source]
            lines.append(LineRow(margin, tone, str(number), line.text))
        if lines:
            parts.append(LinesBlock(self._text, tuple(lines)))
        return parts

    def _decision(self, view: PluginView, file: FileMerge, id: str, choice: Choice | None) -> DecisionCard:
        due = next(due for due in file.decisions if due.id == id)
        card = DecisionCard(self._text, file, due, choice)
        card.taken.connect(lambda take, text: self.session.take(decision_key(id), take, file.shown, text))
        card.withdrawn.connect(lambda: self.session.take_back(decision_key(id), file.shown))
        self._cards.append(card)
        return card

    # -- intents

    def _on_key(self, way: str) -> None:
        card = next((card for card in self._cards if not card.is_decided), None)
        if card is not None:
            card.take(way)

    def _on_next(self) -> None:
        """The first decision still to be taken, on whichever file."""
        if self._overview is None:
            return
        for view in self._overview.plugins.plugins:
            for file, due in view.due(self._overview.plugins.choices):
                self._files.select(_FileOf(view.plugin.id, file.shown))
                self._reveal(decision_key(due.id))
                return

    def _reveal(self, key: str) -> None:
        for card in self._cards:
            if decision_key(card.due.id) == key:
                self._text.reveal(card)
                card.setFocus()

    def _on_take(self) -> None:
        found = self._current()
        if found is not None:
            view = found[0]
            self.session.take(f"plugin:{view.plugin.id}", "take", f"taking {view.plugin.id} {view.step.to}")

    def _on_bar(self, plugin: object) -> None:
        row = next(
            (row for row in self._files.rows() if isinstance(row.payload, _FileOf) and row.payload.plugin == plugin),
            None,
        )
        if row is not None:
            self._files.select(row.payload)


def _bar(view: PluginView) -> Bar:
    ledger = view.ledger
    assert ledger is not None
    parts: tuple[tuple[Tone, int, str], ...] = (
        ("mine", ledger.count("carried"), "carried"),
        ("base", ledger.count("already"), "already there"),
        ("alarm", ledger.count("decide"), "to decide"),
        ("plain", ledger.count("dropped"), "dropped by you"),
    )
    due = ledger.count("decide")
    state = f"{due} to decide" if due else "taken" if view.done else "ready to take"
    return Bar(view.plugin.id, parts, f"{count(ledger.edits, 'edit')} · {state}", view.plugin.id)


def _rows(view: PluginView, overview: Overview) -> list[Row]:
    start = view.base if view.done else view.step.from_
    to = view.step.to
    arrow = f"{start} stays" if to == start else f"{start} → {to}" if to else f"{start}, nothing for {overview.setup.to}"
    heading = Row(f"{view.plugin.id} {arrow}", right="taken" if view.done and view.ledger else "", heading=True)
    if view.merge is None:
        paths = dict.fromkeys(entry.path for entry in view.ledger.entries) if view.ledger else {}
        return [heading, *(_done_row(view, path) for path in paths)]
    rows = [heading]
    choices = overview.plugins.choices
    for title, outcomes, glyph, tone in _GROUPS:
        files = [file for file in view.merge.files if file.outcome in outcomes]
        for file in files:
            left = sum(due.id not in choices for due in file.decisions)
            sub = f"{title} · {file.why.split(';')[0]}" if not file.decisions else count(left, "decision") + " due"
            if file.decisions and not left:
                sub, glyph, tone = "decided", "●", "mine"
            moved = f" · moved from {file.base}" if file.path and file.base and file.base != file.path else ""
            payload = _FileOf(view.plugin.id, file.shown)
            rows.append(Row(printable(file.shown), sub + moved, "", glyph, tone, payload=payload, code=True))
            glyph, tone = _mark(title)
    return rows


def _mark(title: str) -> tuple[str, Tone]:
    return next((glyph, tone) for name, _, glyph, tone in _GROUPS if name == title)


def _done_row(view: PluginView, path: str) -> Row:
    entries = [entry for entry in view.ledger.entries if entry.path == path] if view.ledger else []
    fates = ", ".join(dict.fromkeys(entry.fate for entry in entries))
    payload = _FileOf(view.plugin.id, path)
    return Row(printable(path), f"{count(len(entries), 'edit')} · {fates}", "", "●", "mine", payload=payload, code=True)


def _fate_tone(entry: LedgerEntry) -> Tone:
    tones: dict[str, Tone] = {"carried": "mine", "already": "base", "decide": "alarm", "dropped": "quiet"}
    return tones[entry.fate]
