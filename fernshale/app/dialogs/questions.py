"""Questions and errors that dialogs share: trust in a profile, the editor, a reason, an error message."""

from __future__ import annotations

import shlex
from pathlib import Path

import regex
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QInputDialog,
    QLineEdit,
    QMessageBox,
    QWidget,
)

from fernshale.api.crossings import Crossing
from fernshale.api.reports import log_file, write_bundle
from fernshale.app.jobs import Runner
from fernshale.app.widgets.basics import quiet_label
from fernshale.core.base.crash_report import in_words
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import printable
from fernshale.core.profile.model import Check, Profile


class WorkingDialog(QDialog):
    """A dialog with work of its own in the background, which ends with it."""

    def __init__(self, parent: QWidget | None) -> None:
        super().__init__(parent)
        self._runner = Runner(self)

    @property
    def is_busy(self) -> bool:
        return self._runner.is_busy

    def done(self, result: int) -> None:
        self._runner.close()
        super().done(result)


def ask_trust(parent: QWidget, profile: Profile) -> bool:
    """Whether the user lets this profile run its commands."""
    lines = [f"{name}:  {' '.join(command.run)}" for name, command in profile.commands.named]
    lines += [tr("read assets:  {command}", command=" ".join(item.print)) for item in profile.binary]
    lines += [
        tr("write ids into assets:  {command}", command=" ".join(item.write)) for item in profile.binary if item.write
    ]
    lines += [tr("try:  {run}", run=" ".join(need.run)) for need in profile.requirement]
    box = QMessageBox(parent)
    box.setWindowTitle(tr("Run commands?"))
    box.setText(tr("{title}'s profile wants to run commands on this machine.", title=profile.title))
    box.setInformativeText(
        f"{profile.path}\n\n" + "\n".join(lines) + tr("\n\nYou are asked again when the file changes.")
    )
    yes = box.addButton(tr("Allow these commands"), QMessageBox.ButtonRole.AcceptRole)
    box.addButton(tr("Not now"), QMessageBox.ButtonRole.RejectRole)
    box.exec()
    return box.clickedButton() is yes


def ask_yes(parent: QWidget, title: str, words: str, yes: str) -> bool:
    """Whether the user agrees to something that must not be taken for granted."""
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setText(words)
    agree = box.addButton(yes, QMessageBox.ButtonRole.AcceptRole)
    box.setDefaultButton(box.addButton(tr("Not now"), QMessageBox.ButtonRole.RejectRole))
    box.exec()
    return box.clickedButton() is agree


def show_error(parent: QWidget, error: object, crossing: Crossing | None = None) -> None:
    """Show an error; for an unexpected one say that nothing was lost and where the details are, and offer a bundle of them."""
    box = QMessageBox(parent)
    bundle = None
    box.setWindowTitle(tr("That did not work"))
    if isinstance(error, FernshaleError):
        box.setText(printable(error.message))
        box.setInformativeText(error.hint)
    else:
        words = printable(in_words(error) if isinstance(error, BaseException) else str(error))
        box.setText(words[:1].upper() + words[1:])
        box.setInformativeText(
            tr(
                "Nothing of your project is lost: each step is written whole or not at all, and the "
                "logbook has all of them. The log is {log_file}.",
                log_file=log_file(),
            )
        )
        bundle = box.addButton(tr("Save a diagnostic bundle…"), QMessageBox.ButtonRole.ActionRole)
        box.setDefaultButton(box.addButton(tr("Close"), QMessageBox.ButtonRole.RejectRole))
    box.exec()
    if bundle is not None and box.clickedButton() is bundle:
        save_bundle(parent, crossing)


def save_bundle(parent: QWidget, crossing: Crossing | None) -> None:
    """Save what a helper needs to know, where a person chooses."""
    name, _ = QFileDialog.getSaveFileName(parent, tr("Save a diagnostic bundle"), "fernshale-diagnostics.zip", "*.zip")
    if not name:
        return
    try:
        write_bundle(Path(name), crossing)
    except (OSError, FernshaleError) as error:
        show_error(parent, error)
        return
    words = tr(
        "It is a zip of texts: versions, this machine, the profile, the end of the log, and the logbook without contents."
    )
    QMessageBox.information(
        parent, tr("Saved"), tr("{name}\n\n{words} Read it before you send it.", name=name, words=words)
    )


def ask_why(parent: QWidget, title: str) -> str | None:
    """A reason, which is kept with the decision; None when the user cancels."""
    why, agreed = QInputDialog.getText(
        parent, title, tr("Why? The reason is kept with the decision and shown in the report.")
    )
    return why.strip() if agreed else None


class CheckDialog(QDialog):
    """A behaviour to check: its name, how it is tried, and what should be seen."""

    _METHODS = (tr("by hand"), tr("the log contains"), tr("the log does not contain"), tr("a command ends well"))
    _HINTS = (
        tr("What to do, and what you should see"),
        tr("A pattern that a line of the log fits"),
        tr("A pattern that no line of the log fits"),
        tr("The command with its arguments, as in a shell"),
    )

    def __init__(self, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("A behaviour to try"))
        self.resize(520, 180)
        form = QFormLayout(self)
        self.name, self.method, self.text = QLineEdit(self), QComboBox(self), QLineEdit(self)
        self.method.addItems(list(self._METHODS))
        self.method.currentIndexChanged.connect(self._hint)
        form.addRow(tr("Called"), self.name)
        form.addRow(tr("Tried"), self.method)
        form.addRow(tr("What"), self.text)
        self._message = quiet_label(self, "")
        form.addRow("", self._message)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel, self)
        buttons.button(QDialogButtonBox.StandardButton.Ok).setText(tr("Add this check"))
        buttons.accepted.connect(self._agree)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)
        self.check: Check | None = None
        self._hint()

    def _hint(self) -> None:
        self.text.setPlaceholderText(self._HINTS[self.method.currentIndex()])

    def _agree(self) -> None:
        try:
            self.check = self._read()
        except (ValueError, regex.error) as error:
            self._message.setText(tr("That cannot be tried: {error}", error=error))
            return
        self.accept()

    def _read(self) -> Check:
        name, text = self.name.text().strip(), self.text.text().strip()
        if not name or not text:
            raise ValueError(tr("it needs a name and a text"))
        match self.method.currentIndex():
            case 0:
                return Check(name, by_hand=text)
            case 1:
                return Check(name, prints=regex.compile(text).pattern)
            case 2:
                return Check(name, never=regex.compile(text).pattern)
        return Check(name, run=tuple(shlex.split(text)))


def ask_check(parent: QWidget) -> Check | None:
    """A check to add, None when the user cancels."""
    dialog = CheckDialog(parent)
    dialog.exec()
    return dialog.check
