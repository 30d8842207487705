"""Links: missing references with their replacement, data to rewrite, constraints that are not met."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QSplitter, QWidget

from fernshale.api.actions import Choose, MeetConstraint, RewriteData
from fernshale.api.changes import unified_diff
from fernshale.api.links import (
    LinkIndex,
    constraint_of,
    declaration,
    is_binary_asset,
    link_key,
    preview_data,
    preview_mending,
    preview_relink,
    relink,
    unread_assets,
)
from fernshale.api.links import constraint_key as key_of
from fernshale.app.dialogs.questions import ask_why
from fernshale.app.pages.base import Page
from fernshale.app.session import Session
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card, button, quiet_label
from fernshale.app.widgets.dependency_chart import HangingChart, Thread
from fernshale.app.widgets.diff_lines import diff_lines
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.text_document import AnnotatedText, LineRow
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import and_list, count, tr
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.links.actions import ReadAssets, Relink
from fernshale.core.crossing.stages.links.data_rules import DataRewrite
from fernshale.core.crossing.stages.links.items import TOGETHER
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.links.constraints import UnmetConstraint
from fernshale.core.links.missing_references import MissingReference
from fernshale.core.links.renamed_targets import AUTOMATIC_SCORE

# The key of the item about binary assets that were not read yet.
_ASSETS = "assets:unread"
_TOGETHER = f"links:{TOGETHER}"
# Rows without an action; a row without a payload would be a heading.
_NO_ACTION = ("settled",)
_AROUND = 7


class LinksPage(Page):
    stage = Stage.LINKS
    picture_title = tr("Missing")

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        self._overview: Overview | None = None
        self.picture = self._chart = HangingChart(
            self, tr("Missing references and what uses them"), tr("missing"), tr("used by")
        )
        self._chart.chosen.connect(self._go)
        self.column.addWidget(self._chart)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(14)
        left = Card(split, tr("To resolve"))
        self._list = RowList(left, tr("To resolve"), wrap=True)
        self._list.chosen.connect(self._show)
        left.body.addWidget(self._list, 1)
        right = self.detail = QSplitter(Qt.Orientation.Vertical, split)
        right.setHandleWidth(10)
        self._sides = QSplitter(Qt.Orientation.Horizontal, right)
        self._sides.setHandleWidth(10)
        self._was_card = Card(self._sides, tr("Before"))
        self._was = AnnotatedText(self._was_card, tr("Before"), has_words=False)
        self._was_card.body.addWidget(self._was)
        self._is_card = Card(self._sides, tr("After"))
        self._is = AnnotatedText(self._is_card, tr("After"), has_words=False)
        self._is_card.body.addWidget(self._is)
        self._card = Card(right, tr("What will be written"))
        row = QHBoxLayout()
        row.setContentsMargins(11, 7, 9, 5)
        row.setSpacing(6)
        self._candidates = QComboBox(self._card)
        self._candidates.setAccessibleName(tr("Options"))
        self._candidates.currentIndexChanged.connect(self._show_candidate)
        row.addWidget(self._candidates, 1)
        self._apply = button(self._card, tr("Relink"), self._on_apply, main=True)
        self._leave = button(
            self._card, tr("Leave it as it is…"), self._on_leave, hint=tr("Asks for a reason, which is kept and listed")
        )
        row.addWidget(self._apply)
        row.addWidget(self._leave)
        self._card.body.addLayout(row)
        self._message = quiet_label(self._card, "")
        self._message.setContentsMargins(11, 0, 9, 5)
        self._card.body.addWidget(self._message)
        self._text = AnnotatedText(self._card, tr("What will be written"))
        self._card.body.addWidget(self._text, 1)
        right.setSizes([170, 300])
        split.setSizes([360, 620])
        split.setStretchFactor(1, 1)
        self.column.addWidget(split, 1)
        self.setFocusProxy(self._list)

    def fill(self, overview: Overview) -> None:
        self._overview = overview
        view = overview.links
        self._chart.set_threads(tuple(_thread(item) for item in view.missing))
        rows = [row for item in view.missing if (row := _missing_row(item))]
        if any(open_item.key == _TOGETHER for open_item in view.items):
            uses = sum(len(item.uses) for item in view.automatic)
            words = tr("{links} with a high-confidence replacement", links=count(len(view.automatic), "link"))
            rows.insert(
                0, Row(words, tr("relinked together, as one step"), count(uses, "use"), "●", "mine", payload=_TOGETHER)
            )
        if (unread := next((each for each in view.items if each.key == _ASSETS), None)) is not None:
            rows.insert(0, Row(unread.title, unread.detail, "", "○", "base", payload=_ASSETS))
        rows += [_doubled_row(id, view.index) for id in view.doubled]
        rows += [_work_row(item) for item in view.data_scan.work]
        seen: dict[str, list[UnmetConstraint]] = {}
        for unmet in view.data_scan.unmet:
            seen.setdefault(key_of(unmet), []).append(unmet)
        rows += [_unmet_row(key, items) for key, items in seen.items()]
        rows += [
            Row(
                item.id,
                tr("missing, left as it is by your decision"),
                count(len(item.uses), "use"),
                "–",
                "quiet",
                payload=_NO_ACTION,
            )
            for item in view.left
        ]
        rows += [
            Row(
                item.expect.title,
                tr("{file}: left as it is, {why}", file=item.file, why=why or tr("without a reason")),
                "",
                "–",
                "quiet",
                payload=_NO_ACTION,
            )
            for item, why in view.data_scan.ignored
        ]
        rows += [
            Row(
                item.id,
                tr("missing before the crossing began"),
                count(len(item.uses), "use"),
                "–",
                "quiet",
                payload=_NO_ACTION,
            )
            for item in view.before
        ]
        rows += [
            Row(tr("A file could not be scanned"), words, "", "◆", "alarm", payload=_NO_ACTION)
            for words in view.data_scan.troubles
        ]
        self._list.set_rows(tuple(rows) or (_nothing_row(view.index),))
        self._show(self._list.current())

    def go_to(self, item: Item) -> None:
        self._go(item.key)

    def find_text(self, words: str) -> bool:
        return self._list.find_text(words)

    def _go(self, key: object) -> None:
        self._list.select(key)

    # -- the selection

    def _item(self) -> MissingReference | None:
        view = self._overview.links if self._overview else None
        return next((item for item in view.missing if link_key(item) == self._list.current()), None) if view else None

    def _work(self) -> DataRewrite | None:
        view = self._overview.links if self._overview else None
        return (
            next((item for item in view.data_scan.work if f"data:{item.rule.id}" == self._list.current()), None)
            if view
            else None
        )

    def _unmet(self) -> list[UnmetConstraint]:
        view = self._overview.links if self._overview else None
        return [item for item in view.data_scan.unmet if key_of(item) == self._list.current()] if view else []

    def _show(self, payload: object) -> None:
        candidates = self._find_candidates()
        self._candidates.blockSignals(True)
        self._candidates.clear()
        for id, words in candidates:
            self._candidates.addItem(words, id)
        self._candidates.blockSignals(False)
        self._candidates.setVisible(bool(candidates))
        self._apply.setVisible(bool(candidates))
        self._leave.setVisible(isinstance(payload, str) and payload not in (_TOGETHER, _ASSETS))
        self._show_candidate()

    def option_buttons(self) -> list[QPushButton]:
        return [self._apply, self._leave]

    def _find_candidates(self) -> list[tuple[str, str]]:
        item, work = self._item(), self._work()
        if self._list.current() == _TOGETHER:
            return [("sure", tr("Relink them all"))]
        if item is not None:
            split = [choice for choice in item.candidates if choice.slots]
            candidates = (
                [
                    (
                        "split",
                        and_list(
                            tr("{id} for {slots}", id=choice.id, slots=", ".join(choice.slots)) for choice in split
                        ),
                    )
                ]
                if split
                else []
            )
            return candidates + [
                (choice.id, f"{_glyph(choice.score)} {choice.score:.2f}  {choice.id}") for choice in item.candidates
            ]
        if work is not None:
            candidates = [("all", tr("All {objects}", objects=count(work.total, "object")))]
            for path, found in work.objects.items():
                candidates += [
                    (
                        tr("one {path}#{number}", path=path, number=each.found.number),
                        tr("only {name}, {path}:{line}", name=each.found.name, path=path, line=each.found.line),
                    )
                    for each in found
                ]
            return candidates[:400]
        return [(choice.id, _with_confidence(choice)) for choice in self._options() if choice.id]

    def _options(self) -> tuple[Option, ...]:
        """The options of the item of the selected row."""
        items = self._overview.links.items if self._overview is not None else ()
        return next((item.options for item in items if item.key == self._list.current()), ())

    def _show_candidate(self) -> None:
        item, work, unmet, choice = self._item(), self._work(), self._unmet(), self._candidates.currentData()
        self._sides.setVisible(item is not None)
        self._message.setText("")
        if self._overview is None or not isinstance(choice, str):
            key = self._list.current()
            words = tr("select an item on the left") if key and key != _NO_ACTION else tr("nothing is open")
            if unmet or str(key).startswith(("doubled:", "links:", "file:")):
                words = tr("no option is known; change it by hand or leave it")
            self._text.show_lines((LineRow("", "plain", "", words),))
            self._card.set_title(tr("What will be written"))
            return
        scan, view = self._overview.scan, self._overview.links
        if self._list.current() == _ASSETS:
            self._show_assets()
            return
        if item is not None:
            self._show_sides(item, choice)
        if self._list.current() == _TOGETHER:
            chosen = [(each, candidate) for each in view.automatic for candidate in each.automatic]
            self._write(lambda: preview_relink(scan, view.index, chosen), tr("Relink them all"), "")
        elif item is not None:
            candidates = [each for each in item.candidates if each.slots] if choice == "split" else []
            picked = candidates or [each for each in item.candidates if each.id == choice]
            told = "; ".join(picked[0].evidence) if picked else ""
            self._write(lambda: preview_relink(scan, view.index, [(item, each) for each in picked]), tr("Relink"), told)
        elif work is not None:
            objects = dict(work.objects)
            if choice.startswith("one "):
                path, _, number = choice.removeprefix("one ").rpartition("#")
                objects = {each: found for each, found in objects.items() if each == path}
                objects = {
                    each: tuple(one for one in found if str(one.found.number) == number)
                    for each, found in objects.items()
                }
            self._write(lambda: preview_data(scan, objects), tr("Rewrite"), f"{work.rule.why}  ({work.source})")
        else:
            evidence = next((each.evidence for each in self._options() if each.id == choice), ())
            told = "; ".join(dict.fromkeys(part for part in (*evidence, unmet[0].expect.why) if part))
            verb = {"drop": tr("Remove it"), "set": tr("Set it")}.get(choice.partition(" ")[0], tr("Put it in"))
            self._write(lambda: preview_mending(scan, unmet, choice), verb, told)

    def _show_assets(self) -> None:
        """The command that reads the assets, and which they are."""
        assert self._overview is not None
        scan = self._overview.scan
        commands = [LineRow(tr("runs"), "base", "", " ".join(item.print)) for item in scan.profile.binary]
        files = [LineRow("", "quiet", "", path) for path in unread_assets(scan)]
        self._text.show_lines((*commands, *files))
        self._card.set_title(tr("What will be read"), tr("on copies; nothing is written"))
        self._apply.setText(tr("Read them"))

    def _write(self, make: Callable[[], ChangeSet], verb: str, why: str) -> None:
        """The change as a diff, and its size in the head of the card."""
        assert self._overview is not None
        project = self._overview.setup.project
        try:
            changes = make()
        except FernshaleError as error:
            self._text.show_lines((LineRow("", "alarm", "", error.message, "alarm"),))
            self._apply.setVisible(False)
            return
        by_engine = self._binary_uses()
        told = [
            LineRow("", "base", "", tr("{path}: a command of the engine writes its ids", path=path), "base")
            for path in by_engine
        ]
        diff = diff_lines(unified_diff(changes, lambda change: (project / change.path).read_bytes()))
        self._text.show_lines((*diff, *told))
        self._card.set_title(
            tr("What will be written"), tr("in {files}", files=count(len(changes.files) + len(told), "file"))
        )
        self._apply.setText(verb)
        self._message.setText(why)

    def _binary_uses(self) -> list[str]:
        """The binary assets that use the ids about to be relinked."""
        item = self._item()
        assert self._overview is not None
        items = (
            self._overview.links.automatic if self._list.current() == _TOGETHER else [item] if item is not None else []
        )
        uses = {use.file for each in items for use in each.uses}
        return sorted(path for path in uses if is_binary_asset(self._overview.scan, path))

    def _show_sides(self, item: MissingReference, choice: str) -> None:
        assert self._overview is not None
        linkage = self._overview.links.linkage
        split = [each.id for each in item.candidates if each.slots]
        goal = split[0] if choice == "split" and split else choice
        for card, document, side, id, words in (
            (self._was_card, self._was, linkage.before, item.id, tr("Before")),
            (self._is_card, self._is, linkage.now, goal, tr("After")),
        ):
            path, text, line = declaration(side, item, id)
            card.set_title(words, path.rpartition("/")[2])
            card.note.setToolTip(path)
            document.show_lines(
                _excerpt(text, line)
                if text
                else (LineRow("", "plain", "", (path and tr("no text")) or tr("nothing declared it")),),
                path if text else "",
            )

    def _on_apply(self) -> None:
        key, choice = self._list.current(), self._candidates.currentData()
        if isinstance(key, str) and isinstance(choice, str):
            self._carry_out(choice)

    def _carry_out(self, choice: str) -> None:
        item, work, unmet = self._item(), self._work(), self._unmet()
        if self._list.current() == _ASSETS:
            self.session.carry_out(ReadAssets(), tr("reading binary assets"))
        elif self._list.current() == _TOGETHER:
            self.session.carry_out(Relink(TOGETHER, choice), self._apply.text())
        elif item is not None:
            self.session.carry_out(relink(item, choice), self._apply.text())
        elif work is not None:
            self.session.carry_out(RewriteData(work.rule.id, choice), self._apply.text())
        elif unmet:
            self.session.carry_out(MeetConstraint(constraint_of(unmet[0]), choice), self._apply.text())

    def _on_leave(self) -> None:
        key = self._list.current()
        if isinstance(key, str):
            why = ask_why(self, tr("Leave it as it is"))
            if why is not None:
                self.session.carry_out(Choose(key, ""), tr("leaving it so"), why)


def _nothing_row(index: LinkIndex) -> Row:
    """The checks that were made, if no item is open."""
    if not index.rules.all:
        return Row(
            tr("The profile does not describe links"), tr("so none are checked"), "", "·", "quiet", payload=_NO_ACTION
        )
    words = tr(
        "{ids} used in {files}; each leads somewhere",
        ids=count(len(index.ids_used()), "id"),
        files=count(len(index.files), "file"),
    )
    return Row(tr("No missing references"), words, "", "●", "mine", payload=_NO_ACTION)


def _thread(item: MissingReference) -> Thread:
    kinds = Counter(_kind(use.file) for use in item.uses)
    tone: Tone = "mine" if item.automatic else "alarm"
    return Thread(item.id, tone, "●" if item.automatic else "◆", tuple(kinds.most_common()), link_key(item))


def _kind(path: str) -> str:
    """A kind of files: their folder and ending."""
    folder, _, name = path.rpartition("/")
    ending = name.rpartition(".")[2] if "." in name else name
    return f"{folder or '.'}/*.{ending}"


def _with_confidence(option: Option) -> str:
    if option.confidence is None:
        return option.title
    return f"{_glyph(option.confidence)} {option.confidence:.2f}  {option.title}"


def _glyph(score: float) -> str:
    return "●" if score >= AUTOMATIC_SCORE else "○"


def _missing_row(item: MissingReference) -> Row:
    automatic = bool(item.automatic)
    if automatic:
        words = tr("became ") + and_list(choice.id for choice in item.automatic)
    elif item.candidates:
        words = tr("may be {id}, {score:.0%} likely", id=item.candidates[0].id, score=item.candidates[0].score)
    else:
        words = tr("nothing is known that it could be")
    what = tr("a file that is missing") if item.is_file else tr("was declared in {was}", was=item.was)
    return Row(
        item.id,
        f"{words}; {what}",
        count(len(item.uses), "use"),
        "●" if automatic else "◆",
        "mine" if automatic else "alarm",
        payload=link_key(item),
    )


def _doubled_row(id: str, index: LinkIndex) -> Row:
    places = [f"{use.file}:{use.line}" for use in index.declarations(id)]
    return Row(
        id,
        tr("declared {number} times: {places}", number=len(places), places=", ".join(places)),
        "",
        "◆",
        "alarm",
        payload=f"doubled:{id}",
    )


def _work_row(work: DataRewrite) -> Row:
    automatic = work.rule.confidence >= AUTOMATIC_SCORE
    words = tr("{why}; in {files}", why=work.rule.why, files=count(len(work.objects), "file"))
    return Row(
        work.rule.name,
        words,
        count(work.total, "object"),
        "●" if automatic else "◆",
        "mine" if automatic else "alarm",
        payload=f"data:{work.rule.id}",
    )


def _unmet_row(key: str, items: list[UnmetConstraint]) -> Row:
    first = items[0]
    where = first.file if len(items) == 1 else count(len(items), "file")
    mends = first.can_mend
    return Row(
        first.expect.title,
        "; ".join(
            part for part in (tr("{fault} in {where}", fault=first.fault, where=where), first.expect.why) if part
        ),
        "",
        "●" if mends else "◆",
        "mine" if mends else "alarm",
        payload=key,
    )


def _excerpt(text: str, line: int) -> tuple[LineRow, ...]:
    lines = text.splitlines()
    first = max(0, line - 1 - _AROUND // 2) if len(lines) > 2 * _AROUND else 0
    last = min(len(lines), first + 2 * _AROUND + 6)
    return tuple(
        LineRow("", "plain", str(number), lines[number - 1], "incoming" if number == line else None)
        for number in range(first + 1, last + 1)
    )
