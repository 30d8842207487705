"""The main window: route band, pages, open items, logbook, live output."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Literal

from PySide6.QtCore import QByteArray, QPoint, QSettings, Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QResizeEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QMainWindow,
    QMenu,
    QPlainTextEdit,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWhatsThis,
    QWidget,
)

from fernshale.api.actions import RunBuild, RunGame, SwitchCodeOn
from fernshale.api.crossings import EXPORTED_SUFFIX, Crossing, find_crossing, folder_of, read_assets_for
from fernshale.api.projects import find_profile, read_profile, trust
from fernshale.api.releases import known_engine_folder
from fernshale.api.snapshots import Store, default_store
from fernshale.app.commands import MenuCommand, bind_keys, fill_menu
from fernshale.app.dialogs.action_list import ActionList
from fernshale.app.dialogs.begin import BeginDialog
from fernshale.app.dialogs.describe import DescribeDialog
from fernshale.app.dialogs.import_content import ImportDialog, choose_content
from fernshale.app.dialogs.opened_file import OpenedFileDialog
from fernshale.app.dialogs.questions import ask_trust, save_bundle, show_error
from fernshale.app.dialogs.release_changes import ComparisonFolders, ReleaseChangesDialog
from fernshale.app.dialogs.snapshots import SnapshotDialog, StoreDialog, UndoPlanDialog
from fernshale.app.editor import open_in_editor
from fernshale.app.explanations import explain
from fernshale.app.fold_control import FOLDABLE, FoldControl, FoldedParts
from fernshale.app.folds import Pane
from fernshale.app.guide import FIRST_CHAPTER
from fernshale.app.help_desk import HelpDesk
from fernshale.app.instance import CrossingWindow, show_other_window
from fernshale.app.look import Look
from fernshale.app.pages.base import Page, file_and_line, take_option
from fernshale.app.pages.build import BUILDING, BuildPage
from fernshale.app.pages.debts import DebtsView
from fernshale.app.pages.engine import EnginePage
from fernshale.app.pages.links import LinksPage
from fernshale.app.pages.plugins import PluginsPage
from fernshale.app.pages.rehearsal import RehearsalView
from fernshale.app.pages.report import ReportView
from fernshale.app.pages.route import RoutePage
from fernshale.app.pages.start import StartPage
from fernshale.app.pages.survey import SurveyPage
from fernshale.app.pages.trial import TrialPage
from fernshale.app.recent import remember
from fernshale.app.session import Session
from fernshale.app.status_line import StatusLine
from fernshale.app.theme import (
    code_font,
    scaled,
)
from fernshale.app.widgets.band import Knot, RouteBand
from fernshale.app.widgets.basics import button, heading_label
from fernshale.app.widgets.menu_button import MenuButton
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.strips import FootStrip, SideStrip
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import count, tr, tr_marked
from fernshale.core.crossing.record.database import LogEntry
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.stage import STAGES, Stage, StageState
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.profile.read import NoProfileFits
from fernshale.sample import SAMPLES, unpack

_PAGES: tuple[type[Page], ...] = (SurveyPage, RoutePage, PluginsPage, EnginePage, BuildPage, LinksPage, TrialPage)

# Pages that are no stages.
View = ReportView | DebtsView | RehearsalView
_VIEWS = (ReportView, DebtsView, RehearsalView)


class MainWindow(QMainWindow):
    """Everything in one window; `profiles` are the folders engine profiles are looked for in."""

    def __init__(self, profiles: tuple[Path, ...]) -> None:
        super().__init__()
        self.setWindowTitle("Fernshale")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(900, 600)
        self._profiles = profiles
        self.session = Session(self)
        self._stage = Stage.SURVEY
        self._searched = ""
        self._visited = ""  # the key of the item that was visited last
        self._stack = QStackedWidget(self)
        self.start_page = StartPage(self)
        self._stack.addWidget(self.start_page)
        self._stack.addWidget(self._build_work())
        self.setCentralWidget(self._stack)
        self.look = Look(self, self._redraw, self.start_page.refresh)
        self.help = HelpDesk(self, self.commands, self._page_keys, self._chapter_of_page)
        self._place_on_desktop = CrossingWindow(self)
        self._place_on_desktop.asked.connect(self._come_to_front)
        self._menu = MenuButton(self, self._fill_menu)
        self._stack.currentChanged.connect(lambda _at: self._place_menu())
        self._build_status()
        self._fold_control = self._make_fold_control()
        parts = {"band": self.band, "items": self.items, "logbook": self.logbook, "output": self.output}
        explain(
            self.pages.values(),
            {
                **parts,
                "Start": self.start_page,
                "Report": self.report,
                "Debts": self.debts,
                "Rehearsal": self.rehearsal,
            },
        )
        self._connect()
        self._restore_sizes()

    # -- building

    def _build_work(self) -> QWidget:
        work = QWidget(self)
        column = QVBoxLayout(work)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.band = RouteBand(work)
        column.addWidget(self.band)
        self._rows_split = QSplitter(Qt.Orientation.Vertical, work)
        self._rows_split.setHandleWidth(3)
        self._columns_split = QSplitter(Qt.Orientation.Horizontal, self._rows_split)
        self._columns_split.setHandleWidth(3)
        self._page_stack = QStackedWidget(self._columns_split)
        self.pages = {page.stage: page(self, self.session) for page in _PAGES}
        for page in self.pages.values():
            self._page_stack.addWidget(page)
            page.editor_wanted.connect(self._open_editor)
            page.step_wanted.connect(self._step_item)
        self.report, self.debts = ReportView(self, self.session), DebtsView(self, self.session)
        self.rehearsal = RehearsalView(self, self.session)
        self.rehearsal.automatic_wanted.connect(self.session.carry_out_rehearsed)
        route = self.pages[Stage.ROUTE]
        assert isinstance(route, RoutePage)
        route.rehearsal_wanted.connect(lambda: self.show_view(self.rehearsal))
        for view in (self.report, self.debts, self.rehearsal):
            self._page_stack.addWidget(view)
        self._columns_split.addWidget(self._build_items())
        self._columns_split.setStretchFactor(0, 1)
        self._columns_split.setSizes([1010, 270])
        self._rows_split.addWidget(self._build_foot())
        self._rows_split.setStretchFactor(0, 1)
        self._rows_split.setSizes([560, 122])
        beside = QHBoxLayout()
        beside.setSpacing(0)
        beside.addWidget(self._rows_split, 1)
        self._side_strip = SideStrip(work, partial(self.fold, "items"))
        beside.addWidget(self._side_strip)
        column.addLayout(beside, 1)
        self._foot_strip = FootStrip(work)
        for pane, (title, key) in FOLDABLE.items():
            if pane != "items":
                self._foot_strip.add(pane, f"{title} · {key}", key, partial(self.fold, pane))
        self._work_column = column
        column.addWidget(self._foot_strip)
        return work

    def _build_items(self) -> QWidget:
        side = self._side = QFrame(self._columns_split)
        side.setObjectName("side")
        column = QVBoxLayout(side)
        column.setContentsMargins(1, 10, 0, 0)
        self._items_head = heading_label(side, "")
        self._items_head.setContentsMargins(11, 0, 8, 4)
        self.items = RowList(side, tr("Open items"), wrap=True)
        self.items.activated_row.connect(self._go_to)
        self.items.clicked.connect(lambda index: self._go_to(self.items.current()))
        self.items.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.items.customContextMenuRequested.connect(self._item_menu)
        column.addWidget(self._items_head)
        column.addWidget(self.items, 1)
        row = QHBoxLayout()
        row.setContentsMargins(11, 6, 8, 8)
        row.setSpacing(6)
        row.addWidget(button(side, tr("Report"), lambda: self.show_view(self.report), hint="Alt+8"))
        self._debts_button = button(side, tr("Debts"), lambda: self.show_view(self.debts), hint="Alt+9")
        self.debts.count_changed.connect(self._count_debts)
        row.addWidget(self._debts_button)
        row.addStretch(1)
        column.addLayout(row)
        return side

    def _build_foot(self) -> QWidget:
        foot = self._foot = QFrame(self._rows_split)
        foot.setObjectName("foot")
        outer = QVBoxLayout(foot)
        outer.setContentsMargins(0, 1, 0, 0)
        split = QSplitter(Qt.Orientation.Horizontal, foot)
        left = self._logbook_pane = QWidget(split)
        column = QVBoxLayout(left)
        column.setContentsMargins(4, 6, 0, 0)
        column.setSpacing(2)
        head = heading_label(left, tr("Logbook"))
        head.setContentsMargins(11, 0, 0, 0)
        column.addWidget(head)
        self.logbook = RowList(left, tr("Logbook"), padding=3)
        self.logbook.link_clicked.connect(self._ask_undo)
        self.logbook.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.logbook.customContextMenuRequested.connect(self._logbook_menu)
        column.addWidget(self.logbook)
        right = self._output_pane = QWidget(split)
        column = QVBoxLayout(right)
        column.setContentsMargins(8, 6, 6, 4)
        column.setSpacing(2)
        column.addWidget(heading_label(right, tr("Output")))
        self.output = QPlainTextEdit(right)
        self.output.setReadOnly(True)
        self.output.setFont(code_font(11))
        self.output.setMaximumBlockCount(20_000)
        self.output.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.output.setAccessibleName(tr("Output of commands"))
        column.addWidget(self.output)
        split.setSizes([780, 500])
        outer.addWidget(split)
        return foot

    def _make_fold_control(self) -> FoldControl:
        parts = FoldedParts(
            self._side, self._side_strip, self._logbook_pane, self._output_pane, self._foot, self._foot_strip, self._work_column,
            self.band, self._status,
        )  # fmt: skip
        return FoldControl(
            self, parts, self._page_stack.currentWidget, self._page_name, lambda: self._stack.currentIndex() == 1
        )

    def _build_status(self) -> None:
        self._status = StatusLine(self)
        self._status.undo_asked.connect(self._undo_last)
        self._status.cancel_asked.connect(self.session.runner.cancel)
        self.setStatusBar(self._status)

    def _connect(self) -> None:
        session = self.session
        session.overview_changed.connect(self._show)
        session.opened.connect(self._on_opened)
        session.failed.connect(self._on_failed)
        session.trust_needed.connect(self._on_trust_needed)
        session.said.connect(self._status.say)
        session.runner.started.connect(self._on_started)
        session.runner.progressed.connect(self._status.show_progress)
        session.runner.output.connect(self._on_output)
        session.runner.ended.connect(self._status.end_work)
        self.band.stage_chosen.connect(self.show_stage)
        self.band.knot_opened.connect(self._open_knot)
        self.start_page.resume_wanted.connect(self._resume)
        self.start_page.folder_wanted.connect(self._choose_folder)
        self.start_page.project_wanted.connect(self.open_project)
        self.start_page.sample_wanted.connect(self._open_sample)
        self.start_page.comparison_wanted.connect(self._compare_releases)
        self.start_page.closing.connect(self._leave)
        bind_keys(self, self.commands())

    # -- opening

    def open_project(self, project: Path) -> None:
        """Resume the project's crossing, or ask how to begin one."""
        remember(project)
        try:
            if self._is_open_elsewhere(project):
                self._status.say(tr("{name} is open in another window, which is in front now", name=project.name))
                return
            crossing = find_crossing(project)
        except FernshaleError as error:
            show_error(self, error)
            return
        if crossing is not None:
            self._resume(crossing)
            return
        described = self._described(project)
        dialog = BeginDialog(self, project, self._profiles, described)
        if dialog.exec() == BeginDialog.DialogCode.Accepted:
            self.session.begin(
                project, dialog.profile, dialog.shelves, dialog.target, dialog.members, dialog.copy_folder
            )

    def open_path(self, path: Path) -> None:
        """Open a project's folder, or a file of ours."""
        if path.is_dir():
            self.open_project(path)
        else:
            self.open_file(path)

    def open_file(self, file: Path) -> None:
        """Import an exported crossing, or show another file of ours."""
        if file.name.endswith(EXPORTED_SUFFIX):
            self._to_start()
            self.start_page.import_from(file)
            return
        try:
            OpenedFileDialog(self, file).exec()
        except FernshaleError as error:
            show_error(self, error)

    def _is_open_elsewhere(self, project: Path) -> bool:
        mine = self.session.crossing
        folder = folder_of(project)
        return (mine is None or mine.folder != folder) and show_other_window(folder)

    def _come_to_front(self) -> None:
        """Another start wanted this crossing."""
        self.setWindowState(self.windowState() & ~Qt.WindowState.WindowMinimized)
        self.raise_()
        self.activateWindow()

    def _described(self, project: Path) -> Path | None:
        """The profile of a project that no profile fits, once a person has described it; None if one fits, or nobody did."""
        try:
            find_profile(project, self._profiles)
        except NoProfileFits:
            dialog = DescribeDialog(self, project)
            dialog.exec()
            return dialog.profile
        except FernshaleError:
            return None  # the next dialog says what is wrong
        return None

    def _describe(self) -> None:
        """Describe the project of the crossing again."""
        overview = self.session.overview
        if overview is not None:
            dialog = DescribeDialog(self, overview.setup.project)
            if dialog.exec() == DescribeDialog.DialogCode.Accepted:
                self.session.refresh()

    def begin(self, project: Path, profile: Path, shelves: Sequence[str | Path], target: str) -> None:
        """Begin without asking."""
        self.session.begin(project, read_profile(profile), shelves, target)

    def _resume(self, crossing: Crossing) -> None:
        self.session.overview = None
        self._status.forget()
        self.session.resume(crossing)

    def _leave(self, crossing: Crossing) -> None:
        """Have a crossing that will be deleted open no more."""
        mine = self.session.crossing
        if mine is not None and mine.folder == crossing.folder:
            self.session.leave()
            self._place_on_desktop.stand_for(None)
            self.setWindowTitle("Fernshale")

    def _choose_folder(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Your project"))
        if folder:
            self.open_project(Path(folder))

    def _opening_sample(self, name: str) -> Callable[[], None]:
        return lambda: self._open_sample(name)

    def _open_sample(self, name: str) -> None:
        sample = unpack(Path(tempfile.mkdtemp(prefix="fernshale-sample-")), name)
        trust(read_profile(sample.profile))  # it ships with the program
        self.begin(sample.project, sample.profile, [sample.shelf], sample.target)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(Path(url.toLocalFile()).exists() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        dropped = next((path for url in event.mimeData().urls() if (path := Path(url.toLocalFile())).exists()), None)
        if dropped is not None:
            event.acceptProposedAction()
            self.open_path(dropped)

    # -- showing

    def show_stage(self, stage: Stage) -> None:
        """Show a stage's page."""
        self._stage = stage
        self._fold_control.uncover()
        self._page_stack.setCurrentWidget(self.pages[stage])
        self._refold()
        if not self.band.hasFocus():  # the arrows then continue along the route
            self.pages[stage].setFocus()
        overview = self.session.overview
        if overview is not None:
            self.band.show_overview(overview, stage)

    def _enter_stage(self, stage: Stage) -> None:
        """Show a stage's page, also with the arrow keys."""
        self.show_stage(stage)
        self.pages[stage].setFocus()

    def show_view(self, view: View) -> None:
        """Show the report, the debts or the rehearsals."""
        self._fold_control.uncover()
        self._page_stack.setCurrentWidget(view)
        self._refold()
        view.setFocus()
        if self.session.overview is not None:
            self.band.show_overview(self.session.overview, None)

    def _count_debts(self, number: int) -> None:
        self._debts_button.setText(tr("Debts · {number}", number=number) if number else tr("Debts"))

    def _on_opened(self) -> None:
        self._stack.setCurrentIndex(1)
        overview = self.session.overview
        assert overview is not None
        self._place_on_desktop.stand_for(self.session.crossing.folder if self.session.crossing is not None else None)
        waiting = [stage for stage in STAGES if overview.states[stage] is not StageState.CLEAR]
        self.setWindowTitle(tr("{name} – Fernshale", name=overview.setup.project.name))
        self.show_stage(waiting[0] if waiting else Stage.TRIAL)

    def _show(self, overview: Overview) -> None:
        is_stage = self._page_stack.currentWidget() is self.pages[self._stage]
        self.band.show_overview(overview, self._stage if is_stage else None)
        here = self.pages[self._stage]
        had_focus = here.isAncestorOf(QApplication.focusWidget() or self)
        for page in self.pages.values():
            page.show_overview(overview)
        self.report.show_overview(overview)
        self.debts.show_overview(overview)
        self.rehearsal.show_overview(overview)
        # The clicked widget may be gone now; the keyboard focus stays on the page.
        if had_focus and not here.isAncestorOf(QApplication.focusWidget() or self):
            here.setFocus()
        items = overview.items
        needs = sum(item.needs_you for item in items)
        head = f"{count(len(items), 'open item')}" + (
            tr(", {needs} need you", needs=needs) if needs > 1 else tr(", 1 needs you") if needs else ""
        )
        head = head if items else tr("Nothing is left open")
        self._items_head.setText(head)
        self._side_strip.say(f"{head} · {FOLDABLE['items'][1]}", needs > 0)
        self._foot_strip.say("logbook", _last_words(overview.logbook))
        self._fold_control.refresh()
        self.items.set_rows(
            tuple(
                Row(item.title, _words(item), edge="alarm" if item.needs_you else "base", payload=item)
                for item in items
            )
        )
        self.logbook.set_rows(tuple(_entry_row(entry) for entry in reversed(overview.logbook)))
        self.logbook.show_top()
        self._status.show_last_step(overview)

    def _go_to(self, payload: object) -> None:
        if isinstance(payload, Item):
            self._visited = payload.key
            self.show_stage(payload.stage)
            self.pages[payload.stage].visit(payload)

    def _step_item(self, by: int) -> None:
        """Show the next or previous open item of any stage; after one that was resolved, the one in its place."""
        rows = self.items.rows()
        if not rows:
            return
        at = next((at for at, row in enumerate(rows) if _key_of(row.payload) == self._visited), None)
        if at is None:
            at = max(0, self.items.currentIndex().row()) - (1 if by > 0 else 0)
        payload = rows[(at + by) % len(rows)].payload
        self.items.select(payload)
        self._go_to(payload)

    # -- folds

    def fold(self, pane: Pane) -> None:
        """Fold a part of the window on this page, or unfold it."""
        self._fold_control.fold(pane)

    def show_whole(self) -> None:
        """Give the detail of the page the whole window, or the others their places again."""
        self._fold_control.show_whole()
        self._menu.setVisible(not self._fold_control.is_whole)

    def _refold(self) -> None:
        """Fold the parts of the window as they are on this page; no detail has the whole window any more."""
        self._fold_control.uncover()
        self._fold_control.refresh()
        self._menu.show()

    def _page_name(self) -> str:
        here = self._page_stack.currentWidget()
        if isinstance(here, Page):
            return here.stage.title.lower()
        return here.NAME if isinstance(here, _VIEWS) else ""

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fold_control.refresh()
        self._place_menu()

    def _place_menu(self) -> None:
        """Put the menu's button at the end of the route band, or into the corner of the start page."""
        self._menu.adjustSize()
        is_start = self._stack.currentWidget() is self.start_page
        middle = scaled(32) if is_start else self.band.line_y
        self._menu.move(self.width() - self._menu.width() - 14, middle - self._menu.height() // 2)
        self._menu.raise_()

    # -- logbook

    def _ask_undo(self, payload: object, *, back_to: bool = False) -> None:
        """Undo or redo a step after a preview; with `back_to` undo every later step, too."""
        crossing = self.session.crossing
        if not isinstance(payload, LogEntry) or crossing is None or self.session.runner.is_busy:
            return
        try:
            dialog = UndoPlanDialog(self, crossing, payload, back_to=back_to)
        except (FernshaleError, OSError) as error:
            show_error(self, error)
            return
        if dialog.exec() != UndoPlanDialog.DialogCode.Accepted:
            return
        if back_to:
            self.session.go_back_to(payload.id)
        elif payload.can_undo:
            self.session.undo(payload.id, payload.title)
        else:
            self.session.redo(payload.id, payload.title)

    def _redo_last(self) -> None:
        """Redo the earliest of the undone steps at the end of the logbook."""
        overview = self.session.overview
        undone = [item for item in overview.logbook if item.can_redo] if overview else []
        done = max((item.id for item in overview.logbook if item.can_undo), default=0) if overview else 0
        entry = next((item for item in undone if item.id > done), None)
        self._ask_undo(entry)

    def _undo_last(self) -> None:
        """Undo the last step that counts. An undo is skipped: undoing it would redo the step."""
        overview = self.session.overview
        steps = [item for item in overview.logbook if item.can_undo and not item.is_undo] if overview else []
        self._ask_undo(steps[-1] if steps else None)

    def _logbook_menu(self, place: QPoint) -> None:
        index = self.logbook.indexAt(place)
        entry = index.data(Qt.ItemDataRole.UserRole).payload if index.isValid() else None
        if not isinstance(entry, LogEntry):
            return
        menu = QMenu(self)
        if entry.can_undo:
            menu.addAction(tr("Undo this step…"), lambda: self._ask_undo(entry))
        if entry.can_redo:
            menu.addAction(tr("Redo this step…"), lambda: self._ask_undo(entry))
        menu.addAction(tr("Undo back to here, this step included…"), lambda: self._ask_undo(entry, back_to=True))
        menu.addAction(tr("Copy"), lambda: QApplication.clipboard().setText(entry.title))
        menu.exec(self.logbook.viewport().mapToGlobal(place))

    def _item_menu(self, place: QPoint) -> None:
        index = self.items.indexAt(place)
        item = index.data(Qt.ItemDataRole.UserRole).payload if index.isValid() else None
        if not isinstance(item, Item):
            return
        menu = QMenu(self)
        for option in item.options:
            menu.addAction(option.title, partial(take_option, self, self.session, item, option))
        if item.place:
            path, line = file_and_line(item.place)
            menu.addAction(tr("Open in your editor"), lambda: self._open_editor(path, line))
        menu.exec(self.items.viewport().mapToGlobal(place))

    def _open_knot(self, knot: Knot | None) -> None:
        crossing, overview = self.session.crossing, self.session.overview
        if crossing is not None and overview is not None:
            SnapshotDialog(self, knot, crossing, self.session.restore).exec()

    def _open_store(self) -> None:
        StoreDialog(self, Store(default_store())).exec()

    # -- actions

    def _bring_content(self) -> None:
        overview, crossing = self.session.overview, self.session.crossing
        found = choose_content(self) if overview is not None else None
        if overview is not None and crossing is not None and found is not None:
            read = partial(read_assets_for, crossing, overview.scan)
            ImportDialog(self, overview.scan, *found, self.session.import_content, read).exec()

    def _compare_releases(self) -> None:
        ReleaseChangesDialog(self, self.release_places()).exec()

    def release_places(self) -> ComparisonFolders:
        """The engine's releases of the open crossing and its project; none where no crossing is open."""
        overview = self.session.overview
        if overview is None:
            return ComparisonFolders()
        setup = overview.setup
        folders = (known_engine_folder(overview.scan, release) for release in (setup.from_, setup.to))
        old, new = (str(folder) if folder is not None else "" for folder in folders)
        return ComparisonFolders(old, new, str(setup.project))

    def show_actions(self) -> None:
        """The list of everything that can be done now."""
        ActionList(self, self._actions()).exec()

    def commands(self) -> tuple[MenuCommand, ...]:
        """The commands of the window, whether a crossing is open or not."""

        def here(title: str, area: str, act: Callable[[], object], *keys: str) -> MenuCommand:
            return MenuCommand(title, area, keys, act, is_of_crossing=True)

        def always(title: str, area: str, act: Callable[[], object], *keys: str) -> MenuCommand:
            return MenuCommand(title, area, keys, act)

        return (
            always(tr("Open a folder…"), tr("Project"), self._choose_folder, "Ctrl+O"),
            *(
                always(tr("Try {words}", words=tr_marked(words)), tr("Project"), self._opening_sample(name))
                for name, words in SAMPLES.items()
            ),
            always(tr("Compare two releases…"), tr("Project"), self._compare_releases),
            here(tr("Describe this project…"), tr("Project"), self._describe),
            here(tr("Import content from another project…"), tr("Project"), self._bring_content),
            here(tr("Save the report…"), tr("Project"), self.report.save),
            always(tr("Settings…"), tr("Project"), self.look.ask_settings, "Ctrl+,"),
            always(tr("Back to the start page"), tr("Go to"), self._to_start, "Alt+0"),
            *(
                here(
                    tr("Go to {page}", page=stage.title),
                    tr("Go to"),
                    partial(self._enter_stage, stage),
                    f"Alt+{number}",
                )
                for number, stage in enumerate(STAGES, 1)
            ),
            here(tr("Go to the report"), tr("Go to"), lambda: self.show_view(self.report), "Alt+8"),
            here(tr("Go to the debts"), tr("Go to"), lambda: self.show_view(self.debts), "Alt+9"),
            here(tr("Go to the rehearsals"), tr("Go to"), lambda: self.show_view(self.rehearsal), "Alt+R"),
            here(tr("Find on this page…"), tr("Go to"), self._find, "Ctrl+F"),
            here(tr("Find the next place"), tr("Go to"), self._find_next, "F3"),
            here(tr("Build"), tr("Work"), self._build, "F5"),
            here(tr("Build and fix automatically"), tr("Work"), self.session.build_and_fix),
            here(tr("Run the game"), tr("Work"), lambda: self.session.carry_out(RunGame(), tr("running the game"))),
            here(tr("Read the project again"), tr("Work"), self.session.refresh, "Ctrl+R"),
            here(tr("Cancel what runs"), tr("Work"), self.session.runner.cancel, "Escape"),
            here(tr("Undo the last step…"), tr("Undo"), self._undo_last, "Ctrl+Z"),
            here(tr("Redo the last undone step…"), tr("Undo"), self._redo_last, "Ctrl+Y"),
            here(tr("Undo back to the start…"), tr("Undo"), self._undo_all),
            here(tr("The detail in the whole window"), tr("View"), self.show_whole, "Z"),
            *(
                here(tr("Fold or unfold: {part}", part=title.lower()), tr("View"), partial(self.fold, pane), key)
                for pane, (title, key) in FOLDABLE.items()
            ),
            always(tr("Light or dark"), tr("View"), self.look.toggle_theme),
            always(tr("Larger letters"), tr("View"), partial(self.look.zoom, 1), "Ctrl++", "Ctrl+="),
            always(tr("Smaller letters"), tr("View"), partial(self.look.zoom, -1), "Ctrl+-"),
            always(tr("Letters of the usual size"), tr("View"), partial(self.look.zoom, 0), "Ctrl+0"),
            here(tr("Compare snapshots…"), tr("Snapshots"), lambda: self._open_knot(None), "Alt+S"),
            always(tr("The snapshot store…"), tr("Snapshots"), self._open_store),
            always(tr("Help on this page"), tr("Help"), self.help.show_page, "F1"),
            always(tr("What is this?"), tr("Help"), QWhatsThis.enterWhatsThisMode, "Shift+F1"),
            always(tr("All keys"), tr("Help"), self.help.show_keys, "Ctrl+F1"),
            always(tr("The words of Fernshale"), tr("Help"), partial(self.help.show, "words")),
            always(tr("The guide"), tr("Help"), partial(self.help.show, FIRST_CHAPTER)),
            always(tr("Save a diagnostic bundle…"), tr("Help"), lambda: save_bundle(self, self.session.crossing)),
            MenuCommand(tr("All actions"), tr("Help"), ("Ctrl+K",), self.show_actions),
            MenuCommand(tr("The menu"), tr("Help"), ("Alt+M",), lambda: self._menu.open_menu(), is_key_only=True),
        )

    def _actions(self) -> tuple[MenuCommand, ...]:
        """The commands that can be used now, and the options of all open items."""
        overview = self.session.overview
        actions = [
            item for item in self.commands() if not item.is_key_only and not (item.is_of_crossing and overview is None)
        ]
        if overview is None:
            return tuple(actions)
        for debt in overview.build.debts:
            act = partial(
                self.session.carry_out, SwitchCodeOn(debt.entry), tr("switching on: {title}", title=debt.title)
            )
            actions.append(MenuCommand(tr("Switch on: {title}", title=debt.title), tr("Build"), (), act))
        for item in overview.items:
            for option in item.options:
                act = partial(take_option, self, self.session, item, option)
                actions.append(MenuCommand(f"{option.title}: {item.title}", item.stage.title, (), act))
        return tuple(actions)

    def _redraw(self) -> None:
        """Show everything in the colours and the size of letters in force."""
        self.band.updateGeometry()
        if self.session.overview is not None:
            self._show(self.session.overview)
        self._fold_control.refresh()
        self._place_menu()

    def _fill_menu(self, menu: QMenu) -> None:
        fill_menu(menu, self.commands(), has_crossing=self.session.overview is not None)

    def _page_keys(self) -> tuple[MenuCommand, ...]:
        return tuple(key for page in self.pages.values() for key in page.keys)

    def _chapter_of_page(self) -> str:
        """The name of the page, as the guide has it."""
        return tr("Start") if self._stack.currentWidget() is self.start_page else self._page_name().capitalize()

    def _to_start(self) -> None:
        self.start_page.refresh()
        self._stack.setCurrentIndex(0)

    def _build(self) -> None:
        self.show_stage(Stage.BUILD)
        self.session.carry_out(RunBuild(), BUILDING)

    def _undo_all(self) -> None:
        overview = self.session.overview
        if overview is not None and overview.logbook:
            self._ask_undo(overview.logbook[0], back_to=True)

    def _find(self) -> None:
        words, good = QInputDialog.getText(
            self, tr("Find on this page"), tr("Text to find. F3 finds the next place."), text=self._searched
        )
        if good and words:
            self._searched = words
            self._find_next()

    def _find_next(self) -> None:
        here = self._page_stack.currentWidget()
        if self._searched and isinstance(here, (Page, *_VIEWS)) and not here.find_text(self._searched):
            self._status.say(tr("“{searched}” is not on this page", searched=self._searched))

    def _open_editor(self, path: str, line: int) -> None:
        overview = self.session.overview
        if overview is None or not path:
            return
        trouble = open_in_editor(overview.setup.project / path, line)
        self._status.say(trouble or tr("opened {path} at line {line}", path=path, line=line))

    # -- work in the background

    def _on_started(self, title: str) -> None:
        if title:
            overview = self.session.overview
            rounds = overview.build.rounds if overview is not None and title == BUILDING else ()
            self._status.begin_work(title, rounds[-1].elapsed_s if rounds else 0.0)

    def _on_output(self, lines: object) -> None:
        if isinstance(lines, list):
            self.output.appendPlainText("\n".join(lines))
            self._foot_strip.say("output", next((line for line in reversed(lines) if line.strip()), ""))

    def _on_failed(self, error: object) -> None:
        self._status.say(str(error).splitlines()[0] if str(error) else tr("failed"))
        show_error(self, error, self.session.crossing)

    def _on_trust_needed(self, error: object) -> None:
        crossing = self.session.crossing
        if crossing is None:
            return
        profile = read_profile(crossing.setup.profile)
        if ask_trust(self, profile):
            trust(profile)
            self.session.retry()

    # -- sizes

    def _restore_sizes(self) -> None:
        settings = QSettings()
        for name, restore in (
            ("window", self.restoreGeometry),
            ("columns", self._columns_split.restoreState),
            ("rows", self._rows_split.restoreState),
        ):
            kept = settings.value(f"sizes/{name}")
            if isinstance(kept, QByteArray):
                restore(kept)

    def closeEvent(self, event: QCloseEvent) -> None:
        settings = QSettings()
        settings.setValue("sizes/window", self.saveGeometry())
        settings.setValue("sizes/columns", self._columns_split.saveState())
        settings.setValue("sizes/rows", self._rows_split.saveState())
        self.session.close()
        self.start_page.close_work()
        self.rehearsal.close_work()
        self._place_on_desktop.stand_for(None)
        super().closeEvent(event)


def _last_words(logbook: Sequence[LogEntry]) -> str:
    return f"{time.strftime('%H:%M', time.localtime(logbook[-1].time))}  {logbook[-1].title}" if logbook else ""


def _key_of(payload: object) -> str:
    return payload.key if isinstance(payload, Item) else ""


def _words(item: Item) -> str:
    return " · ".join(part for part in (item.stage.title, item.owner, item.place) if part)


def _entry_row(entry: LogEntry) -> Row:
    when = time.strftime("%H:%M", time.localtime(entry.time))
    right = (
        tr("undo")
        if entry.can_undo
        else tr("redo")
        if entry.can_redo
        else tr("undone")
        if entry.state == "undone"
        else ""
    )
    glyph: str
    tone: Literal["mine", "quiet", "base"]
    glyph, tone = ("●", "mine") if entry.can_undo else ("–", "quiet") if entry.state == "undone" else ("·", "base")
    return Row(
        f"{when}  {entry.title}",
        "",
        right,
        glyph,
        tone,
        payload=entry,
        faded=entry.state == "undone",
        link=entry.can_undo or entry.can_redo,
    )
