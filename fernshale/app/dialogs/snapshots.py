"""Snapshots: comparing any two, restoring files, previewing an undo, and the store itself."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.crossings import Crossing, Rewind, edits_since, preview_undo_plan, sides_of, steps_since
from fernshale.api.snapshots import (
    Store,
    added_by_each,
    compare_sides,
    delete_by_policy,
    delete_snapshots,
    needed_snapshots,
)
from fernshale.app.dialogs.questions import WorkingDialog
from fernshale.app.jobs import ProgressNote
from fernshale.app.widgets.band import Knot
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.app.widgets.change_list import ChangesPane
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.quantities import size_words
from fernshale.core.base.settings import usable_settings
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.record.database import LogEntry
from fernshale.core.crossing.record.snapshot_diff import Differences, SnapshotSides
from fernshale.core.crossing.record.undo_plan import UndoPlan
from fernshale.core.snapshot.deletion import Freed, Policy
from fernshale.core.snapshot.store import Snapshot, StoreCheck

_NOW = ""
# How many of the files that keep a person's edits a dialog names.
_MAX_NAMED = 4


class SnapshotDialog(WorkingDialog):
    """The differences between a snapshot and the project, or another snapshot; and restoring files."""

    def __init__(
        self,
        parent: QWidget | None,
        knot: Knot | None,
        crossing: Crossing,
        restore: Callable[[str, tuple[str, ...]], None],
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Snapshots"))
        self.resize(1040, 620)
        self._crossing, self._restore = crossing, restore
        taken = crossing.store.list()
        self._snapshots = [item for item in taken if item.tree == str(crossing.setup.project)]
        column = QVBoxLayout(self)
        row = QHBoxLayout()
        row.addWidget(_short(self, tr("Differences to")))
        self._from = self._choice(
            tr("The earlier snapshot"), [(_words(item), item.id) for item in reversed(self._snapshots)]
        )
        row.addWidget(self._from, 1)
        row.addWidget(_short(self, "to"))
        later = [(tr("now"), _NOW), *((_words(item), item.id) for item in reversed(self._snapshots))]
        self._to = self._choice(tr("The later one"), later)
        row.addWidget(self._to, 1)
        column.addLayout(row)
        self._message = quiet_label(self, "")
        column.addWidget(self._message)
        self._pane = ChangesPane(self, tr("Differences"))
        column.addWidget(self._pane, 1)
        foot = QHBoxLayout()
        foot.addWidget(quiet_label(self, tr("Bringing back is a step like any other: it can be undone.")), 1)
        self._one = button(self, tr("Restore the selected files"), self._on_one)
        self._all = button(self, tr("Restore everything"), self._on_all)
        for made in (self._one, self._all):
            foot.addWidget(made)
        foot.addWidget(button(self, tr("Close"), self.reject, main=True))
        column.addLayout(foot)
        self._runner.succeeded.connect(self._on_compared)
        self._runner.cancelled.connect(self._compare)  # another pair was chosen meanwhile
        self._runner.failed.connect(lambda error: self._pane.say(str(error)))
        self._asked = ("", "")
        ids = [id for id, _, _ in knot.snapshots] if knot is not None else []
        wanted = next((item.id for item in reversed(self._snapshots) if item.id in ids), None)
        if wanted is not None:
            self._from.setCurrentIndex(self._from.findData(wanted))
        self._from.currentIndexChanged.connect(self._compare)
        self._to.currentIndexChanged.connect(self._compare)
        self._compare()

    def compare_from(self, number: int) -> None:
        """Compare the snapshot that is so many before the latest."""
        self._from.setCurrentIndex(number)

    def _choice(self, name: str, items: list[tuple[str, str]]) -> QComboBox:
        made = QComboBox(self)
        made.setAccessibleName(name)
        made.setMinimumContentsLength(18)
        made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for words, id in items:
            made.addItem(words, id)
        return made

    def _compare(self) -> None:
        asked = (self._from.currentData() or "", self._to.currentData() or "")
        if self._runner.is_busy:
            self._runner.cancel()
            self._asked = asked
            return
        self._asked = asked
        if not asked[0]:
            self._pane.say(tr("There is no snapshot of this project yet."))
            self._enable(False, False)
            return
        self._message.setText("comparing…")
        crossing = self._crossing

        def task(work: Work) -> tuple[tuple[str, str], SnapshotSides]:
            return asked, compare_sides(crossing.store, crossing.setup.project, *asked, work.token)

        self._runner.start("", task)

    def _on_compared(self, result: object) -> None:
        assert isinstance(result, tuple)
        asked, sides = result
        if asked != self._asked:
            self._compare()  # another pair was chosen meanwhile
            return
        self._pane.show_changes(sides.listed, sides.before, sides.after)
        self._message.setText(summary_of(sides.differences))
        self._enable(bool(sides.listed), asked[1] == _NOW)

    def _enable(self, differs: bool, to_now: bool) -> None:
        for made in (self._one, self._all):
            made.setEnabled(differs and to_now)
            made.setToolTip("" if to_now else tr("Compare with the current project to restore files."))

    def _on_one(self) -> None:
        if path := self._pane.current():
            self._bring((path,))

    def _on_all(self) -> None:
        self._bring(())

    def _bring(self, paths: tuple[str, ...]) -> None:
        snapshot = self._from.currentData()
        self.accept()
        self._restore(snapshot, paths)


def summary_of(found: Differences) -> str:
    """The numbers of a comparison in one line."""
    finer = len(found.mode_only) + len(found.line_ends_only)
    parts = [
        (len(found.changed) - finer, tr("changed")),
        (len(found.added), tr("new")),
        (len(found.removed), tr("gone")),
        (len(found.moved), tr("moved")),
        (len(found.mode_only), tr("with another mode only")),
        (len(found.line_ends_only), tr("with other line ends only")),
    ]
    said = [f"{number} {words}" for number, words in parts if number]
    return ", ".join(said) if said else tr("Nothing differs.")


def _words(item: Snapshot) -> str:
    when = time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(item.taken))
    return f"{when}  {item.note}"


class UndoPlanDialog(QDialog):
    """The changes that an undo or redo would make now, and the obstacles."""

    def __init__(self, parent: QWidget | None, crossing: Crossing, entry: LogEntry, *, back_to: bool = False) -> None:
        super().__init__(parent)
        what: Rewind = "back to" if back_to else "undo" if entry.can_undo else "redo"
        plan, obstacles = preview_undo_plan(crossing, entry.id, what)
        several = count(steps_since(crossing, entry.id), "step")
        kept = edits_since(crossing, entry.id, plan, CancelToken()) if back_to else ()
        window, title, go = {
            "back to": (
                tr("Undo back to here"),
                tr("{several} back, to before: {title}", several=several, title=entry.title),
                tr("Undo {several}", several=several),
            ),
            "undo": (tr("Undo a step"), entry.title, tr("Undo it")),
            "redo": (tr("Redo a step"), entry.title, tr("Redo")),
        }[what]
        self.setWindowTitle(window)
        self.resize(940, 520)
        column = QVBoxLayout(self)
        heading = heading_label(self, title)
        heading.setWordWrap(True)
        column.addWidget(heading)
        self._message = quiet_label(self, "")
        column.addWidget(self._message)
        self._pane = ChangesPane(self, tr("Changes"))
        column.addWidget(self._pane, 1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(self, tr("Not now"), self.reject))
        self._go = button(self, go, self.accept, main=True)
        self._go.setDefault(True)
        foot.addWidget(self._go)
        column.addLayout(foot)
        self._show(crossing, plan, obstacles, kept)

    def _show(self, crossing: Crossing, plan: UndoPlan, obstacles: Sequence[str], kept: Sequence[str]) -> None:
        files = plan.changes.files
        self._go.setEnabled(bool(plan.changes.changes) and not obstacles)
        if obstacles:
            self._message.setText(tr("◆ {files} in the way. Nothing was changed.", files=count(len(obstacles), "file")))
            self._pane.say("\n".join(obstacles))
            return
        stays = "" if plan.is_exact else tr(" Later changes of other lines and files stay.")
        if kept:
            names = ", ".join(kept[:_MAX_NAMED]) + (tr(" and others") if len(kept) > _MAX_NAMED else "")
            stays = tr(
                " Your own edits since then stay in {files}: {names}.", files=count(len(kept), "file"), names=names
            )
        self._message.setText(
            printable(tr("{files} would change.{stays}", files=count(len(files), "file"), stays=stays))
        )
        words = [
            tr("new") if item.before is None else tr("gone") if item.after is None else tr("changed") for item in files
        ]

        rows = list(zip(words, files, strict=True))
        self._pane.show_changes(rows, *sides_of(crossing.setup.project, crossing.store, plan.changes))


class StoreDialog(WorkingDialog):
    """The store: its size, the bytes that each snapshot adds; verify it and delete snapshots."""

    def __init__(self, parent: QWidget | None, store: Store) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("The snapshot store"))
        self.resize(900, 560)
        self._store = store
        column = QVBoxLayout(self)
        self._title = heading_label(self, "")
        column.addWidget(self._title)
        column.addWidget(quiet_label(self, printable(str(store.folder))))
        self._list = RowList(self, tr("Snapshots"))
        self._list.chosen.connect(lambda payload: self._enable())
        column.addWidget(self._list, 1)
        self._message = quiet_label(self, "")
        column.addWidget(self._message)
        self._bar = QProgressBar(self)
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(6)
        column.addWidget(self._bar)
        kept = usable_settings().store
        policy = QHBoxLayout()
        policy.addWidget(_short(self, tr("Of each project keep the last")))
        self._last = self._number(tr("The last so many snapshots"), kept.keep_last)
        policy.addWidget(self._last)
        policy.addWidget(_short(self, tr("and the latest of each of the last")))
        self._daily = self._number(tr("Days"), kept.keep_days)
        policy.addWidget(self._daily)
        policy.addWidget(quiet_label(self, tr("days. Snapshots that crossings need are kept.")))
        self._delete = button(self, tr("Delete the others…"), self._on_policy)
        policy.addWidget(self._delete)
        column.addLayout(policy)
        foot = QHBoxLayout()
        self._verify = button(
            self, tr("Verify"), self._on_verify, hint=tr("Read everything and see whether it is as it was put in")
        )
        self._one = button(self, tr("Delete the selected one…"), self._on_one)
        self._stop = button(self, tr("Stop"), self._on_stop)
        foot.addWidget(self._verify)
        foot.addWidget(self._one)
        foot.addStretch(1)
        foot.addWidget(self._stop)
        foot.addWidget(button(self, tr("Close"), self.reject, main=True))
        column.addLayout(foot)
        self._confirmed: list[str] | Policy | None = None
        self._needed: Mapping[str, str] = {}
        self._runner.progressed.connect(self._on_progress)
        self._runner.succeeded.connect(self._on_done)
        self._runner.failed.connect(lambda error: self._end(f"◆ {error}"))
        self._runner.cancelled.connect(lambda: self._end(tr("Stopped.")))
        self._then = ""
        self._inspect()

    def _number(self, name: str, value: int) -> QSpinBox:
        made = QSpinBox(self)
        made.setAccessibleName(name)
        made.setRange(0, 999)
        made.setValue(value)
        made.valueChanged.connect(lambda _value: self._unsure())
        return made

    def _inspect(self, then: str = "") -> None:
        """Read the snapshots again; `then` is shown afterwards."""
        self._then = then
        self._start(tr("looking"), lambda work: added_by_each(self._store, work))

    def _fill(self, added: Mapping[str, int]) -> None:
        found = self._store.list()
        self._needed = needed_snapshots()
        largest = max(added.values(), default=0) or 1
        self._list.set_rows(
            tuple(
                Row(
                    item.note or tr("a snapshot"),
                    f"{_when(item)} · {printable(item.tree)} · {count(item.files, 'file')}, {size_words(item.bytes)}"
                    + (tr(" · stays: {needed}", needed=self._needed[item.id]) if item.id in self._needed else ""),
                    tr("adds {added}", added=size_words(added[item.id])) if added.get(item.id) else tr("adds nothing"),
                    "●" if item.id in self._needed else "○",
                    "mine" if item.id in self._needed else "base",
                    bar=added.get(item.id, 0) / largest,
                    payload=item.id,
                )
                for item in reversed(found)
            )
        )
        kept = sum(item.bytes for item in found)
        self._title.setText(
            tr(
                "{snapshots} of {kept} in all take {taken}.",
                snapshots=count(len(found), "snapshot"),
                kept=size_words(kept),
                taken=size_words(self._store.size_bytes()),
            )
        )

    def _on_verify(self) -> None:
        self._start(tr("verifying"), lambda work: self._store.verify(work))

    def _on_one(self) -> None:
        id = self._list.current()
        if isinstance(id, str):
            self._ask([id], self._one, tr("Delete it permanently"))

    def _on_policy(self) -> None:
        if not self._last.value() and not self._daily.value():
            self._message.setText(tr("A policy must keep at least one snapshot."))
            return
        policy = Policy(self._last.value(), self._daily.value())
        found = delete_by_policy(self._store, policy, "", Work(), dry_run=True)
        if not found.forgotten:
            self._unsure()
            self._message.setText(tr("This policy deletes no snapshot."))
            return
        self._ask(
            policy,
            self._delete,
            tr("Delete {snapshots} permanently", snapshots=count(len(found.forgotten), "snapshot")),
        )

    def _ask(self, what: list[str] | Policy, made: QPushButton, words: str) -> None:
        """The first press asks, the second does it."""
        if self._confirmed != what:
            self._unsure()
            self._confirmed = what
            made.setText(words)
            self._message.setText(tr("Press again to confirm. Deleted snapshots cannot be restored."))
            return
        self._unsure()

        def task(work: Work) -> Freed:
            if isinstance(what, Policy):
                return delete_by_policy(self._store, what, "", work, dry_run=False)
            return delete_snapshots(self._store, what, work)

        self._start(tr("deleting"), task)

    def _unsure(self) -> None:
        self._confirmed = None
        self._one.setText(tr("Delete the selected one…"))
        self._delete.setText(tr("Delete the others…"))
        self._message.setText("")

    def _start(self, title: str, work: Callable[..., object]) -> None:
        if self._runner.start(title, work):
            self._message.setText(f"{title}…")
            self._enable()

    def _on_stop(self) -> None:
        self._runner.cancel()

    def _on_progress(self, found: object) -> None:
        if isinstance(found, ProgressNote):
            self._bar.setRange(0, found.total)
            self._bar.setValue(found.done)
            self._message.setText(
                tr("{what}: {done} of {total}", what=found.what, done=found.done, total=found.total)
                if found.total
                else found.what
            )

    def _on_done(self, result: object) -> None:
        if isinstance(result, StoreCheck):
            self._end(_verdict_words(result))
        elif isinstance(result, Freed):
            self._inspect(
                tr(
                    "{snapshots} deleted, {bytes} freed.",
                    snapshots=count(len(result.forgotten), "snapshot"),
                    bytes=size_words(result.bytes),
                )
            )
        elif isinstance(result, dict):
            self._fill(result)
            self._end(self._then)

    def _end(self, words: str) -> None:
        self._bar.setRange(0, 1)
        self._bar.setValue(0)
        self._enable()
        self._message.setText(words)

    def _enable(self) -> None:
        busy = self._runner.is_busy
        id = self._list.current()
        self._unsure()
        for made in (self._verify, self._delete, self._last, self._daily):
            made.setEnabled(not busy)
        self._one.setEnabled(not busy and isinstance(id, str) and id not in self._needed)
        self._stop.setVisible(busy)


def _short(parent: QWidget, text: str) -> QLabel:
    """Quiet text that takes only the room it needs."""
    label = quiet_label(parent, text)
    label.setWordWrap(False)
    label.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)
    return label


def _when(item: Snapshot) -> str:
    return time.strftime("%Y-%m-%d %H:%M", time.localtime(item.taken))


def _verdict_words(verdict: StoreCheck) -> str:
    if verdict.ok:
        return tr("● Everything reads back as it was put in.")
    lines = [
        f"◆ {what}" + (tr("; touches {ids}", ids=", ".join(ids)) if ids else "") for what, ids in verdict.damaged[:6]
    ]
    more = len(verdict.damaged) - 6
    return "\n".join([*lines, *([tr("and {more} more", more=more)] if more > 0 else [])])
