"""The start page: crossings to resume, a folder to open, the sample to try, and what is missing on this machine."""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from fernshale.api.crossings import (
    IS_ARCHIVED,
    LAST_LOOK,
    Crossing,
    all_crossings,
    archive_crossing,
    delete_crossing,
    export_crossing,
    find_own_parts,
    import_crossing,
    read_exported,
    take_from_archive,
)
from fernshale.api.projects import missing_tools
from fernshale.api.snapshots import Store, default_store
from fernshale.app.dialogs.crossing_files import ImportCrossingDialog, ask_export_file, ask_import_file
from fernshale.app.dialogs.questions import ask_yes, show_error
from fernshale.app.jobs import ProgressNote, Runner
from fernshale.app.recent import recent_folders
from fernshale.app.theme import text_font
from fernshale.app.widgets.basics import Card, button, heading_label, quiet_label
from fernshale.app.widgets.crossing_list import CrossingList, CrossingRow
from fernshale.app.widgets.rows import Row
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.quantities import size_words
from fernshale.core.base.settings import usable_settings
from fernshale.core.base.texts import count, tr, tr_marked
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import Work
from fernshale.core.snapshot.deletion import Freed
from fernshale.sample import SAMPLES

_MAX_ROWS = 200


@dataclass(frozen=True, slots=True)
class Exported:
    """The file that a crossing was exported into, and its size."""

    file: Path
    bytes: int


class StartPage(QWidget):
    """`resume_wanted` and `closing` carry a Crossing, `project_wanted` a folder, `sample_wanted` the name of a sample."""

    resume_wanted = Signal(object)
    closing = Signal(object)
    folder_wanted = Signal()
    project_wanted = Signal(object)
    sample_wanted = Signal(str)
    comparison_wanted = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(60, 44, 60, 40)
        column.setSpacing(14)
        title = heading_label(self, "Fernshale")
        title.setFont(text_font(26, True))
        column.addWidget(title)
        words = quiet_label(
            self,
            tr(
                "Moves a game project to a newer engine release. The original stays safe, and none of your edits is lost."
            ),
        )
        words.setFont(text_font(14))
        column.addWidget(words)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        split.setHandleWidth(20)
        known = Card(split, tr("Your crossings"))
        self._list = CrossingList(known)
        self._list.activated_row.connect(self._resume)
        known.body.addWidget(self._list)
        row = QHBoxLayout()
        row.setContentsMargins(11, 8, 9, 9)
        row.setSpacing(6)
        self._go_on = button(known, tr("Resume"), lambda: self._resume(self._list.current()), main=True)
        row.addWidget(self._go_on)
        self._export = button(known, tr("Export…"), self._ask_export, hint=tr("Into one file, for another machine"))
        self._archive = button(
            known, tr("Archive"), self._archive_or_back, hint=tr("Lists it last, and frees what can be built again")
        )
        self._delete = button(known, tr("Delete…"), self._ask_delete, hint=tr("Says first what that takes away"))
        for made in (self._export, self._archive, self._delete):
            row.addWidget(made)
        row.addStretch(1)
        row.addWidget(
            button(known, tr("Import…"), self._ask_import, hint=tr("A crossing that was exported on another machine"))
        )
        known.body.addLayout(row)
        self._said = quiet_label(known, "")
        self._said.setContentsMargins(12, 0, 9, 8)
        known.body.addWidget(self._said)
        self._list.chosen.connect(lambda _payload: self._enable())
        self._runner = Runner(self)
        self._runner.succeeded.connect(self._on_done)
        self._runner.failed.connect(self._on_failed)
        self._runner.progressed.connect(self._on_progress)
        right = QWidget(split)
        side = QVBoxLayout(right)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(14)
        fresh = Card(right, tr("Begin"))
        fresh.body.setContentsMargins(14, 12, 14, 14)
        fresh.body.setSpacing(8)
        fresh.body.addWidget(quiet_label(fresh, tr("Open the folder of your project, or drop it onto this window.")))
        fresh.body.addWidget(button(fresh, tr("Open a folder…"), self.folder_wanted.emit))
        self._recent = QVBoxLayout()
        self._recent.setSpacing(0)
        fresh.body.addLayout(self._recent)
        self._fresh = fresh
        fresh.body.addWidget(
            quiet_label(fresh, tr("Or see it work first, on a sample that is unpacked into a fresh folder."))
        )
        for name, sample in SAMPLES.items():
            fresh.body.addWidget(button(fresh, tr("Try {sample}", sample=tr_marked(sample)), self._wanting(name)))
        fresh.body.addWidget(quiet_label(fresh, tr("Or read first what a new release changed, without a project.")))
        fresh.body.addWidget(button(fresh, tr("Compare two releases…"), self.comparison_wanted.emit))
        side.addWidget(fresh)
        machine = Card(right, tr("This machine"))
        machine.body.setContentsMargins(14, 10, 14, 12)
        machine.body.setSpacing(4)
        for line in _machine_lines():
            words = quiet_label(machine, line)
            words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            machine.body.addWidget(words)
        self._store_words = quiet_label(machine, "")
        machine.body.addWidget(self._store_words)
        side.addWidget(machine)
        side.addStretch(1)
        split.setSizes([640, 420])
        column.addWidget(split, 1)
        self.refresh()

    def _wanting(self, name: str) -> Callable[[], None]:
        return lambda: self.sample_wanted.emit(name)

    def refresh(self) -> None:
        """Read the crossings again, those in the archive last."""
        found = all_crossings()[:_MAX_ROWS]
        archived = [crossing for crossing in found if crossing.read(IS_ARCHIVED)]
        rows = [_row(crossing) for crossing in found if crossing not in archived]
        rows += [Row(tr("Archive"), heading=True)] if archived else []
        rows += [_row(crossing) for crossing in archived]
        self._list.set_rows(tuple(rows) or (Row(tr("None yet. Open a project folder to start one."), heading=True),))
        self._show_recent({crossing.setup.project for crossing in found})
        self._store_words.setText(_store_words())
        self._store_words.setVisible(bool(self._store_words.text()))
        self._enable()

    def _show_recent(self, known: Collection[Path]) -> None:
        """List the folders that were opened and have no crossing yet."""
        while (item := self._recent.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        for folder in recent_folders():
            if folder not in known:
                made = button(self._fresh, printable(str(folder)), self._opening(folder), hint=tr("Opened before"))
                made.setObjectName("link")
                self._recent.addWidget(made)

    def _opening(self, folder: Path) -> Callable[[], None]:
        return lambda: self.project_wanted.emit(folder)

    def _enable(self) -> None:
        chosen = self._list.current()
        is_one = isinstance(chosen, CrossingRow) and not self._runner.is_busy
        for made in (self._go_on, self._export, self._archive, self._delete):
            made.setEnabled(is_one)
        is_archived = isinstance(chosen, CrossingRow) and chosen.crossing.read(IS_ARCHIVED)
        self._archive.setText(tr("Take from the archive") if is_archived else tr("Archive"))

    def _resume(self, payload: object) -> None:
        if isinstance(payload, CrossingRow):
            take_from_archive(payload.crossing)
            self.resume_wanted.emit(payload.crossing)

    def _archive_or_back(self) -> None:
        chosen = self._list.current()
        if not isinstance(chosen, CrossingRow):
            return
        try:
            if chosen.crossing.read(IS_ARCHIVED):
                take_from_archive(chosen.crossing)
                self._said.setText("")
            else:
                self.closing.emit(chosen.crossing)
                freed = archive_crossing(chosen.crossing)
                name = printable(chosen.crossing.setup.project.name)
                self._said.setText(
                    tr("{name} is in the archive; {freed} of builds were freed", name=name, freed=size_words(freed))
                )
        except (FernshaleError, OSError) as error:
            show_error(self, error)
        self.refresh()

    def _ask_export(self) -> None:
        chosen = self._list.current()
        file = ask_export_file(self, chosen.crossing) if isinstance(chosen, CrossingRow) else None
        if file is not None and isinstance(chosen, CrossingRow):
            crossing = chosen.crossing
            self._start("exporting…", lambda work: Exported(file, export_crossing(crossing, file, work)))

    def _ask_import(self) -> None:
        file = ask_import_file(self)
        if file is not None:
            self.import_from(file)

    def import_from(self, file: Path) -> None:
        """Import an exported crossing, once a person has said where to."""
        try:
            dialog = ImportCrossingDialog(self, read_exported(file))
        except FernshaleError as error:
            show_error(self, error)
            return
        if dialog.exec() == ImportCrossingDialog.DialogCode.Accepted:
            plan = dialog.plan
            self._start("importing…", lambda work: import_crossing(file, plan, work))

    def _start(self, words: str, task: Callable[[Work], object]) -> None:
        self._said.setText(words)
        self._runner.start(words.rstrip("…"), task)
        self._enable()

    def _ask_delete(self) -> None:
        """Delete the selected crossing, once a person has read what that takes away."""
        chosen = self._list.current()
        if not isinstance(chosen, CrossingRow):
            return
        crossing, store = chosen.crossing, Store(default_store())
        try:
            own = find_own_parts(crossing, store)
        except FernshaleError as error:
            show_error(self, error)
            return
        steps = count(sum(entry.changes is not None for entry in crossing.logbook()), "step")
        snapshots = tr(
            "{snapshots} of {snapshot_bytes} that only it needs",
            snapshots=count(len(own.snapshots), "snapshot"),
            snapshot_bytes=size_words(own.snapshot_bytes),
        )
        words = tr(
            "Its logbook with {steps}, its decisions, and {snapshots} are deleted for good; its steps "
            "can never be undone. The project in {project} stays as it is.",
            steps=steps,
            snapshots=snapshots,
            project=printable(str(crossing.setup.project)),
        )
        if ask_yes(
            self,
            tr("Delete the crossing of {name}?", name=printable(crossing.setup.project.name)),
            words,
            tr("Yes, delete it"),
        ):
            self.closing.emit(crossing)
            self._start("deleting…", lambda work: delete_crossing(crossing, store, work))

    def close_work(self) -> None:
        """Stop what runs and wait for it."""
        self._runner.close()

    def _on_progress(self, note: object) -> None:
        if isinstance(note, ProgressNote) and note.total:
            self._said.setText(tr("{what}: {done} of {total}", what=note.what, done=note.done, total=note.total))

    def _on_failed(self, error: object) -> None:
        self._said.setText("")
        self.refresh()
        show_error(self, error)

    def _on_done(self, result: object) -> None:
        self.refresh()
        if isinstance(result, Freed):
            self._said.setText(tr("deleted; {bytes} were freed", bytes=size_words(result.bytes)))
        elif isinstance(result, Exported):
            self._said.setText(
                tr("exported into {file}, {bytes}", file=printable(str(result.file)), bytes=size_words(result.bytes))
            )
        elif isinstance(result, Crossing):
            self._said.setText("")
            self.resume_wanted.emit(result)


def _machine_lines() -> Sequence[str]:
    """What this machine lacks, and how to get it."""
    missing = missing_tools()
    if not missing:
        return (tr("All required tools were found."),)
    return [
        tr("◆ Not found: {words}.", words=item.words) + (f"  {item.install}" if item.install else "")
        for item in missing
    ]


def _store_words() -> str:
    """A sentence about a store that is larger than the settings want, "" for none."""
    try:
        limit = usable_settings().store.warn_from_bytes
        size = Store(default_store()).size_bytes() if limit else 0
    except (FernshaleError, OSError):
        return ""
    if size <= limit:
        return ""
    return tr("◆ The snapshot store has {size}. Menu, Snapshots shows what can be deleted.", size=size_words(size))


def _row(crossing: Crossing) -> Row:
    setup = crossing.setup
    entries = crossing.logbook()
    last = entries[-1] if entries else None
    when = time.strftime("%Y-%m-%d %H:%M", time.localtime(last.time)) if last else ""
    title = f"{printable(setup.project.name)}   {setup.from_} → {setup.to}"
    sub = f"{last.stage.title}: {last.title}" if last else str(setup.project)
    look = crossing.read(LAST_LOOK)
    return Row(title, look.finding or sub, when, payload=CrossingRow(crossing, look))
