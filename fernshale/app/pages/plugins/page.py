"""Plugins: the ledger, the files by outcome, and the woven text with a card for each conflict."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QSplitter, QWidget

from fernshale.api.actions import (
    Action,
    ReplacePlugin,
    ResolveAlike,
    ResolveBelow,
    ResolveConflict,
    ReturnPlugin,
    UpdatePlugin,
)
from fernshale.api.merging import ask, below, decision_key, file_lines
from fernshale.app.dialogs.questions import ask_yes
from fernshale.app.pages.base import Page
from fernshale.app.pages.plugins.files import (
    FileOf,
    GroupOf,
    ItemOf,
    LeftOutOf,
    ReadyOf,
    file_rows,
    is_odd,
    ready_plugins,
)
from fernshale.app.pages.plugins.preview import PreviewDialog
from fernshale.app.session import Session
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card, button, quiet_label
from fernshale.app.widgets.charts import Bar, BarChart
from fernshale.app.widgets.conflict_card import KEYS, ConflictCard
from fernshale.app.widgets.rows import RowList
from fernshale.app.widgets.text_document import AnnotatedText, LineRow, LinesBlock
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.plugins.view import PluginView
from fernshale.core.merge.folder_merge import FileMerge
from fernshale.core.merge.ledger import FATE_WORDS, LedgerEntry
from fernshale.core.merge.text_merge import Conflict, Resolution

_MAX_BARS = 7
_WRITTEN: dict[str, tuple[str, Tone]] = {"finer": (tr("by tokens"), "base"), "text": (tr("by hand"), "mine")}
_SOURCES: dict[str, tuple[str, Tone]] = {
    "same": (tr("both"), "quiet"),
    "mine": (tr("yours"), "mine"),
    "incoming": (tr("vendor's"), "incoming"),
    "both": (tr("same in both"), "base"),
}


class PluginsPage(Page):
    stage = Stage.PLUGINS
    picture_title = tr("Your edits")

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        self._overview: Overview | None = None
        self._cards: list[ConflictCard] = []
        self._in_text: list[QPushButton] = []  # the buttons below the text of the detail
        self._unfolded: set[GroupOf] = set()
        self._last: list[str] = []  # the conflicts resolved here, the latest last
        self.picture = self._bars = BarChart(self, tr("Your edits by plugin"), 130)
        self._bars.chosen.connect(self._on_bar)
        self.column.addWidget(self._bars)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(14)
        files = Card(split)
        self._files = RowList(files, tr("Files by outcome"))
        self._files.chosen.connect(self._on_chosen)
        self._files.link_clicked.connect(self._on_link)
        self._files.activated_row.connect(self._on_fold)
        self._files.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self._files.customContextMenuRequested.connect(self._on_menu)
        files.body.addWidget(self._files)
        split.addWidget(self._build_detail(split))
        split.setSizes([270, 700])
        split.setStretchFactor(1, 1)
        self.column.addWidget(split, 1)
        self.on_key("U", self._on_take_back, tr("Take the last decision back"))
        self.setFocusProxy(self._files)

    def _build_detail(self, parent: QWidget) -> Card:
        self.detail = self._card = Card(parent, " ")
        self._previous = button(self._card, "◂", self._on_previous, hint=tr("Previous decision (P)"))
        self._next = button(self._card, "▸", self._on_next, hint=tr("Next decision (N)"))
        self._preview = button(self._card, tr("Preview"), self._on_preview, hint=tr("The folder as it will be"))
        self._take = button(self._card, tr("Update"), self._on_take, main=True)
        for made in (self._previous, self._next, self._preview, self._take):
            self._card.head.addWidget(made)
        self._why = quiet_label(self._card, "")
        self._why.setContentsMargins(11, 6, 9, 4)
        self._card.body.addWidget(self._why)
        self._text = AnnotatedText(self._card, tr("Result as it will be written"))
        self._card.body.addWidget(self._text, 1)
        return self._card

    def fill(self, overview: Overview) -> None:
        self._overview = overview
        self._bars.set_bars(_bars(overview))
        at = self._text.verticalScrollBar().value()
        self._files.blockSignals(True)  # the file that is chosen is shown once, below
        self._files.set_rows(file_rows(overview, self._unfolded))
        self._files.blockSignals(False)
        self._show_file(self._files.current())
        self._show_first(at)

    def go_to(self, item: Item) -> None:
        if self._overview is None:
            return
        for view in self._overview.plugins.plugins:
            if item.key == f"plugin:{view.plugin.id}":
                self._on_bar(view.plugin.id)
            for file, conflict in view.merge.decisions if view.merge else ():
                if decision_key(conflict.id) == item.key:
                    self._files.select(FileOf(view.plugin.id, file.shown))
                    self._reveal(item.key)
                    return
            for path in view.odd:
                if item.place.endswith(f"/{path}"):
                    self._files.select(FileOf(view.plugin.id, path))
        if not self._files.select(ItemOf(item.key)) and item.key.startswith("aside:"):
            self._files.select(LeftOutOf(item.key.removeprefix("aside:")))

    def find_text(self, words: str) -> bool:
        return self._text.find_text(words) or self._files.find_text(words)

    # -- the detail

    def _current(self) -> tuple[PluginView, FileMerge | None] | None:
        chosen = self._files.current()
        if self._overview is None or not isinstance(chosen, FileOf):
            return None
        for view in self._overview.plugins.plugins:
            if view.plugin.id == chosen.plugin:
                files = view.merge.files if view.merge else ()
                return view, next((file for file in files if file.shown == chosen.path), None)
        return None

    def _on_chosen(self, payload: object) -> None:
        self.visited = ""
        self._show_file(payload)
        self._show_first()

    def _show_file(self, payload: object) -> None:
        self._cards, self._in_text = [], []
        for made in (self._previous, self._next, self._preview, self._take):
            made.setVisible(False)
        if isinstance(payload, LeftOutOf):
            self._show_left_out(payload.id)
            return
        if isinstance(payload, ItemOf):
            self._show_step(payload.key)
            return
        if isinstance(payload, ReadyOf):
            self._show_ready()
            return
        found = self._current()
        if found is None or self._overview is None:
            self._card.set_title(tr("Nothing chosen"))
            self._why.setText("")
            self._text.show_parts([])
            return
        view, file = found
        conflicts = len(view.open_conflicts(self._overview.plugins.choices))
        blocked = (
            count(conflicts, "decision")
            if conflicts
            else count(len(view.odd), "odd file")
            if is_odd(view, self._overview)
            else ""
        )
        self._take.setVisible(view.merge is not None)
        self._take.setText(tr("Update to {to}", to=view.step.to))
        self._take.setEnabled(not blocked)
        self._take.setToolTip(
            tr("{blocked} first", blocked=blocked)
            if blocked
            else tr("Write {id} {to} into the project", id=view.plugin.id, to=view.step.to)
        )
        self._preview.setVisible(view.merge is not None)
        left = self._left()
        for made in (self._previous, self._next):
            made.setVisible(bool(left))
        if file is None:
            self._show_done(view)
            return
        self._card.set_title(printable(file.shown), self._count_words(file, left))
        self._why.setText(file.why[0].upper() + file.why[1:] + "." + (f" {view.base_note}." if view.base_note else ""))
        self._text.show_parts(self._parts(view, file))

    def _count_words(self, file: FileMerge, left: list[tuple[str, FileMerge, Conflict]]) -> str:
        """Which decision of how many, and how many are left in all."""
        if not left:
            return tr("result as it will be written") if file.path else tr("will be gone")
        here = [number for number, (_, item, _) in enumerate(left, 1) if item is file]
        if not here:
            return tr("{decisions} left elsewhere", decisions=count(len(left), "decision"))
        return (
            tr("decision {here} of {number}", here=here[0], number=len(left))
            if len(here) == 1
            else tr("decisions {first}–{last} of {total}", first=here[0], last=here[-1], total=len(left))
        )

    def _show_left_out(self, id: str) -> None:
        assert self._overview is not None
        item = next((item for item in self._overview.plugins.left_out if item.id == id), None)
        if item is None:
            return
        self._card.set_title(f"{item.id} {item.version}", tr("left out"))
        self._why.setText(
            tr("Switched off and removed from the project. The copy is in the snapshot before that step.")
        )
        words = [(tr("why"), item.why or tr("no reason was given")), (tr("until"), item.condition)]
        words.append(
            (
                tr("now"),
                tr("{ready} would fit", ready=item.ready) if item.ready else tr("no release on the shelf fits yet"),
            )
        )
        block = LinesBlock(self._text, tuple(LineRow(name, "base", "", text) for name, text in words))
        self._text.show_parts([block, self._button(tr("Return {id}", id=item.id), ReturnPlugin(item.id))])

    def _show_ready(self) -> None:
        """Show the plugins that are ready, and the button that updates all of them."""
        assert self._overview is not None
        ready = ready_plugins(self._overview)
        self._card.set_title(tr("Ready to update"), tr("no conflict is open in them"))
        self._why.setText("")
        lines = tuple(
            LineRow("ready", "mine", "", f"{view.plugin.id}  {view.step.from_} → {view.step.to}{_edits_in(view)}")
            for view in ready
        )
        words = tr("Update all {number}, one step each", number=len(ready))
        self._text.show_parts([LinesBlock(self._text, lines), self._holder(words, self._on_take_all)])

    def _show_step(self, key: str) -> None:
        assert self._overview is not None
        open_item = next((item for item in self._overview.plugins.items if item.key == key), None)
        if open_item is None:
            return
        self._card.set_title(open_item.title, "")
        self._why.setText(printable(open_item.place))
        parts: list[QWidget] = []
        for option in open_item.options:
            lines = tuple(LineRow(tr("because"), "base", "", text) for text in option.evidence if text)
            parts += [LinesBlock(self._text, lines), self._choice(option.title, open_item, option.id)]
        self._text.show_parts(parts)

    def _button(self, words: str, action: Action) -> QWidget:
        """A button in a line of the detail that carries an action out."""
        return self._holder(words, lambda: self.session.carry_out(action, words))

    def _choice(self, words: str, item: Item, option: str) -> QWidget:
        """A button in a line of the detail that chooses an option."""
        return self._holder(words, lambda: self.session.choose(item, option))

    def _holder(self, words: str, act: Callable[[], None]) -> QWidget:
        holder = QWidget(self._text)
        row = QHBoxLayout(holder)
        row.setContentsMargins(12, 4, 12, 4)
        made = button(holder, words, act, main=True)
        self._in_text.append(made)
        row.addWidget(made)
        row.addStretch(1)
        return holder

    def _show_done(self, view: PluginView) -> None:
        """Show an updated plugin: what became of each edit in the selected file."""
        chosen = self._files.current()
        path = chosen.path if isinstance(chosen, FileOf) else ""
        entries = [entry for entry in view.ledger.entries if entry.path == path] if view.ledger else []
        self._card.set_title(
            printable(path), tr("{id} is updated. This is what became of your edits", id=view.plugin.id)
        )
        self._why.setText("")
        rows = [
            LineRow(
                FATE_WORDS[entry.fate],
                _fate_tone(entry),
                entry.lines,
                tr("{what}    now {now}", what=entry.what, now=entry.now or tr("nowhere")),
            )
            for entry in entries
        ]
        self._text.show_lines(tuple(rows))

    def _parts(self, view: PluginView, file: FileMerge) -> list[QWidget]:
        assert self._overview is not None and view.merge is not None
        choices = self._overview.plugins.choices
        parts: list[QWidget] = []
        for item in self._overview.plugins.items:
            if item.key.startswith("odd:") and item.place == f"{view.plugin.folder}/{file.path}":
                words = tuple(LineRow("look", "alarm", "", text) for text in item.options[0].evidence)
                parts.append(LinesBlock(self._text, words))
                parts.append(self._choice(tr("It is right as it is"), item, "leave"))
        for conflict in file.decisions:
            if conflict.kind == "file":
                parts.append(self._decision(view, file, conflict.id, choices.get(conflict.id)))
        lines: list[LineRow] = []
        number = 0
        shown: set[str] = set()
        for line in file_lines(view.merge, file, choices):
            if line.conflict and line.conflict not in shown:
                if lines:
                    parts.append(LinesBlock(self._text, tuple(lines), path=file.shown))
                    lines = []
                shown.add(line.conflict)
                parts.append(self._decision(view, file, line.conflict, choices.get(line.conflict)))
            if not line.is_line:
                continue
            number += 1
            margin, tone = _SOURCES[line.source]
            if line.conflict in choices and choices[line.conflict].take in _WRITTEN:
                margin, tone = _WRITTEN[choices[line.conflict].take]
            lines.append(LineRow(margin, tone, str(number), line.text))
        if lines:
            parts.append(LinesBlock(self._text, tuple(lines), path=file.shown))
        return parts

    def _show_first(self, at: int = 0) -> None:
        """Scroll to the first open conflict, else to the height `at`, else to the first line that is not the same in both."""
        card = next((card for card in self._cards if not card.is_decided), None)
        if card is not None:
            self._text.reveal(card)
        elif at:
            self._text.scroll_to(at)
        else:
            same = _SOURCES["same"][0]
            lines = (
                (block, n)
                for block in self._text.blocks()
                for n, line in enumerate(block.lines())
                if line.margin != same
            )
            if (found := next(lines, None)) is not None:
                self._text.reveal_line(*found)

    def _decision(self, view: PluginView, file: FileMerge, id: str, choice: Resolution | None) -> ConflictCard:
        assert self._overview is not None and view.merge is not None
        conflict = next(conflict for conflict in file.decisions if conflict.id == id)
        plugins = self._overview.plugins
        card = ConflictCard(self._text, ask(view.merge, file, conflict, plugins.choices, plugins.remembered), choice)
        card.taken.connect(lambda take, text, alike: self._on_decided(id, take, text, alike, file.shown))
        card.withdrawn.connect(lambda: self._on_withdrawn(id, file.shown))
        card.editing.connect(self._text.show_part)
        self._cards.append(card)
        return card

    def _left(self) -> list[tuple[str, FileMerge, Conflict]]:
        """Every open conflict, as (plugin, file, conflict)."""
        if self._overview is None:
            return []
        plugins = self._overview.plugins
        return [
            (view.plugin.id, file, conflict)
            for view in plugins.plugins
            for file, conflict in view.open_conflicts(plugins.choices)
        ]

    # -- intents

    def _on_decided(self, id: str, take: str, text: str, alike: bool, title: str) -> None:
        self._last.append(id)
        action = ResolveAlike(id, take) if alike else ResolveConflict(id, take, text)
        self.session.carry_out(action, title)

    def _on_withdrawn(self, id: str, title: str) -> None:
        if self._overview is not None and id in self._overview.plugins.choices:
            self.session.withdraw(decision_key(id), title)
        else:
            self._show_file(self._files.current())  # nothing was decided yet: the editor closes

    def _on_take_back(self) -> None:
        """Reopen the last conflict that was resolved here and is not written yet."""
        while self._last and self._overview is not None:
            id = self._last.pop()
            if id in self._overview.plugins.choices:
                self.session.withdraw(decision_key(id), tr("the last decision"))
                return

    def press(self, number: int) -> None:
        """Press an option of the current card; without one, of the detail."""
        focused = next((card for card in self._cards if card.hasFocus() and not card.is_decided), None)
        card = focused or next((card for card in self._cards if not card.is_decided), None)
        if card is not None:
            card.take(dict(KEYS)[str(number)])
        else:
            super().press(number)

    def option_buttons(self) -> list[QPushButton]:
        # A key too many behind the last decision must not write the release.
        return [*self._in_text, self._take] if self.visited.startswith("plugin:") else self._in_text

    def step(self, by: int) -> None:
        """Select the next or previous conflict, wrapping around; without one, another item."""
        if self._left():
            self._step(by)
        else:
            super().step(by)

    def _on_next(self) -> None:
        self._step(1)

    def _on_previous(self) -> None:
        self._step(-1)

    def _step(self, by: int) -> None:
        left = self._left()
        if not left:
            return
        focused = next((card.conflict.id for card in self._cards if card.hasFocus()), None)
        at = next((number for number, (_, _, conflict) in enumerate(left) if conflict.id == focused), None)
        if at is None:
            found = self._current()
            here = found[1] if found is not None else None
            first = next((number for number, (_, file, _) in enumerate(left) if file is here), None)
            at = (first if by > 0 else first + 1) - by if first is not None else (-1 if by > 0 else 0)
        plugin, file, conflict = left[(at + by) % len(left)]
        self._files.select(FileOf(plugin, file.shown))
        self._reveal(decision_key(conflict.id))

    def _reveal(self, key: str) -> None:
        for card in self._cards:
            if decision_key(card.conflict.id) == key:
                self._text.reveal(card)
                card.setFocus()

    def _on_link(self, payload: object) -> None:
        if isinstance(payload, ReadyOf):
            self._on_take_all()
        self._on_fold(payload)

    def _on_fold(self, payload: object) -> None:
        if isinstance(payload, GroupOf) and self._overview is not None:
            self._unfolded ^= {payload}
            self._files.set_rows(file_rows(self._overview, self._unfolded))

    def _on_menu(self, place: QPoint) -> None:
        menu = self._menu()
        if menu is not None:
            menu.exec(self._files.viewport().mapToGlobal(place))

    def _menu(self) -> QMenu | None:
        """The menu that resolves all conflicts in a file, its folder or its plugin."""
        found = self._current()
        if found is None or self._overview is None or found[0].merge is None:
            return None
        view, file = found
        assert view.merge is not None
        menu = QMenu(self)
        folder = file.shown.rpartition("/")[0] if file is not None else ""
        places = [file.shown] if file is not None else []
        for where in dict.fromkeys([*places, *([folder] if folder else []), ""]):
            conflict = [item for item in below(view.merge, where) if item[1].id not in self._overview.plugins.choices]
            if not conflict:
                continue
            name = tr("in {where}", where=printable(where)) if where else tr("in all of {id}", id=view.plugin.id)
            for option, words in (("mine", tr("Keep yours")), ("incoming", tr("Use the vendor's"))):
                action = ResolveBelow(f"{view.plugin.id}/{where}", option)
                title = f"{words} {name} ({count(len(conflict), 'decision')})"
                menu.addAction(title, partial(self.session.carry_out, action, title))
        if menu.isEmpty():
            menu.addAction(tr("Nothing is open here")).setEnabled(False)
        lost = view.ledger.edits - view.ledger.count("already") if view.ledger else 0
        if lost:
            menu.addSeparator()
            menu.addAction(
                tr("Replace {id} with {to} and drop your edits…", id=view.plugin.id, to=view.step.to),
                lambda: self._on_clean(view, lost),
            )
        return menu

    def _on_clean(self, view: PluginView, lost: int) -> None:
        words = tr(
            "{edits} of yours in {id} would be dropped. Files of your own are kept.",
            edits=count(lost, "edit"),
            id=view.plugin.id,
        )
        if ask_yes(self, tr("Replace it and drop your edits?"), words, tr("Drop them")):
            self.session.carry_out(ReplacePlugin(view.plugin.id), tr("replacing {id}", id=view.plugin.id))

    def _on_preview(self) -> None:
        found = self._current()
        if found is not None and self._overview is not None:
            PreviewDialog(self, self._overview, found[0]).exec()

    def _on_take(self) -> None:
        found = self._current()
        if found is not None:
            view = found[0]
            self.session.carry_out(
                UpdatePlugin(view.plugin.id), tr("taking {id} {to}", id=view.plugin.id, to=view.step.to)
            )

    def _on_take_all(self) -> None:
        if self._overview is not None:
            ready = [UpdatePlugin(view.plugin.id) for view in ready_plugins(self._overview)]
            self.session.carry_out_each(ready, tr("taking {plugins}", plugins=count(len(ready), "plugin")))

    def _on_bar(self, plugin: object) -> None:
        row = next(
            (row for row in self._files.rows() if isinstance(row.payload, FileOf) and row.payload.plugin == plugin),
            None,
        )
        if row is not None:
            self._files.select(row.payload)


def _bars(overview: Overview) -> tuple[Bar, ...]:
    """A bar for each plugin with edits; of very many those that need a person, then those with most edits."""
    views = [view for view in overview.plugins.plugins if view.ledger and view.ledger.edits]
    if len(views) > _MAX_BARS:
        ranked = sorted(views, key=lambda view: _weight(view), reverse=True)[:_MAX_BARS]
        views = [view for view in views if view in ranked]
    return tuple(_bar(view) for view in views)


def _weight(view: PluginView) -> tuple[int, int]:
    return (view.ledger.count("decide"), view.ledger.edits) if view.ledger else (0, 0)


def _bar(view: PluginView) -> Bar:
    ledger = view.ledger
    assert ledger is not None
    parts: tuple[tuple[Tone, int, str], ...] = (
        ("mine", ledger.count("carried"), tr("kept")),
        ("base", ledger.count("already"), tr("already in the new release")),
        ("alarm", ledger.count("decide"), tr("to decide")),
        ("plain", ledger.count("dropped"), tr("dropped by you")),
    )
    conflict = ledger.count("decide")
    state = (
        tr("{conflict} to resolve", conflict=conflict)
        if conflict
        else tr("updated")
        if view.done
        else tr("ready to update")
    )
    return Bar(view.plugin.id, parts, f"{count(ledger.edits, 'edit')} · {state}", view.plugin.id)


def _fate_tone(entry: LedgerEntry) -> Tone:
    tones: dict[str, Tone] = {"carried": "mine", "already": "base", "decide": "alarm", "dropped": "quiet"}
    return tones[entry.fate]


def _edits_in(view: PluginView) -> str:
    if view.ledger is None or not view.ledger.edits:
        return ""
    return tr("   {edits} of yours in it", edits=count(view.ledger.edits, "edit"))
