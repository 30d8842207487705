"""Build: rounds, causes with what each would clear, and the code with the option drawn in."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from html import escape
from typing import cast, get_args

from PySide6.QtCore import Qt, QUrl
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QTextBrowser,
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
from fernshale.api.building import CodePart, FixScope, default_key
from fernshale.app.pages.base import Page, file_and_line
from fernshale.app.session import Session
from fernshale.app.theme import Tone, code_font, theme
from fernshale.app.widgets.basics import Card, add_in_turn, button, quiet_label
from fernshale.app.widgets.charts import Bar, BarChart
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.quantities import count
from fernshale.core.base.release import same_release
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.build.rounds import Round
from fernshale.core.crossing.deferred.code import Debt
from fernshale.core.crossing.project.interface_changes import Used
from fernshale.core.crossing.record.automation import NEVER
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.build.items import DEFAULT
from fernshale.core.crossing.stages.build.view import CauseView, Fix
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.symbols import Symbol
from fernshale.core.fix.apply import CodeEdit

# Whose errors are not the project's to mend.
_NOT_MINE = ("engine", "elsewhere")
# What may count as sure; the last is more than any option has.
_HOW_FAR = (0.7, 0.8, 0.9, 0.95, NEVER)
# More places than this are listed, not drawn: nobody reads the hundredth.
_MOST_DRAWN = 40


@dataclass(frozen=True, slots=True)
class _Chosen:
    """What the list's rows stand for: a cause by its key, or a silent change by its rule."""

    key: str


class BuildPage(Page):
    stage = Stage.BUILD

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        self._overview: Overview | None = None
        self._way = 0
        self._at: CodeEdit | None = None
        rounds = Card(self, "Errors per round")
        self._build = button(rounds, "Build", self._on_build, main=True, hint="F5")
        self._sure = button(rounds, "Take the sure ones", self._on_sure)
        self._rounds_button = button(
            rounds,
            "Go round by itself",
            self._on_rounds,
            hint="Take what is sure and build again, until nothing sure is left",
        )
        self._far = QComboBox(rounds)
        self._far.setAccessibleName("What counts as sure")
        self._far.setToolTip("From which confidence on a option counts as sure and is taken by itself")
        for value in _HOW_FAR:
            self._far.addItem(f"sure from {value:.2f}" if value <= 1 else "nothing is sure", value)
        self._far.activated.connect(lambda at: self.session.choose_confidence(self._far.itemData(at)))
        rounds.head.addWidget(self._far)
        rounds.head.addWidget(self._rounds_button)
        rounds.head.addWidget(self._sure)
        rounds.head.addWidget(self._build)
        self._rounds = BarChart(rounds, "Errors per round, by owner", 80)
        rounds.body.setContentsMargins(11, 4, 9, 2)
        rounds.body.addWidget(self._rounds)
        self.column.addWidget(rounds)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(14)
        causes = Card(split, "Causes, the most effective first")
        self._mine = QPushButton("Only mine", causes)
        self._mine.setCheckable(True)
        self._mine.setChecked(True)
        self._mine.setToolTip("Leave out what is the engine's or nobody's here")
        self._mine.toggled.connect(lambda on: self._fill_causes())
        causes.head.addWidget(self._mine)
        self._causes = RowList(causes, "Causes", wrap=True)
        self._causes.chosen.connect(self._on_chosen)
        causes.body.addWidget(self._causes)
        self._card = Card(split, " ")
        self._ways = QComboBox(self._card)
        self._ways.setAccessibleName("Options")
        self._ways.setToolTip("Alt+Up and Alt+Down")
        self._ways.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._ways.activated.connect(self._on_way)
        self._way_row = QFrame(self._card)
        ways = QHBoxLayout(self._way_row)
        ways.setContentsMargins(9, 7, 9, 0)
        ways.addWidget(self._ways)
        self._card.body.addWidget(self._way_row)
        self._code = QTextBrowser(self._card)
        self._code.setOpenLinks(False)
        self._code.setFrameShape(QTextBrowser.Shape.NoFrame)
        self._code.setAccessibleName("The code with the option drawn in")
        self._code.anchorClicked.connect(self._on_anchor)
        self._card.body.addWidget(self._code, 1)
        row = QHBoxLayout()
        row.setContentsMargins(11, 7, 9, 8)
        row.setSpacing(6)
        self._everywhere = button(
            self._card, "Apply everywhere", lambda: self._apply("everywhere"), main=True, hint="Ctrl+Enter"
        )
        self._in_file = button(self._card, "In this file", lambda: self._apply("file"))
        self._here = button(self._card, "Only here", lambda: self._apply("here"))
        self._edit = button(self._card, "Open in your editor", self._open, hint="E")
        self._aside = button(
            self._card, "Set aside …", self._on_aside, hint="Get the rest compiled; a debt until it is put back"
        )
        self._aside_menu = QMenu(self._aside)
        for what in get_args(CodePart):
            self._aside_menu.addAction(f"The {what}", partial(self._set_aside, what))
        self._return = button(self._card, "Put back", self._on_return, main=True)
        self._later = button(self._card, "Not now", self._on_later, hint="L")
        self._noted = button(self._card, "It is right as it is", self._on_noted)
        self._plugin_back = button(self._card, "", self._on_plugin_back)
        add_in_turn(row, self._ways_of_cause())
        # Beside the title, so that the row below fits into a narrow window.
        for made in (self._edit, self._aside):
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
            ("Ctrl+Return", lambda: self._apply("everywhere")),
            ("E", self._open),
            ("L", self._on_later),
            ("Alt+Down", lambda: self._step_way(1)),
            ("Alt+Up", lambda: self._step_way(-1)),
        )
        for key, act in keys:
            self.on_key(key, act)
        self.setFocusProxy(self._causes)

    def fill(self, overview: Overview) -> None:
        self._overview = overview
        view = overview.build
        can_build = overview.scan.profile.commands.build is not None
        self._build.setVisible(can_build)
        self._rounds.set_bars(tuple(_bar(item) for item in view.rounds[-6:]) or (_no_round(can_build),))
        sure = len(view.sure)
        self._sure.setVisible(sure > 0)
        self._far.setVisible(bool(view.rounds))
        nearest = min(range(len(_HOW_FAR)), key=lambda at: abs(_HOW_FAR[at] - view.sure_from))
        self._far.setCurrentIndex(nearest)
        # What is built before the project names the target tells nothing of it.
        self._rounds_button.setVisible(sure > 0 and same_release(overview.scan.release, overview.setup.to))
        self._sure.setText(f"Take the {sure} sure ones" if sure != 1 else "Take the sure one")
        self._build.setText("Build" if not view.rounds else "Build again")
        self._fill_causes()

    def _fill_causes(self) -> None:
        if self._overview is None:
            return
        view = self._overview.build
        others = sum(item.cause.owner in _NOT_MINE for item in view.causes)
        # Where nothing of one's own is left, what is left is all there is to look at.
        is_split = 0 < others < len(view.causes)
        self._mine.setVisible(is_split)
        self._mine.setText(f"Only mine, {others} left out" if self._mine.isChecked() else "Only mine")
        is_mine_only = self._mine.isChecked() and is_split
        shown = [item for item in view.causes if not (is_mine_only and item.cause.owner in _NOT_MINE)]
        most = max((item.cause.count for item in shown), default=1)
        is_checked = self._overview.scan.profile.commands.build is not None
        rows = [_silent_row(fix, is_checked) for fix in view.silent]
        rows += [_default_row(open_item, view.pins.get(open_item.key), is_checked) for open_item in view.defaults]
        rows += [_cause_row(item, most) for item in shown if not item.put_off]
        if later := [_cause_row(item, most) for item in shown if item.put_off]:
            rows += [Row("Not now", heading=True), *later]
        if view.right:
            rows.append(Row("Right as it is, you said", heading=True))
            rows += [
                Row(title, "nothing is changed for it", "", payload=_Chosen(f"right:{key}"))
                for key, title in view.right
            ]
        if not view.rounds and view.drift:
            rows.append(Row("What your code uses of what changed", heading=True))
            rows += [_drift_row(item) for item in view.drift]
        if view.debts:
            rows.append(Row("Debts: set aside until they are put back", heading=True))
            rows += [
                Row(item.title, f"{item.place} · {item.why}", "debt", payload=_Chosen(f"debt:{item.entry}"))
                for item in view.debts
            ]
        self._causes.set_rows(tuple(rows))
        self._show_cause()

    def go_to(self, item: Item) -> None:
        if not self._causes.select(_Chosen(item.key)) and item.key.startswith("cause:"):
            # It is among those that are left out, and who goes there wants to see it.
            self._mine.setChecked(False)
            self._causes.select(_Chosen(item.key))

    def find_text(self, words: str) -> bool:
        return self._code.find(words) or self._causes.find_text(words)

    # -- the detail

    def _current(self) -> tuple[CauseView | None, Fix | None]:
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, _Chosen):
            return None, None
        for item in self._overview.build.causes:
            if chosen.key == f"cause:{item.cause.key}":
                return item, item.fixes[min(self._way, len(item.fixes) - 1)] if item.fixes else None
        view = self._overview.build
        silent = {f"silent:{fix.rule.id}": fix for fix in view.silent}
        return None, silent.get(chosen.key, view.pins.get(chosen.key))

    def _default(self) -> Item | None:
        """The chosen item of calls that pass another default now."""
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, _Chosen):
            return None
        return next((item for item in self._overview.build.defaults if item.key == chosen.key), None)

    def _notable(self) -> Item | None:
        """The chosen item, where it may be right as it is."""
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, _Chosen):
            return None
        found = next((item for item in self._overview.build.items if item.key == chosen.key), None)
        return found if found is not None and any(way.id == "noted" for way in found.options) else None

    def _right(self) -> tuple[str, str] | None:
        """Key and title of the chosen change that was said to be right as it is."""
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, _Chosen):
            return None
        return next((item for item in self._overview.build.right if chosen.key == f"right:{item[0]}"), None)

    def ways(self) -> list[QPushButton]:
        if self.visited == "build:run":
            return [self._build]
        return self._ways_of_cause()

    def _ways_of_cause(self) -> list[QPushButton]:
        return [self._everywhere, self._in_file, self._here, self._noted, self._plugin_back, self._return, self._later]

    def _on_chosen(self, payload: object) -> None:
        self.visited = ""
        self._show_cause()

    def _show_cause(self) -> None:
        self._way = 0
        cause, _ = self._current()
        fixes = cause.fixes if cause else ()
        self._ways.clear()
        for number, fix in enumerate(fixes, 1):
            self._ways.addItem(f"{number} of {len(fixes)}   {fix.confidence:.2f}   {fix.rule.name}")
        self._way_row.setVisible(len(fixes) > 1)
        self._show_way()

    def _on_way(self, number: int) -> None:
        self._way = number
        self._show_way()

    def _step_way(self, step: int) -> None:
        if self._ways.count() > 1:
            self._ways.setCurrentIndex((self._ways.currentIndex() + step) % self._ways.count())
            self._on_way(self._ways.currentIndex())

    def _show_way(self) -> None:
        cause, fix = self._current()
        self._at = fix.edits[0] if fix and fix.edits else None
        if fix is not None and fix.named:
            self._at = fix.named[0]
        self._draw(cause, fix)

    def _draw(self, cause: CauseView | None, fix: Fix | None) -> None:
        many = len(fix.edits) if fix else 0
        default = self._default()
        is_settled = cause is not None and cause.is_settled
        self._noted.setVisible(self._notable() is not None)
        self._plugin_back.setVisible(cause is not None and bool(cause.aside) and not is_settled)
        self._plugin_back.setText(f"Bring {cause.aside} back" if cause is not None else "")
        self._everywhere.setVisible(fix is not None)
        self._everywhere.setText(f"Apply everywhere  {many}" if many else "Remove and make anew")
        for made in (self._in_file, self._here):
            made.setVisible(many > 1 and default is None)
        self._later.setVisible(cause is not None and not cause.cause.under and not is_settled)
        right = self._right()
        if right is not None:
            self._later.setVisible(True)
            self._edit.setVisible(False)
        self._later.setText("Take it up" if right is not None or (cause is not None and cause.put_off) else "Not now")
        self._edit.setVisible(cause is not None or fix is not None or default is not None)
        self._aside.setVisible(cause is not None and cause.cause.owner == "own" and cause.open > 0)
        debt = self._debt()
        self._return.setVisible(debt is not None)
        if debt is not None:
            self._card.set_title(debt.title, debt.place)
            path, line = file_and_line(debt.place)
            words = (
                f"<p style='margin:8px'>{escape(debt.why)}</p><p style='margin:8px'>A debt until it is put back.</p>"
            )
            code = f"<pre>{escape(self._line(path, line))}</pre>"
            self._code.setHtml(f"{self._style()}{words}{code}")
            self._hint.setText("")
            return
        self._hint.setText("")
        if right is not None:
            self._card.set_title(right[1], "right as it is")
            words = "You said that it is right as it is, so nothing is changed for it and nothing asks about it."
            self._code.setHtml(f"{self._style()}<p style='margin:8px'>{words}</p>")
            return
        change = self._change(cause)
        if default is not None and fix is None:
            self._card.set_title(_what_default(default), default.place)
            words = f"<p style='margin:8px'>{escape(default.detail)}</p>" if default.detail else ""
            self._code.setHtml(f"{self._style()}{words}{self._error(*file_and_line(default.place), default.title)}")
            return
        if cause is None and fix is None and change is not None:
            self._card.set_title(change.symbol.full, change.kind)
            self._code.setHtml(
                f"{self._style()}<p style='margin:8px'>{escape(change.what)}</p>{self._declarations(change, None)}"
            )
            return
        if cause is None and fix is None:
            passed = self._overview is not None and self._overview.build.passed
            self._card.set_title("It compiles and links" if passed else "Nothing to look at yet", "")
            self._code.setHtml("")
            return
        title = fix.rule.name if fix else cause.cause.title if cause else ""
        places = (
            f"{count(many, 'place')} in {count(len(fix.files), 'file')}"
            if fix
            else "changed since; the next build tells"
            if is_settled
            else "no option"
        )
        if fix is None and not is_settled:
            self._hint.setText("Change one place in your editor, and the same is offered for the others.")
        self._card.set_title(title, places)
        if many > 1:
            self._hint.setText("▸ marks the place that “in this file” and “only here” mean; click another to move it.")
        self._code.setHtml(self._page(cause, fix))

    def _change(self, cause: CauseView | None) -> ApiChange | None:
        """What changed in the engine that the chosen row is about."""
        if self._overview is None:
            return None
        if cause is not None:
            return self._overview.build.change_of(cause.cause)
        chosen = self._causes.current()
        key = chosen.key if isinstance(chosen, _Chosen) else ""
        drift = self._overview.build.drift
        return next((item.change for item in drift if key in (_drift_key(item), default_key(item.change))), None)

    def _declarations(self, change: ApiChange, fix: Fix | None) -> str:
        """The declaration in the old release over the one in the new, where comparing the two found both."""
        now = change.new
        if fix is not None and fix.rule.new:
            named = (
                item.symbol
                for item in change.candidates
                if item.symbol.name == fix.rule.new.split("::")[-1].split(".")[-1]
            )
            now = next(named, now)
        colours = theme()
        parts = [
            f"<span style='color:{tone}'><b>{glyph}</b> {escape(_declared(symbol))}</span>"
            f"   <span style='color:{colours.quiet}'>{escape(symbol.file)}:{symbol.line}</span>"
            for symbol, glyph, tone in ((change.old, "−", colours.base), (now, "+", colours.incoming))
            if symbol is not None
        ]
        return f"<pre>{chr(10).join(parts)}</pre>" if parts else ""

    @staticmethod
    def _style() -> str:
        font = code_font()
        family = escape(font.family())
        code = f"font-family: '{family}'; font-size: {font.pixelSize()}px; margin: 0 0 12px 8px; white-space: pre-wrap;"
        return f"<style>pre {{ {code} }} a {{ color: {theme().base}; text-decoration: none; }}</style>"

    def _page(self, cause: CauseView | None, fix: Fix | None) -> str:
        colours = theme()
        parts = [self._style()]
        if fix is not None:
            sure = f"<b style='color:{colours.mine}'>{fix.confidence:.2f}</b>"
            parts.append(f"<p style='margin:8px'>{sure} &nbsp; {escape(' · '.join(fix.evidence))}</p>")
        if (change := self._change(cause)) is not None:
            parts.append(self._declarations(change, fix))
        if fix is not None and fix.rule.silent and cause is None:
            words = "The compiler says nothing about this: it compiles, and means something else now."
            parts.append(f"<p style='margin:8px; color:{colours.incoming}'><b>!</b> &nbsp; {words}</p>")
        if cause is not None and cause.aside:
            words = f"{escape(cause.aside)} had it, and is set aside. Bring it back, or set aside what uses it."
            parts.append(f"<p style='margin:8px'>{words}</p>")
        if cause is not None and not (fix and fix.edits):
            parts += [
                self._error(error.place.file, error.place.line, error.diagnostic.message)
                for error in cause.cause.errors[:_MOST_DRAWN]
            ]
        if fix is not None:
            messages = {(e.place.file, e.place.line): e.diagnostic.message for e in cause.cause.errors} if cause else {}
            parts += [
                self._place(number, edit, messages, edit in fix.named)
                for number, edit in enumerate(fix.edits[:_MOST_DRAWN])
            ]
            if len(fix.edits) > _MOST_DRAWN:
                parts.append(f"<p style='margin:8px'>and {len(fix.edits) - _MOST_DRAWN} more places</p>")
            parts += [f"<p style='margin:8px'>removed: {escape(printable(path))}</p>" for path in fix.removes]
        return "".join(parts)

    def _error(self, file: str, line: int, message: str) -> str:
        colours = theme()
        place = (
            f"{escape(printable(file))} : {line}"
            if line
            else f"{escape(printable(file))}, a line that was changed since"
        )
        head = f"<p style='margin:8px 8px 2px 8px'><a href='edit:{escape(file)}:{line}'>{place}</a></p>"
        code = escape(self._line(file, line)) + "\n" if line else ""
        return f"{head}<pre>{code}<span style='color:{colours.alarm}'>▴ {escape(message)}</span></pre>"

    def _place(self, number: int, edit: CodeEdit, messages: dict[tuple[str, int], str], named: bool) -> str:
        colours = theme()
        here = "▸ " if edit == self._at else ""
        quiet = (
            "" if named or not messages else f" <span style='color:{colours.quiet}'>not named by the compiler</span>"
        )
        place = f"{escape(printable(edit.path))} : {edit.line}"
        head = f"<p style='margin:8px 8px 2px 8px'><a href='place:{number}'><b>{here}</b>{place}</a>{quiet}</p>"
        text = self._overview.scan.read(edit.path) if self._overview else None
        if text is None:
            return head
        start = text.rfind("\n", 0, edit.start) + 1
        end = text.find("\n", max(edit.end, edit.start))
        end = len(text) if end < 0 else end
        before, after = text[start : edit.start], text[edit.end : end] if edit.end <= end else ""
        old = f"<s style='color:{colours.alarm}'>{escape(edit.old.rstrip(chr(10)))}</s>" if edit.old.strip() else ""
        new = f"<b style='color:{colours.mine}'>{escape(edit.new.rstrip(chr(10)))}</b>"
        tail = "\n" if edit.new.endswith("\n") and after.strip() else ""
        said = messages.get((edit.path, edit.line), "")
        caret = f"\n<span style='color:{colours.alarm}'>▴ {escape(said)}</span>" if said else ""
        return f"{head}<pre>{escape(before)}{old}{new}{tail}{escape(after)}{caret}</pre>"

    def _line(self, file: str, line: int) -> str:
        text = (
            self._overview.scan.read(TreePath(file)) if self._overview and file and not file.startswith("/") else None
        )
        lines = text.split("\n") if text else []
        return lines[line - 1] if 0 < line <= len(lines) else ""

    # -- intents

    def _on_anchor(self, url: QUrl) -> None:
        kind, _, rest = url.toString().partition(":")
        cause, fix = self._current()
        if kind == "edit":
            path, line = file_and_line(rest)
            self.editor_wanted.emit(path, line)
        elif kind == "place" and fix is not None and rest.isdigit():
            self._at = fix.edits[int(rest)]
            at = self._code.verticalScrollBar().value()
            self._draw(cause, fix)
            self._code.verticalScrollBar().setValue(at)

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
            self.session.carry_out(UseRuleAt(fix.rule.id, scope, at.path, at.line, at.start), fix.rule.name)
        elif cause is not None:
            self.session.carry_out(UseRule(cause.cause.key, fix.rule.id), fix.rule.name)
        else:
            self.session.carry_out(UseSilentRule(fix.rule.id, fix.rule.id), fix.rule.name)

    def _on_noted(self) -> None:
        item = self._notable()
        if item is not None:
            self.session.choose(item, "noted")

    def _on_plugin_back(self) -> None:
        cause, _ = self._current()
        if cause is not None and cause.aside:
            self.session.carry_out(ReturnPluginForCause(cause.cause.key, cause.aside), f"bringing {cause.aside} back")

    def _debt(self) -> Debt | None:
        chosen = self._causes.current()
        if self._overview is None or not isinstance(chosen, _Chosen):
            return None
        return next((item for item in self._overview.build.debts if chosen.key == f"debt:{item.entry}"), None)

    def _on_return(self) -> None:
        debt = self._debt()
        if debt is not None:
            self.session.carry_out(SwitchCodeOn(debt.entry), f"putting back {debt.title}")

    def _on_aside(self) -> None:
        self._aside_menu.popup(self._aside.mapToGlobal(self._aside.rect().bottomLeft()))

    def _set_aside(self, what: CodePart) -> None:
        cause, _ = self._current()
        if cause is not None:
            self.session.carry_out(SwitchCodeOff(cause.cause.key, what), f"setting the {what} aside")

    def _on_later(self) -> None:
        cause, _ = self._current()
        if (right := self._right()) is not None:
            self.session.withdraw(right[0], f"taken up again: {right[1]}")
        elif cause is not None and not cause.cause.under:
            key, title = cause.cause.key, cause.cause.title
            if cause.put_off:
                self.session.carry_out(TakeCauseUp(key), f"taken up again: {title}")
            else:
                self._to_next()
                self.session.carry_out(PutCauseOff(key), f"put off: {title}")

    def _to_next(self) -> None:
        """To the row below, or else above, that stands for something."""
        payloads = [row.payload for row in self._causes.rows() if isinstance(row.payload, _Chosen)]
        current = self._causes.current()
        at = payloads.index(current) if isinstance(current, _Chosen) and current in payloads else 0
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
        self.session.carry_out(RunBuild(), "building")

    def _on_rounds(self) -> None:
        self.session.build_and_fix()

    def _on_sure(self) -> None:
        self.session.apply_confident_fixes()


def _bar(item: Round) -> Bar:
    groups = {"own code": 0, "plugins": 0, "generated, linker": 0, "engine": 0}
    for owner, amount in item.errors.items():
        word = "own code" if owner == "own" else "plugins" if owner.startswith("plugin") else owner
        groups[word if word in groups else "generated, linker"] += amount
    tones: dict[str, Tone] = {"own code": "mine", "plugins": "incoming", "generated, linker": "base", "engine": "alarm"}
    right = f"{item.total} · {item.elapsed_s:.0f} s" if item.total else f"compiles · {item.elapsed_s:.0f} s"
    return Bar(f"round {item.number}", tuple((tones[word], amount, word) for word, amount in groups.items()), right)


def _no_round(can_build: bool) -> Bar:
    return Bar("no round", (), "nothing was built yet" if can_build else "the profile has no command for it")


def _cause_row(item: CauseView, most: int) -> Row:
    cause = item.cause
    fix = item.fixes[0] if item.fixes else None
    told = [cause.kind, count(len(cause.files), "file"), cause.owner]
    if cause.under:
        told = ["follows from the one above"]
    elif item.state in ("still there", "came back"):
        told.append(item.state)
    if item.is_settled:
        sub = "changed since; the next build tells"
    elif fix is None:
        sub = " · ".join(told if cause.under else [*told, "no option"])
    else:
        sub = " · ".join([*told, "sure" if fix.is_sure else "perhaps"])
    right = f"clears {fix.clears}" if fix else str(item.open) if item.open else ""
    title = f"   {cause.title}" if cause.under else cause.title
    return Row(
        title,
        sub,
        right,
        "",
        "alarm",
        bar=item.open / most,
        payload=_Chosen(f"cause:{cause.key}"),
        faded=item.is_settled,
    )


def _silent_row(fix: Fix, is_checked: bool) -> Row:
    wrong = "compiles and is wrong" if is_checked else "nothing here tells of it"
    sub = f"{wrong} · {count(len(fix.edits), 'place')}"
    return Row(fix.rule.name, sub, "silent", "!", "incoming", edge="incoming", payload=_Chosen(f"silent:{fix.rule.id}"))


def _what_default(item: Item) -> str:
    return item.key.removeprefix(DEFAULT)


def _default_row(item: Item, pin: Fix | None, is_checked: bool) -> Row:
    told = "compiles, and may mean something else" if is_checked else "nothing here tells of it"
    sub = told + (f" · {count(len(pin.edits), 'place')}" if pin else "")
    return Row(_what_default(item), sub, "silent", "!", "incoming", edge="incoming", payload=_Chosen(item.key))


def _drift_key(item: Used) -> str:
    return f"drift:{item.change.kind}:{item.change.symbol.full}"


def _drift_row(item: Used) -> Row:
    change = item.change
    glyph, tone = ("!", "incoming") if change.is_silent else ("", "plain")
    sub = change.kind + (" · compiles and means something else" if change.is_silent else "")
    uses = count(item.uses, "use")
    return Row(_drift_title(change), sub, uses, glyph, cast(Tone, tone), payload=_Chosen(_drift_key(item)))


def _drift_title(change: ApiChange) -> str:
    """A change in a few words, without the scopes that all have in common."""
    old, new = change.old, change.new
    if old is not None and new is not None and change.kind in ("renamed", "moved"):
        shared = next((at for at, (a, b) in enumerate(zip(old.scope, new.scope, strict=False)) if a != b), None)
        if shared is None and old.scope == new.scope:
            return f"{old.name} → {new.name}" if old.name != new.name else f"{old.name} stands in {new.file}"
        return f"{'::'.join(old.path[shared:])} → {'::'.join(new.path[shared:])}"
    near = ".".join(change.symbol.path[-2:])
    if change.kind == "reordered":
        return f"{near.removesuffix('.__init__')} takes its arguments at other places"
    if change.kind == "signature" and old is not None and new is not None and old.is_callable == new.is_callable:
        if not old.is_callable:
            return f"{near} is another type"
        return f"{near} gives another type" if old.parameters == new.parameters else f"{near} takes other arguments"
    return change.what if len(change.what) < 60 else f"{near}: {change.kind}"


def _declared(symbol: Symbol) -> str:
    """A declaration as people read it in any language: kind, name, signature."""
    end = symbol.signature if symbol.is_callable else f": {symbol.signature}" if symbol.signature else ""
    return f"{symbol.kind} {symbol.full}{end}"
