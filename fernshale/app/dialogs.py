"""Questions: how to begin a crossing, whether to trust a profile, what to do with a snapshot, which editor."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QMessageBox,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from fernshale.app.editor import SETTING, editor_command
from fernshale.app.widgets.band import Knot
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.treepath import printable
from fernshale.core.base.words import count
from fernshale.core.crossing.opening import Opening, look_at_project, targets_on
from fernshale.core.crossing.overview import Overview
from fernshale.core.crossing.state import Crossing
from fernshale.core.profile.model import Profile
from fernshale.core.snapshot.compare import compare


class BeginDialog(QDialog):
    """From which project, by which shelf, to which release."""

    def __init__(self, parent: QWidget, project: Path, profiles: tuple[Path, ...]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Begin a crossing")
        self.resize(560, 300)
        self._profiles = profiles
        self.project = project
        self.opening: Opening | None = None
        column = QVBoxLayout(self)
        column.setSpacing(8)
        self._said = heading_label(self, "")
        self._said.setWordWrap(True)
        self._trouble = quiet_label(self, "")
        column.addWidget(self._said)
        column.addWidget(self._trouble)
        self._profile = button(self, "Name the engine profile…", self._choose_profile)
        column.addWidget(self._profile)
        column.addWidget(quiet_label(self, "The shelf: the folder or server the releases of engine and plugins lie on."))
        row = QHBoxLayout()
        self._shelf = QLineEdit(str(QSettings().value("shelf", "") or ""), self)
        self._shelf.setPlaceholderText("a folder with a shelf.toml, or http://…; several with a semicolon between")
        self._shelf.editingFinished.connect(self._read_shelf)
        row.addWidget(self._shelf, 1)
        row.addWidget(button(self, "Choose…", self._choose_shelf))
        column.addLayout(row)
        column.addWidget(quiet_label(self, "The release to go to."))
        self._target = QComboBox(self)
        column.addWidget(self._target)
        column.addStretch(1)
        foot = QHBoxLayout()
        foot.addWidget(quiet_label(self, "A snapshot is taken first. Nothing else is written, and nothing is run."))
        foot.addWidget(button(self, "Not now", self.reject))
        self._begin = button(self, "Begin", self.accept, main=True)
        foot.addWidget(self._begin)
        column.addLayout(foot)
        self._look(None)

    @property
    def shelves(self) -> list[str]:
        return [part.strip() for part in self._shelf.text().split(";") if part.strip()]

    @property
    def target(self) -> str:
        return self._target.currentText()

    @property
    def profile(self) -> Profile:
        assert self.opening is not None
        return self.opening.profile

    def _look(self, profile: Path | None) -> None:
        try:
            self.opening = look_at_project(self.project, profile, self._profiles)
        except FernshaleError as error:
            self.opening = None
            self._said.setText(printable(self.project.name))
            self._trouble.setText(str(error))
        else:
            self._said.setText(
                f"{printable(self.project.name)} is on {self.opening.profile.title} {self.opening.release}."
            )
            self._trouble.setText(f"profile: {self.opening.profile.path}")
        self._profile.setVisible(self.opening is None)
        self._read_shelf()

    def _read_shelf(self) -> None:
        self._target.clear()
        if self.opening is not None and self._shelf.text():
            try:
                self._target.addItems(targets_on(self.shelves, self.opening))
                QSettings().setValue("shelf", self._shelf.text())
            except FernshaleError as error:
                self._trouble.setText(str(error))
        self._begin.setEnabled(self._target.count() > 0)

    def _choose_shelf(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "The shelf", self._shelf.text() or str(self.project.parent))
        if folder:
            self._shelf.setText(folder)
            self._read_shelf()

    def _choose_profile(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "The engine profile", str(self.project), "Profiles (*.profile.toml)"
        )
        if name:
            self._look(Path(name))


class SnapshotDialog(QDialog):
    """The snapshots of a knot: what changed since, and bringing it back."""

    def __init__(
        self,
        parent: QWidget,
        knot: Knot,
        crossing: Crossing,
        overview: Overview,
        restore: Callable[[str, tuple[str, ...]], None],
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Snapshots of {knot.stage.value}")
        self.resize(860, 460)
        self._crossing, self._overview, self._restore = crossing, overview, restore
        column = QVBoxLayout(self)
        split = QSplitter(Qt.Orientation.Horizontal, self)
        self._snapshots = RowList(split, "Snapshots", wrap=True)
        self._files = RowList(split, "What differs from now")
        split.setSizes([380, 480])
        column.addWidget(split, 1)
        self._said = quiet_label(self, "")
        column.addWidget(self._said)
        row = QHBoxLayout()
        row.addStretch(1)
        self._one = button(self, "Bring this file back", self._on_one)
        self._all = button(self, "Bring everything back", self._on_all)
        row.addWidget(self._one)
        row.addWidget(self._all)
        row.addWidget(button(self, "Close", self.reject, main=True))
        column.addLayout(row)
        self._snapshots.chosen.connect(self._show)
        self._snapshots.set_rows(
            tuple(
                Row(f"before {title}", time.strftime("%H:%M:%S", time.localtime(when)), payload=id)
                for id, when, title in reversed(knot.snapshots)
            )
        )

    def _show(self, payload: object) -> None:
        if not isinstance(payload, str):
            return
        try:
            then = self._crossing.store.manifest(payload)
        except FernshaleError as error:
            self._said.setText(str(error))
            self._files.set_rows(())
            return
        found = compare(then, self._overview.ground.manifest)
        rows = [
            Row(printable(path), right="changed since", glyph="◐", tone="incoming", payload=path, code=True)
            for path in found.changed
        ]
        rows += [
            Row(printable(path), right="new since", glyph="○", tone="base", payload=path, code=True)
            for path in found.added
        ]
        rows += [
            Row(printable(path), right="gone since", glyph="–", tone="alarm", payload=path, code=True)
            for path in found.removed
        ]
        rows += [
            Row(printable(old), right="moved since", glyph="◐", tone="base", payload=old, code=True)
            for old, _ in found.moved
        ]
        self._files.set_rows(tuple(rows))
        self._said.setText(
            f"{count(len(rows), 'path')} differ from now. Bringing it back is a step that can itself be undone."
        )
        for made in (self._one, self._all):
            made.setEnabled(bool(rows))

    def _on_one(self) -> None:
        self._bring(self._files.current())

    def _on_all(self) -> None:
        self._bring(None)

    def _bring(self, path: object) -> None:
        snapshot = self._snapshots.current()
        if isinstance(snapshot, str):
            self.accept()
            self._restore(snapshot, (path,) if isinstance(path, str) else ())


def ask_trust(parent: QWidget, profile: Profile) -> bool:
    """Whether the user lets this profile run its commands."""
    commands = profile.commands
    lines = [
        f"{name}:  {' '.join(command.run)}"
        for name, command in (("regenerate", commands.regenerate), ("build", commands.build), ("run", commands.run))
        if command is not None
    ]
    lines += [f"try:  {' '.join(need.run)}" for need in profile.requirement]
    box = QMessageBox(parent)
    box.setWindowTitle("Run commands?")
    box.setText(f"{profile.title}'s profile wants to run commands on this machine.")
    box.setInformativeText(f"{profile.path}\n\n" + "\n".join(lines) + "\n\nIt is asked again when the file changes.")
    yes = box.addButton("Let it run these", QMessageBox.ButtonRole.AcceptRole)
    box.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
    box.exec()
    return box.clickedButton() is yes


def show_error(parent: QWidget, error: object) -> None:
    """Tell what went wrong; of an error that is ours to mend, also what kind it is."""
    box = QMessageBox(parent)
    box.setWindowTitle("That did not work")
    if isinstance(error, FernshaleError):
        box.setText(printable(error.message))
        box.setInformativeText(error.hint)
    elif isinstance(error, OSError):
        box.setText(f"{printable(str(error.filename or ''))} {error.strerror or error}".strip())
    else:
        box.setText(f"An error in Fernshale itself: {type(error).__name__}: {error}")
    box.exec()


def choose_editor(parent: QWidget) -> None:
    """Ask for the editor command."""
    words = "The command that opens your editor; {file} and {line} stand for the place."
    text, good = QInputDialog.getText(parent, "Your editor", words, QLineEdit.EchoMode.Normal, editor_command())
    if good:
        QSettings().setValue(SETTING, text.strip())
