"""Questions: whether to trust a profile, what to do with a snapshot, which editor."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import (
    QDialog,
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
from fernshale.app.widgets.basics import button, quiet_label
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.treepath import printable
from fernshale.core.base.words import count
from fernshale.core.crossing.overview import Overview
from fernshale.core.crossing.state import Crossing
from fernshale.core.profile.model import Profile
from fernshale.core.snapshot.compare import compare


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
