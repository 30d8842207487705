"""The menu, the keys, the guide and the settings: one table of commands, and a guide that tells the truth about it."""

from __future__ import annotations

import re

import pytest
from PySide6.QtCore import QSettings, Qt, QUrl
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit, QMenu, QMessageBox, QWidget
from pytestqt.qtbot import QtBot

from fernshale.app.commands import AREAS
from fernshale.app.dialogs.settings import SettingsDialog
from fernshale.app.guide import chapters, guide_folder
from fernshale.app.main import keep_former_settings
from fernshale.app.theme import LIGHT_HIGH, choose_theme, theme
from fernshale.app.window import MainWindow
from fernshale.core.base.settings import change_settings, settings, settings_file
from fernshale.core.crossing.record.stage import STAGES, Stage


def _menu_lines(window: MainWindow) -> dict[str, tuple[str, bool]]:
    """What the menu offers: the key of each line and whether it can be used."""
    menu = QMenu(window)
    window._fill_menu(menu)
    groups = [action.menu() for action in menu.actions()]
    assert [action.text() for action in menu.actions()] == list(AREAS)
    found = {}
    for group in groups:
        assert isinstance(group, QMenu)
        for action in group.actions():
            title, _, key = action.text().partition("\t")
            assert title not in found
            found[title] = key, action.isEnabled()
    return found


def test_the_menu_has_every_command_and_disables_what_needs_a_crossing(window: MainWindow) -> None:
    lines = _menu_lines(window)
    assert {item.title for item in window.commands() if not item.is_key_only} == set(lines)
    assert lines["Open a folder…"] == ("Ctrl+O", True) and lines["Build"] == ("F5", False)


def test_with_a_crossing_the_menu_is_all_usable(opened: MainWindow) -> None:
    assert all(is_enabled for _, is_enabled in _menu_lines(opened).values())


def test_no_key_has_two_meanings(window: MainWindow) -> None:
    keys = [key for item in window.commands() for key in item.keys]
    assert len(keys) == len(set(keys))
    for page in window.pages.values():
        own = [key for item in page.keys for key in item.keys]
        assert len(own) == len(set(own)) and not set(own) & set(keys)


def test_every_key_is_in_the_guide_and_in_the_page_of_keys(window: MainWindow) -> None:
    guide = (guide_folder() / "the-window.md").read_text()
    table = guide.partition("## Keys")[2]
    page = window.help.window._keys
    for item in (*window.commands(), *(item for page in window.pages.values() for item in page.keys)):
        for key in item.keys[:1]:
            assert key in page
            spelled = {"Escape": "Esc", "Ctrl+Return": "Ctrl+Enter"}.get(key, key)
            number = re.fullmatch(r"(?:Alt\+)?([2-7])", key)
            assert number or spelled in table, key


@pytest.mark.parametrize("stage", STAGES)
def test_f1_opens_the_guide_at_the_page(opened: MainWindow, qtbot: QtBot, stage: Stage) -> None:
    opened.show_stage(stage)
    qtbot.keyClick(opened, Qt.Key.Key_F1)
    window = opened.help.window
    assert window.isVisible() and window.shown == "pages"
    assert window._text.textCursor().block().text() == stage.value
    assert len(opened.pages[stage].whatsThis()) > 60
    window.close()


def test_links_of_the_guide_lead_somewhere(window: MainWindow, qtbot: QtBot) -> None:
    help_window = window.help.window
    for chapter in chapters():
        help_window.show_chapter(chapter.name)
        assert help_window._text.document().toPlainText().startswith(chapter.title)
        for target in re.findall(r"\]\(([^)#]+?\.(?:md|png))[^)]*\)", chapter.path.read_text()):
            assert (guide_folder() / target).resolve().is_file(), (chapter.name, target)
    assert {item.name for item in chapters()} == {path.stem for path in guide_folder().glob("*.md")}
    help_window.show_chapter("pages")
    help_window._on_link(QUrl("fixing-the-build.md"))
    assert help_window.shown == "fixing-the-build"
    help_window._words.setText("woven text")
    help_window._find()
    assert help_window._text.textCursor().selectedText().lower() == "woven text"


def test_the_guide_lists_every_setting_with_its_usual_value() -> None:
    import tomllib
    from dataclasses import asdict

    text = (guide_folder() / "settings.md").read_text()
    rows = re.findall(r"^\| (\w+) \| (\w+) \| ([^|]+) \|", text, re.M)
    told = {f"{table}.{key}": tomllib.loads(f"v = {value}")["v"] for table, key, value in rows if key != "key"}
    known = {f"{table}.{key}": value for table, part in asdict(settings()).items() for key, value in part.items()}
    assert told == known


def _field(dialog: QWidget, name: str, kind: type[QWidget]) -> QWidget:
    return next(item for item in dialog.findChildren(kind) if item.accessibleName() == name)


def test_only_what_was_changed_is_written(window: MainWindow, qtbot: QtBot) -> None:
    change_settings({"work.jobs": 3})
    dialog = SettingsDialog(window, settings())
    qtbot.addWidget(dialog)
    assert dialog.changed_values() == {}
    editor, theme_box = _field(dialog, "Your editor", QLineEdit), _field(dialog, "Theme", QComboBox)
    assert isinstance(editor, QLineEdit) and isinstance(theme_box, QComboBox)
    editor.setText("pen {file}")
    theme_box.setCurrentIndex(theme_box.findData("dark"))
    assert dialog.changed_values() == {"work.editor": "pen {file}", "look.theme": "dark"}
    dialog.accept()
    assert dialog.result() == dialog.DialogCode.Accepted
    assert (settings().work.editor, settings().look.theme, settings().work.jobs) == ("pen {file}", "dark", 3)


def test_a_wrong_value_keeps_the_dialog_open_and_writes_nothing(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    shown: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda self: shown.append(self.text()))
    dialog = SettingsDialog(window, settings())
    qtbot.addWidget(dialog)
    editor = _field(dialog, "Your editor", QLineEdit)
    assert isinstance(editor, QLineEdit)
    editor.setText('pen "{file}')
    dialog.accept()
    assert dialog.result() != dialog.DialogCode.Accepted and "cannot be read" in " ".join(shown)
    assert not settings_file().exists()


def test_a_value_that_no_choice_has_is_shown_and_stays(window: MainWindow, qtbot: QtBot) -> None:
    change_settings({"work.apply_from": 0.83})
    dialog = SettingsDialog(window, settings())
    qtbot.addWidget(dialog)
    box = _field(dialog, "Apply fixes automatically from", QComboBox)
    assert isinstance(box, QComboBox) and box.currentText() == "0.83" and dialog.changed_values() == {}


def test_settings_of_earlier_versions_are_taken_over_once(qapp: QApplication) -> None:
    QSettings().setValue("letters", "1.5")
    QSettings().setValue("editor/command", "pen {file}")
    keep_former_settings()
    assert (settings().look.letters, settings().work.editor) == (1.5, "pen {file}")
    assert QSettings().value("letters") is None
    change_settings({"look.letters": 1.0})
    keep_former_settings()
    assert settings().look.letters == 1.0


def test_high_contrast_is_another_set_of_colours(window: MainWindow) -> None:
    try:
        choose_theme("light", has_high_contrast=True)
        assert theme() is LIGHT_HIGH
    finally:
        choose_theme("desktop")
