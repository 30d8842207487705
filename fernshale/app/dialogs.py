"""What dialogs share; questions: whether to trust a profile, which editor; and what went wrong."""

from __future__ import annotations

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import (
    QDialog,
    QInputDialog,
    QLineEdit,
    QMessageBox,
    QWidget,
)

from fernshale.app.editor import SETTING, editor_command
from fernshale.app.jobs import Runner
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.treepath import printable
from fernshale.core.profile.model import Profile


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
    lines += [f"try:  {' '.join(need.run)}" for need in profile.requirement]
    box = QMessageBox(parent)
    box.setWindowTitle("Run commands?")
    box.setText(f"{profile.title}'s profile wants to run commands on this machine.")
    box.setInformativeText(f"{profile.path}\n\n" + "\n".join(lines) + "\n\nIt is asked again when the file changes.")
    yes = box.addButton("Let it run these", QMessageBox.ButtonRole.AcceptRole)
    box.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
    box.exec()
    return box.clickedButton() is yes


def ask_yes(parent: QWidget, title: str, words: str, yes: str) -> bool:
    """Whether the user wants something that cannot be taken for granted."""
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setText(words)
    agree = box.addButton(yes, QMessageBox.ButtonRole.AcceptRole)
    box.setDefaultButton(box.addButton("Not now", QMessageBox.ButtonRole.RejectRole))
    box.exec()
    return box.clickedButton() is agree


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
