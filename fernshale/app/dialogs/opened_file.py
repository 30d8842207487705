"""A file of ours that was opened by itself: what it is, its text, and what can be done with it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from fernshale.api.building import keep_rules, read_rules
from fernshale.api.crossings import Crossing, all_crossings
from fernshale.api.projects import keep_profile, read_profile
from fernshale.api.reports import read_playbook
from fernshale.app.dialogs.questions import show_error
from fernshale.app.theme import code_font
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.toml_schema import read_utf8
from fernshale.core.base.treepath import printable


class OpenedFileDialog(QDialog):
    """Shows a profile, a rule file or a playbook. Nothing is kept before the button is pressed.

    Raises MisuseError, FormatError for any other file.
    """

    def __init__(self, parent: QWidget | None, file: Path) -> None:
        super().__init__(parent)
        self.setWindowTitle(file.name)
        self.resize(760, 560)
        self._file = file
        text = read_utf8(file)[1]
        title, words, act, verb = self._about(file)
        column = QVBoxLayout(self)
        column.addWidget(heading_label(self, printable(title)))
        column.addWidget(quiet_label(self, words))
        shown = QPlainTextEdit(text, self)
        shown.setReadOnly(True)
        shown.setFont(code_font())
        shown.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        shown.setAccessibleName(tr("The file"))
        column.addWidget(shown, 1)
        foot = QHBoxLayout()
        self._crossing = QComboBox(self)
        self._crossing.setAccessibleName(tr("Crossing"))
        for crossing in all_crossings():
            setup = crossing.setup
            self._crossing.addItem(f"{printable(setup.project.name)}   {setup.start} → {setup.target}", crossing)
        self._crossing.setVisible(act == self._add_rules)
        foot.addWidget(self._crossing)
        self._said = quiet_label(self, "")
        foot.addWidget(self._said, 1)
        foot.addWidget(button(self, tr("Close"), self.reject))
        self._act = button(self, verb, lambda: self._do(act), main=True)
        self._act.setVisible(bool(verb))
        self._act.setEnabled(act != self._add_rules or self._crossing.count() > 0)
        foot.addWidget(self._act)
        column.addLayout(foot)

    def _about(self, file: Path) -> tuple[str, str, Callable[[], str], str]:
        """A title, a sentence, and what the button does with its words."""
        if file.name.endswith(".profile.toml"):
            profile = read_profile(file)
            words = tr(
                "An engine profile: it says how projects of this engine look. It runs nothing before you trust it."
            )
            return profile.title, words, self._keep_profile, tr("Keep it with your profiles")
        if file.name.endswith(".rules.toml"):
            found = read_rules(file)
            words = tr(
                "{fix_rules} for builds. They propose fixes; nothing is applied by them alone.",
                fix_rules=count(len(found.rules), "fix rule"),
            )
            return found.title, words, self._add_rules, tr("Add the rules to this crossing")
        if file.name.endswith(".playbook.toml"):
            read_playbook(file)
            words = tr("Decisions, rules and checks of a finished crossing. Use it with ")
            words += f"fernshale cross PROJECT --playbook {file.name}"
            return tr("A playbook"), words, str, ""
        raise MisuseError(
            tr("{file} is no file of Fernshale", file=file),
            tr("It opens folders, and files that end in .crossing, .profile.toml, .rules.toml or .playbook.toml."),
        )

    def _keep_profile(self) -> str:
        return tr("kept as {place}", place=printable(str(keep_profile(self._file))))

    def _add_rules(self) -> str:
        crossing = self._crossing.currentData()
        assert isinstance(crossing, Crossing)
        rules = read_rules(self._file).rules
        keep_rules(crossing, rules)
        return tr(
            "{rules} added to {name}", rules=count(len(rules), "rule"), name=printable(crossing.setup.project.name)
        )

    def _do(self, act: Callable[[], str]) -> None:
        try:
            self._said.setText(act())
        except (FernshaleError, OSError) as error:
            show_error(self, error)
