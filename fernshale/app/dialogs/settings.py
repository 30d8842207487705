"""The settings in one dialog. It writes `settings.toml`, which can be edited by hand as well."""

from __future__ import annotations

import shlex
from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.snapshots import check_store_folder
from fernshale.app.dialogs.questions import show_error
from fernshale.app.language import language_title, languages
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.settings import Settings, change_settings, settings, settings_file
from fernshale.core.base.texts import tr

_THEMES = ((tr("as the desktop"), "desktop"), (tr("light"), "light"), (tr("dark"), "dark"))
_CONTRASTS = ((tr("usual"), "usual"), (tr("high"), "high"))
_LETTERS = (
    (tr("as the desktop"), 0.0), (tr("smaller"), 0.85), (tr("usual"), 1.0), (tr("larger"), 1.15), (tr("1.3 times"), 1.3),
    (tr("1.5 times"), 1.5), (tr("1.75 times"), 1.75), (tr("twice"), 2.0),
)  # fmt: skip
_APPLY = (("0.70", 0.7), ("0.80", 0.8), ("0.90", 0.9), ("0.95", 0.95), (tr("never"), 2.0))
_LEVELS = ((tr("errors and warnings"), "warning"), (tr("actions"), "info"), (tr("every detail"), "debug"))
Choices = tuple[tuple[str, Any], ...]


class SettingsDialog(QDialog):
    """The settings of the user; accepted once they are written."""

    def __init__(self, parent: QWidget | None, current: Settings) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Settings"))
        self.resize(660, 720)
        self._before = current
        self._values: dict[str, Callable[[], Any]] = {}
        column = QVBoxLayout(self)
        area = QScrollArea(self)
        area.setAccessibleName(tr("Settings"))
        area.setWidgetResizable(True)
        inner = QWidget(area)
        self._form = QFormLayout(inner)
        self._form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        self._form.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapLongRows)
        self._inner = inner
        self._fill(current)
        area.setWidget(inner)
        column.addWidget(area, 1)
        column.addWidget(quiet_label(self, tr("These are kept in {settings_file}.", settings_file=settings_file())))
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(button(self, tr("Cancel"), self.reject))
        save = button(self, tr("Save the settings"), self.accept, main=True)
        save.setDefault(True)
        foot.addWidget(save)
        column.addLayout(foot)

    def _fill(self, now: Settings) -> None:
        self._head(tr("Look"))
        self._choice("look.theme", tr("Theme"), _THEMES, now.look.theme)
        self._choice("look.contrast", tr("Contrast"), _CONTRASTS, now.look.contrast)
        self._choice("look.letters", tr("Size of letters"), _LETTERS, now.look.letters)
        titles = tuple((language_title(code), code) for code in languages())
        self._choice(
            "look.language",
            tr("Language, from the next start"),
            ((tr("as the desktop"), ""), *titles),
            now.look.language,
        )
        self._head(tr("Work"))
        self._line("work.editor", tr("Your editor"), now.work.editor, tr("as: code-editor {file}:{line}"))
        self._number("work.jobs", tr("Parallel jobs of a build"), now.work.jobs, 1024, tr("one for each processor"))
        self._choice("work.apply_from", tr("Apply fixes automatically from"), _APPLY, now.work.apply_from)
        self._head(tr("Snapshots"))
        self._folder("store.folder", tr("Folder of the store"), now.store.folder)
        self._size("store.warn_from_gib", tr("Say when the store is larger than"), now.store.warn_from_gib, tr("never"))
        self._number(
            "store.keep_last", tr("Deleting keeps the last"), now.store.keep_last, 999, tr("none"), tr(" snapshots")
        )
        self._number(
            "store.keep_days",
            tr("and the latest of each of the last"),
            now.store.keep_days,
            999,
            tr("none"),
            tr(" days"),
        )
        self._head(tr("Copies in which proposals are tried"))
        self._size("scratch.largest_gib", tr("Largest copy"), now.scratch.largest_gib, tr("as the disk has room"))
        self._head(tr("Rehearsals"))
        self._check(
            "rehearsal.new_releases",
            tr("Rehearse new releases of the shelf in the background"),
            now.rehearsal.new_releases,
        )
        self._head(tr("Notifications"))
        self._check(
            "notifications.enabled", tr("Report the end of long work to the desktop"), now.notifications.enabled
        )
        seconds = self._size(
            "notifications.after_seconds", tr("after more than"), now.notifications.after_seconds, tr("any work")
        )
        seconds.setSuffix(" s")
        self._head(tr("Log"))
        self._choice("log.level", tr("The log has"), _LEVELS, now.log.level)

    # -- rows

    def _head(self, title: str) -> None:
        label = heading_label(self._inner, title)
        label.setContentsMargins(0, 10, 0, 0)
        self._form.addRow(label)

    def _row(self, key: str, title: str, field: QWidget, value: Callable[[], Any], row: QWidget | None = None) -> None:
        field.setAccessibleName(title)
        self._form.addRow(title, row or field)
        self._values[key] = value

    def _choice(self, key: str, title: str, choices: Choices, now: Any) -> None:
        made = QComboBox(self._inner)
        by_hand = () if now in [value for _, value in choices] else ((str(now), now),)
        for words, value in (*choices, *by_hand):
            made.addItem(words, value)
        made.setCurrentIndex(made.findData(now))
        self._row(key, title, made, made.currentData)

    def _line(self, key: str, title: str, now: str, hint: str) -> QLineEdit:
        made = QLineEdit(now, self._inner)
        made.setPlaceholderText(hint)
        self._row(key, title, made, lambda: made.text().strip())
        return made

    def _number(self, key: str, title: str, now: int, most: int, none: str, suffix: str = "") -> None:
        made = QSpinBox(self._inner)
        made.setRange(0, most)
        made.setSpecialValueText(none)
        made.setSuffix(suffix)
        made.setValue(now)
        self._row(key, title, made, made.value)

    def _size(self, key: str, title: str, now: float, none: str) -> QDoubleSpinBox:
        made = QDoubleSpinBox(self._inner)
        made.setRange(0, 100_000)
        made.setDecimals(1)
        made.setSpecialValueText(none)
        made.setSuffix(" GiB")
        made.setValue(now)
        self._row(key, title, made, made.value)
        return made

    def _check(self, key: str, title: str, now: bool) -> None:
        made = QCheckBox(title, self._inner)
        made.setChecked(now)
        made.setAccessibleName(title)
        self._form.addRow(made)
        self._values[key] = made.isChecked

    def _folder(self, key: str, title: str, now: str) -> None:
        whole = QWidget(self._inner)
        row = QHBoxLayout(whole)
        row.setContentsMargins(0, 0, 0, 0)
        made = QLineEdit(now, whole)
        made.setPlaceholderText(tr("in your data folder"))
        row.addWidget(made, 1)

        def choose() -> None:
            if folder := QFileDialog.getExistingDirectory(self, tr("The folder of the snapshot store")):
                made.setText(folder)

        row.addWidget(button(whole, tr("Choose…"), choose))
        self._row(key, title, made, lambda: made.text().strip(), whole)

    # -- saving

    def changed_values(self) -> Mapping[str, Any]:
        """The values that differ from those the dialog was opened with, by their keys."""
        found = {}
        for key, value in self._values.items():
            table, _, name = key.partition(".")
            if value() != getattr(getattr(self._before, table), name):
                found[key] = value()
        return found

    def accept(self) -> None:
        changed = self.changed_values()
        try:
            if "work.editor" in changed:
                _check_command(changed["work.editor"])
            if "store.folder" in changed:
                check_store_folder(changed["store.folder"])
            if changed:
                change_settings(changed)
        except FernshaleError as error:
            show_error(self, error)
            return
        super().accept()


def _check_command(command: str) -> None:
    """Raises MisuseError for a command that cannot be read."""
    try:
        shlex.split(command)
    except ValueError as error:
        raise MisuseError(
            tr("the editor command cannot be read: {error}", error=error), tr("Close its quotation marks.")
        ) from error


def ask_settings(parent: QWidget) -> bool:
    """Show the dialog; whether settings were written."""
    try:
        current = settings()
    except FernshaleError as error:
        show_error(parent, error)
        return False
    dialog = SettingsDialog(parent, current)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    return dialog.exec() == QDialog.DialogCode.Accepted
