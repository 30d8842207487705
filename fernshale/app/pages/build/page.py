"""Build: rounds, causes with the number of errors each clears, and the code with the proposed fix."""

from __future__ import annotations

from functools import partial
from typing import get_args

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QWidget,
)

from fernshale.api.actions import (
    PutCauseOff,
    ReturnPluginForCause,
    RunBuild,
    SwitchCodeOff,
    SwitchCodeOn,
    TakeCauseUp,
    UseRule,
    UseRuleAt,
    UseSilentRule,
)
from fernshale.api.building import CodePart, FixScope
from fernshale.app.pages.base import Page, file_and_line
from fernshale.app.pages.build.attempt_strip import AttemptStrip
from fernshale.app.pages.build.code_view import CodeView
from fernshale.app.pages.build.detail import Selection, make_detail
from fernshale.app.pages.build.rows import (
    ChosenRow,
    before_rows,
    cause_row,
    default_row,
    drift_row,
    no_round,
    round_bar,
    silent_row,
)
from fernshale.app.session import Session
from fernshale.app.widgets.basics import Card, add_in_turn, button, quiet_label
from fernshale.app.widgets.charts import BarChart
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.release import same_release
from fernshale.core.base.texts import count, tr, tr_kept
from fernshale.core.crossing.deferred.code import Debt
from fernshale.core.crossing.record.fix_settings import NEVER
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.build.view import CauseView, Fix
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.fix.apply import CodeEdit

# The title of a build while it runs.
BUILDING = "building"
# Owners of errors that the project cannot fix.
_NOT_MINE = ("engine", "elsewhere")
# The confidences to choose from; no option reaches the last.
_HOW_FAR = (0.7, 0.8, 0.9, 0.95, NEVER)


class BuildPage(Page):
    stage = Stage.BUILD
    picture_title = tr("Rounds")

    def __init__(self, parent: QWidget, session: Session) -> None:
        self._overview: Overview | None = None
        super().__init__(parent, session)
        self._fix_number = 0
        self._at: CodeEdit | None = None
        self._build_top()
        self._rounds = BarChart(self, tr("Errors per round, by owner"), 80)
        self.picture = self._rounds
        self.column.addWidget(self._rounds)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(14)
        causes = Card(split, tr("Causes"))
        causes.set_title(tr("Causes"), tr("the most effective first"))
        self._mine = QPushButton(tr("Only mine"), causes)
        self._mine.setCheckable(True)
        self._mine.setChecked(True)
        self._mine.setToolTip(tr("Hide errors in engine files and outside the project"))
        self._mine.toggled.connect(lambda on: self._fill_causes())
        causes.head.addWidget(self._mine)
        self._causes = RowList(causes, tr("Causes"), wrap=True)
        self._causes.chosen.connect(self._on_chosen)
        causes.body.addWidget(self._causes)
        self._attempts = AttemptStrip(causes, session)
        causes.body.addWidget(self._attempts)
        self.detail = self._card = Card(split, " ")
        self._fixes = QComboBox(self._card)
        self._fixes.setAccessibleName(tr("Options"))
        self._fixes.setToolTip(tr("Alt+Up and Alt+Down"))
        self._fixes.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._fixes.activated.connect(self._choose_fix)
        self._fix_row = QFrame(self._card)
        line = QHBoxLayout(self._fix_row)
        line.setContentsMargins(9, 7, 9, 0)
        line.addWidget(self._fixes)
        self._card.body.addWidget(self._fix_row)
        self._code = CodeView(self._card)
        self._code.place_chosen.connect(self._on_place)
        self._code.place_opened.connect(lambda place: self.editor_wanted.emit(*file_and_line(place)))
        self._card.body.addWidget(self._code, 1)
        row = QHBoxLayout()
        row.setContentsMargins(11, 7, 9, 8)
        row.setSpacing(6)
        self._everywhere = button(
            self._card, tr("Apply everywhere"), lambda: self._apply("everywhere"), main=True, hint="Ctrl+Enter"
        )
        self._in_file = button(self._card, tr("In this file"), lambda: self._apply("file"))
        self._here = button(self._card, tr("Only here"), lambda: self._apply("here"))
        self._edit = button(self._card, tr("Open in your editor"), self._open, hint="E")
        self._switch_off = button(
            self._card,
            tr("Switch off…"),
            self._open_switch_off_menu,
            hint=tr("So that the rest compiles. It is a debt until it is switched on again"),
        )
        self._switch_off_menu = QMenu(self._switch_off)
        for what in get_args(CodePart):
            self._switch_off_menu.addAction(tr("The {what}", what=what), partial(self._switch_off_part, what))
        self._return = button(self._card, tr("Switch on again"), self._on_return, main=True)
        self._later = button(self._card, tr("Not now"), self._on_later, hint="L")
        self._noted = button(self._card, tr("It is right as it is"), self._on_noted)
        self._plugin_back = button(self._card, "", self._on_plugin_back)
        add_in_turn(row, self._cause_buttons())
        # Next to the title, so that the row below fits into a narrow window.
        for made in (self._edit, self._switch_off):
            self._card.head.addWidget(made)
        row.addStretch(1)
        self._card.body.addLayout(row)
        self._hint = quiet_label(self._card, "")
        self._hint.setContentsMargins(11, 0, 9, 7)
        self._card.body.addWidget(self._hint)
        split.setSizes([350, 620])
        split.setStretchFactor(1, 1)
        self.column.addWidget(split, 1)
        keys = (
            ("Ctrl+Return", lambda: self._apply("everywhere"), tr("Apply the fix everywhere")),
            ("E", self._open, tr("Open the place in your editor")),
            ("L", self._on_later, tr("Not now: list the cause last")),
            ("Alt+Down", lambda: self._step_fix(1), tr("The next fix of the cause")),
            ("Alt+Up", lambda: self._step_fix(-1), tr("The fix before")),
        )
        for key, act, title in keys:
            self.on_key(key, act, title)
        self.setFocusProxy(self._causes)

    def _build_top(self) -> None:
        """The buttons of the whole page, next to its finding."""
        self._build = button(self, tr("Build"), self._on_build, main=True, hint="F5")
        self._apply_fixes = button(
            self, tr("Apply fixes"), self._apply_automatic, hint=tr("The high-confidence fixes of the last round")
        )
        self._rounds_button = button(
            self,
            tr("Build and fix automatically"),
            self._on_rounds,
            hint=tr("Apply high-confidence fixes and build again, until none is left"),
        )
        self._far = QComboBox(self)
        self._far.setAccessibleName(tr("Confidence for automatic fixes"))
        self._far.setToolTip(tr("Fixes of this confidence or more are applied automatically"))
        for value in _HOW_FAR:
            self._far.addItem(tr("from {value:.2f}", value=value) if value <= 1 else tr("none"), value)
        self._far.activated.connect(lambda at: self.session.choose_confidence(self._far.itemData(at)))
        self._more = button(self, tr("More…"), self._open_more)
        for made in (self._far, self._rounds_button, self._more, self._apply_fixes, self._build):
            self.top.addWidget(made)

    def set_room(self, width: int, height: int) -> None:
        super().set_room(width, height)
        if self._overview is not None:
            self._show_top(self._overview)
            self._show_buttons(self._selection(*self._current()))

    def _show_top(self, overview: Overview) -> None:
        view = overview.build
        automatic = len(view.automatic)
        # A build before the project names the target says nothing about the target.
        can_fix = automatic > 0 and same_release(overview.scan.release, overview.setup.to)
        self._build.setVisible(overview.scan.profile.commands.build is not None)
        self._apply_fixes.setVisible(automatic > 0)
        self._apply_fixes.setText(tr("Apply {fixes}", fixes=count(automatic, "fix", "fixes")))
        self._far.setVisible(bool(view.rounds) and not self.is_narrow)
        self._rounds_button.setVisible(can_fix and not self.is_narrow)
        self._more.setVisible((can_fix or bool(view.rounds)) and self.is_narrow)
        self._hint.setVisible(not self.is_low)
        for made in (self._in_file, self._here):
            made.setToolTip(self._hint.text())

    def _open_more(self) -> None:
        """The buttons that a narrow window has no room for."""
        menu = QMenu(self)
        if not self._rounds_button.isHidden() or (self._overview is not None and self._overview.build.automatic):
            menu.addAction(self._rounds_button.text(), self._on_rounds)
        menu.addSection(tr("Apply automatically"))
        for at in range(self._far.count()):
            chosen = menu.addAction(
                self._far.itemText(at), partial(self.session.choose_confidence, self._far.itemData(at))
            )
            chosen.setCheckable(True)
            chosen.setChecked(at == self._far.currentIndex())
        menu.popup(self._more.mapToGlobal(self._more.rect().bottomLeft()))

    def fill(self, overview: Overview) -> None:
        self._overview = overview
        view = overview.build
        can_build = overview.scan.profile.commands.build is not None
        self._rounds.set_bars(tuple(round_bar(item) for item in view.rounds[-6:]) or (no_round(can_build),))
        nearest = min(range(len(_HOW_FAR)), key=lambda at: abs(_HOW_FAR[at] - view.automatic_from))
        self._far.setCurrentIndex(nearest)
        self._show_top(overview)
        self._build.setText(tr("Build") if not view.rounds else tr("Build again"))
        self._attempts.fill(view)
        self._fill_causes()

    def _fill_causes(self) -> None:
        if self._overview is None:
            return
        view = self._overview.build
        others = sum(item.cause.owner in _NOT_MINE for item in view.causes)
        # Without own errors, the others are shown.
        is_split = 0 < others < len(view.causes)
        self._mine.setVisible(is_split)
        self._mine.setText(
            tr("Only mine, {others} hidden", others=others) if self._mine.isChecked() else tr("Only mine")
        )
        is_mine_only = self._mine.isChecked() and is_split
        shown = [item for item in view.causes if not (is_mine_only and item.cause.owner in _NOT_MINE)]
        most = max((item.cause.count for item in shown), default=1)
        is_checked = self._overview.scan.profile.commands.build is not None
        rows = [silent_row(fix, is_checked, view.broken_files) for fix in view.silent]
        rows += [default_row(open_item, view.pins.get(open_item.key), is_checked) for open_item in view.defaults]
        rows += [cause_row(item, most) for item in shown if not item.put_off]
        if later := [cause_row(item, most) for item in shown if item.put_off]:
            rows += [Row(tr("Not now"), heading=True), *later]
        if view.right:
            rows.append(Row(tr("Right as it is"), heading=True))
            rows += [
                Row(title, tr("nothing is changed"), "", payload=ChosenRow(f"right:{key}")) for key, title in view.right
            ]
        if not view.rounds and view.drift:
            rows.append(Row(tr("Changes that your code uses"), heading=True))
            rows += [drift_row(item) for item in view.drift]
        if view.debts:
            rows.append(Row(tr("Debts: switched off until they are switched on again"), heading=True))
            rows += [
                Row(item.title, f"{item.place} · {item.why}", "debt", payload=ChosenRow(f"debt:{item.entry}"))
                for item in view.debts
            ]
        rows += before_rows(view.before)
        self._causes.set_rows(tuple(rows))
        self._show_cause()

    def go_to(self, item: Item) -> None:
        if not self._causes.select(ChosenRow(item.key)) and item.key.startswith("cause:"):
            # It is hidden, and the user wants to see it.
            self._mine.setChecked(False)
            self._causes.select(ChosenRow(item.key))

    def find_text(self, words: str) -> bool:
        return self._code.find_text(words) or self._causes.find_text(words)

    # -- the detail

    def _current(self) -> tuple[CauseView | None, Fix | None]:
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, ChosenRow):
            return None, None
        for item in self._overview.build.causes:
            if chosen.key == item.key:
                return item, item.fixes[min(self._fix_number, len(item.fixes) - 1)] if item.fixes else None
        view = self._overview.build
        silent = {f"silent:{fix.rule.id}": fix for fix in view.silent}
        return None, silent.get(chosen.key, view.pins.get(chosen.key))

    def _default(self) -> Item | None:
        """The chosen item of calls that pass another default now."""
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, ChosenRow):
            return None
        return next((item for item in self._overview.build.defaults if item.key == chosen.key), None)

    def _notable(self) -> Item | None:
        """The selected item, where it can be accepted as right."""
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, ChosenRow):
            return None
        found = next((item for item in self._overview.build.items if item.key == chosen.key), None)
        return found if found is not None and any(option.id == "noted" for option in found.options) else None

    def _right(self) -> tuple[str, str] | None:
        """Key and title of the selected change that was accepted as right."""
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, ChosenRow):
            return None
        return next((item for item in self._overview.build.right if chosen.key == f"right:{item[0]}"), None)

    def option_buttons(self) -> list[QPushButton]:
        if self.visited == "build:run":
            return [self._build]
        return self._cause_buttons()

    def _cause_buttons(self) -> list[QPushButton]:
        return [self._everywhere, self._in_file, self._here, self._noted, self._plugin_back, self._return, self._later]

    def _on_chosen(self, payload: object) -> None:
        self.visited = ""
        self._show_cause()

    def _show_cause(self) -> None:
        self._fix_number = 0
        cause, _ = self._current()
        fixes = cause.fixes if cause else ()
        self._fixes.clear()
        for number, fix in enumerate(fixes, 1):
            self._fixes.addItem(
                tr(
                    "{number} of {total}   {confidence:.2f}   {name}",
                    number=number,
                    total=len(fixes),
                    confidence=fix.confidence,
                    name=tr_kept(fix.rule.name),
                )
            )
        self._fix_row.setVisible(len(fixes) > 1)
        self._show_fix()

    def _choose_fix(self, number: int) -> None:
        self._fix_number = number
        self._show_fix()

    def _step_fix(self, step: int) -> None:
        if self._fixes.count() > 1:
            self._fixes.setCurrentIndex((self._fixes.currentIndex() + step) % self._fixes.count())
            self._choose_fix(self._fixes.currentIndex())

    def _show_fix(self) -> None:
        cause, fix = self._current()
        self._at = fix.edits[0] if fix and fix.edits else None
        if fix is not None and fix.named:
            self._at = fix.named[0]
        self._draw(cause, fix)

    def _draw(self, cause: CauseView | None, fix: Fix | None) -> None:
        if self._overview is None:
            return
        selection = self._selection(cause, fix)
        self._show_buttons(selection)
        detail = make_detail(self._overview, selection)
        self._card.set_title(detail.title, detail.subtitle)
        self._hint.setText(detail.hint)
        self._code.show_blocks(detail.blocks)

    def _selection(self, cause: CauseView | None, fix: Fix | None) -> Selection:
        chosen = self._causes.current()
        key = chosen.key if isinstance(chosen, ChosenRow) else ""
        return Selection(key, cause, fix, self._default(), self._debt(), self._right(), self._at)

    def _show_buttons(self, selection: Selection) -> None:
        """Show the buttons of the actions that apply to the selection."""
        cause, fix, default = selection.cause, selection.fix, selection.default
        many = len(fix.edits) if fix else 0
        is_settled = cause is not None and cause.is_settled
        self._noted.setVisible(self._notable() is not None)
        self._plugin_back.setVisible(cause is not None and bool(cause.left_out) and not is_settled)
        self._plugin_back.setText(tr("Return {left_out}", left_out=cause.left_out) if cause is not None else "")
        self._everywhere.setVisible(fix is not None)
        words = tr("Everywhere") if self.is_narrow else tr("Apply everywhere")
        self._everywhere.setText(f"{words}  {many}" if many else tr("Remove and generate again"))
        for made in (self._in_file, self._here):
            made.setVisible(many > 1 and default is None)
        is_open = cause is not None and not cause.cause.under and not is_settled
        self._later.setVisible(is_open or selection.accepted is not None)
        is_listed_last = selection.accepted is not None or (cause is not None and cause.put_off)
        self._later.setText(tr("List it again") if is_listed_last else tr("Not now"))
        has_place = cause is not None or fix is not None or default is not None
        self._edit.setVisible(has_place and selection.accepted is None)
        self._switch_off.setVisible(cause is not None and cause.cause.owner == "own" and cause.open > 0)
        self._return.setVisible(selection.debt is not None)

    # -- intents

    def _on_place(self, number: int) -> None:
        """The narrower scopes mean another place from now on."""
        cause, fix = self._current()
        if fix is not None and number < len(fix.edits):
            self._at = fix.edits[number]
            at = self._code.verticalScrollBar().value()
            self._draw(cause, fix)
            self._code.scroll_to(at)

    def _apply(self, scope: FixScope) -> None:
        _, fix = self._current()
        default = self._default()
        if default is not None:
            self.session.choose(default, "pin")
        elif fix is not None:
            self._apply_fix(fix, scope)

    def _apply_fix(self, fix: Fix, scope: FixScope) -> None:
        cause, _ = self._current()
        if scope != "everywhere" and self._at is not None:
            at = self._at
            self.session.carry_out(UseRuleAt(fix.rule.id, scope, at.path, at.line, at.start), tr_kept(fix.rule.name))
        elif cause is not None:
            self._to_next()
            self.session.carry_out(UseRule(cause.cause.key, fix.rule.id), tr_kept(fix.rule.name))
        else:
            self.session.carry_out(UseSilentRule(fix.rule.id, fix.rule.id), tr_kept(fix.rule.name))

    def _on_noted(self) -> None:
        item = self._notable()
        if item is not None:
            self.session.choose(item, "noted")

    def _on_plugin_back(self) -> None:
        cause, _ = self._current()
        if cause is not None and cause.left_out:
            self.session.carry_out(
                ReturnPluginForCause(cause.cause.key, cause.left_out),
                tr("returning {left_out}", left_out=cause.left_out),
            )

    def _debt(self) -> Debt | None:
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, ChosenRow):
            return None
        return next((item for item in self._overview.build.debts if chosen.key == f"debt:{item.entry}"), None)

    def _on_return(self) -> None:
        debt = self._debt()
        if debt is not None:
            self.session.carry_out(SwitchCodeOn(debt.entry), tr("switching on: {title}", title=debt.title))

    def _open_switch_off_menu(self) -> None:
        self._switch_off_menu.popup(self._switch_off.mapToGlobal(self._switch_off.rect().bottomLeft()))

    def _switch_off_part(self, what: CodePart) -> None:
        cause, _ = self._current()
        if cause is not None:
            self.session.carry_out(SwitchCodeOff(cause.cause.key, what), tr("switching off the {what}", what=what))

    def _on_later(self) -> None:
        cause, _ = self._current()
        if (right := self._right()) is not None:
            self.session.withdraw(right[0], tr("listed again: {right}", right=right[1]))
        elif cause is not None and not cause.cause.under:
            key, title = cause.cause.key, cause.cause.title
            if cause.put_off:
                self.session.carry_out(TakeCauseUp(key), tr("listed again: {title}", title=title))
            else:
                self._to_next()
                self.session.carry_out(PutCauseOff(key), tr("put off: {title}", title=title))

    def _to_next(self) -> None:
        """Select the next row, or else the previous one."""
        payloads = [row.payload for row in self._causes.rows() if isinstance(row.payload, ChosenRow)]
        current = self._causes.current()
        at = payloads.index(current) if isinstance(current, ChosenRow) and current in payloads else 0
        others = [*payloads[at + 1 :], *reversed(payloads[:at])]
        if others:
            self._causes.select(others[0])

    def _open(self) -> None:
        cause, _ = self._current()
        if self._at is not None:
            self.editor_wanted.emit(str(self._at.path), self._at.line)
        elif cause is not None:
            place = cause.cause.errors[0].place
            self.editor_wanted.emit(place.file, max(1, place.line))
        elif (default := self._default()) is not None:
            self.editor_wanted.emit(*file_and_line(default.place))

    def _on_build(self) -> None:
        self.session.carry_out(RunBuild(), BUILDING)

    def _on_rounds(self) -> None:
        self.session.build_and_fix()

    def _apply_automatic(self) -> None:
        self.session.apply_confident_fixes()
