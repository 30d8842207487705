"""The start page: each crossing with how it stands, resumed or deleted."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog, QPushButton
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.crossing_files import ImportCrossingDialog
from fernshale.app.pages import start
from fernshale.app.recent import recent_folders, remember
from fernshale.app.widgets.crossing_list import CrossingRow
from fernshale.app.window import MainWindow
from fernshale.core.base.settings import change_settings
from fernshale.core.crossing.record.crossing_archive import IS_ARCHIVED
from fernshale.core.crossing.record.database import all_crossings
from tests.conftest import listing
from tests.wick import Wick


def test_a_crossing_is_shown_as_it_stood_and_resumed(opened: MainWindow, qtbot: QtBot) -> None:
    opened._to_start()
    page = opened.start_page
    (row,) = page._list.rows()
    assert isinstance(row.payload, CrossingRow) and row.payload.look.is_known
    overview = opened.session.overview
    assert overview is not None and row.payload.look.coming in {item.title for item in overview.items}
    assert row.title.startswith("candle") and row.sub == row.payload.look.finding
    # Its band is painted: more colours than the text alone has.
    picture: QImage = page._list.grab().toImage()
    y = page._list.visualRect(page._list.currentIndex()).top() + 42 + 7
    assert len({picture.pixel(x, y) for x in range(picture.width() // 2, picture.width())}) > 3
    with qtbot.waitSignal(opened.session.overview_changed, timeout=30_000):
        page._go_on.click()
    assert opened._stack.currentIndex() == 1


@pytest.mark.parametrize("says_yes", [False, True])
def test_a_crossing_is_deleted_once_a_person_read_what_goes(
    wick: Wick, opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, says_yes: bool
) -> None:
    opened._to_start()
    before = listing(wick.project)
    asked: list[str] = []

    def answer(_parent: object, title: str, words: str, _yes: str) -> bool:
        asked.append(f"{title} {words}")
        return says_yes

    monkeypatch.setattr("fernshale.app.pages.start.ask_yes", answer)
    opened.start_page._delete.click()
    qtbot.waitUntil(lambda: not opened.start_page._runner.is_busy, timeout=30_000)
    assert "candle" in asked[0] and "snapshot" in asked[0] and "stays as it is" in asked[0]
    assert bool(all_crossings()) == (not says_yes) and listing(wick.project) == before
    assert (opened.session.crossing is None) == says_yes
    if says_yes:
        qtbot.waitUntil(lambda: "freed" in opened.start_page._said.text(), timeout=5_000)
        assert not opened.start_page._delete.isEnabled()


def test_a_crossing_goes_into_a_file_and_comes_back_on_another_machine(
    opened: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    page = opened.start_page
    opened._to_start()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_given: (str(tmp_path / "candle"), ""))
    page._export.click()
    qtbot.waitUntil(lambda: "exported into" in page._said.text(), timeout=30_000)
    monkeypatch.setenv("FERNSHALE_HOME", str(tmp_path / "elsewhere"))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_given: (str(tmp_path / "candle.crossing"), ""))
    target = tmp_path / "theirs"

    def fill(dialog: ImportCrossingDialog) -> int:
        assert not dialog._import.isEnabled() and dialog._commands.isHidden()
        dialog._project.setText(str(target))
        assert dialog._import.isEnabled() and dialog.plan.shelves == ()
        return int(dialog.DialogCode.Accepted)

    monkeypatch.setattr(ImportCrossingDialog, "exec", fill)
    with qtbot.waitSignal(opened.session.opened, timeout=30_000):
        page._ask_import()
    qtbot.waitUntil(lambda: not opened.session.runner.is_busy, timeout=30_000)
    assert opened.session.crossing is not None and opened.session.crossing.setup.project == target
    assert (target / "candle.ini").is_file()


def test_the_archive_is_listed_last_and_a_crossing_comes_back_from_it(opened: MainWindow, qtbot: QtBot) -> None:
    page, crossing = opened.start_page, opened.session.crossing
    assert crossing is not None
    (crossing.scratch("build") / "lamp.o").write_bytes(bytes(5000))
    opened._to_start()
    page._archive.click()
    assert "5.0 kB of builds were freed" in page._said.text() and not (crossing.folder / "build").exists()
    assert page._list.rows()[0].title == "Archive"
    page._list.select(page._list.rows()[1].payload)
    assert page._archive.text() == "Take from the archive"
    page._archive.click()
    assert not crossing.read(IS_ARCHIVED) and "Archive" not in [row.title for row in page._list.rows()]


def test_folders_that_were_opened_are_offered_again(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    for name in "abcdef":
        (tmp_path / name).mkdir()
        remember(tmp_path / name)
    remember(tmp_path / "c")
    (tmp_path / "e").rmdir()
    assert [folder.name for folder in recent_folders()] == ["c", "f", "d", "b"]
    window.start_page.refresh()
    wanted: list[object] = []
    window.start_page.project_wanted.connect(wanted.append)
    links = [item for item in window.start_page._fresh.findChildren(QPushButton) if item.objectName() == "link"]
    window.start_page.project_wanted.disconnect(window.open_project)
    next(item for item in links if item.text().endswith("/d")).click()
    assert wanted == [tmp_path / "d"]


def test_what_is_missing_is_said_with_how_to_get_it(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(shutil, "which", lambda name: "/bin/dnf" if name == "dnf" else None)
    assert start._machine_lines()[0] == "◆ Not found: a C++ compiler (g++).  sudo dnf install gcc-c++"
    monkeypatch.setattr(shutil, "which", lambda name: None)
    assert start._machine_lines()[2] == "◆ Not found: git."


def test_a_store_that_is_larger_than_wanted_is_told(opened: MainWindow) -> None:
    opened.start_page.refresh()
    assert opened.start_page._store_words.isHidden()
    change_settings({"store.warn_from_gib": 0.000001})
    opened.start_page.refresh()
    assert "The snapshot store has" in opened.start_page._store_words.text()
