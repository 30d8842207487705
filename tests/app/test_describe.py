"""A project that no profile fits is described by clicks, its releases are added by pointing, and a crossing begins."""

from __future__ import annotations

import shlex
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QApplication, QInputDialog, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.add_releases import AddReleasesDialog
from fernshale.app.dialogs.begin import BeginDialog
from fernshale.app.dialogs.describe import DescribeDialog
from fernshale.app.dialogs.describe_cards import AnswerCard, SectionCard
from fernshale.app.widgets.marked_lines import MarkedLines
from fernshale.app.window import MainWindow
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.project.describing import save_profile
from fernshale.core.profile.read import read_profile
from fernshale.sample import shape_releases, unpack_shape
from tests.conftest import Tree, listing
from tests.shape_ways import WAYS, described


def _opened(qtbot: QtBot, project: Path) -> DescribeDialog:
    dialog = DescribeDialog(None, project)
    qtbot.addWidget(dialog)
    dialog.show()
    qtbot.waitUntil(lambda: dialog._description is not None and not dialog.is_busy, timeout=20_000)
    return dialog


def _click_text(qtbot: QtBot, dialog: DescribeDialog, line: int, text: str) -> None:
    """Click a text in a line of the file that is shown."""
    block = next(
        block for block in dialog._text.findChildren(MarkedLines) if line in {item.number for item in block.lines}
    )
    at = next(number for number, item in enumerate(block.lines) if item.number == line)
    column = block.lines[at].text.index(text)
    place = QPoint(48 + int((column + 0.6) * block._letter), at * 22 + 10)
    qtbot.mouseClick(block, Qt.MouseButton.LeftButton, pos=place)


def _press(qtbot: QtBot, within: QWidget, words: str) -> None:
    """Press the button whose text has these words."""
    button = next(item for item in within.findChildren(QPushButton) if words in item.text() and item.isVisible())
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def _answer(qtbot: QtBot, dialog: DescribeDialog, words: str) -> None:
    card = dialog.findChildren(AnswerCard)[-1]
    _press(qtbot, card, words)
    qtbot.waitUntil(lambda: not dialog.is_busy)


def _press_in(qtbot: QtBot, dialog: DescribeDialog, topic: str, words: str) -> None:
    """Press a button of a section."""
    assert dialog._description is not None
    at = [section.topic for section in dialog._description.sections].index(topic)
    _press(qtbot, dialog._scroll.widget().findChildren(SectionCard)[at], words)
    qtbot.waitUntil(lambda: not dialog.is_busy)


def _show(dialog: DescribeDialog, file: str) -> None:
    dialog._choose(file)


def test_a_value_is_confirmed_by_a_click_and_its_question_is_gone(qtbot: QtBot, tmp_path: Path) -> None:
    project = unpack_shape(tmp_path, "lantern-run")
    before = listing(project)
    dialog = _opened(qtbot, project)
    assert dialog._description is not None and dialog._description.headline.startswith(
        "kiln 4.2.1, written in 9 places"
    )
    _show(dialog, "build.settings")
    _click_text(qtbot, dialog, 5, "2026.03.18")
    _answer(qtbot, dialog, "belongs to each engine release")
    _click_text(qtbot, dialog, 6, "31.0.2")
    _answer(qtbot, dialog, "My own value")
    draft = dialog._description.draft
    assert draft is not None
    assert [(item.text, item.said) for item in draft.belonging if item.file == "build.settings"] == [
        ("2026.03.18-4.2.1", True)
    ]
    # A value that was taken for the engine's is struck out by a click, too, and is not proposed again.
    _show(dialog, "README.txt")
    _click_text(qtbot, dialog, 3, "4.2.1")
    _answer(qtbot, dialog, "My own value")
    assert dialog._description.draft is not None
    assert "README.txt" not in {place.file for site in dialog._description.draft.sites for place in site.places}
    assert listing(project) == before
    _press(qtbot, dialog, "Use this description")
    assert dialog.profile is not None
    profile = read_profile(dialog.profile)
    assert [item.name for item in profile.release_value] == ["glaze"]
    assert listing(project) == before


@pytest.mark.parametrize("name", WAYS)
def test_clicks_describe_each_shape_as_its_answers_do(
    name: str, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    way = WAYS[name]
    project = unpack_shape(tmp_path, name)
    dialog = _opened(qtbot, project)
    description = dialog._description
    assert description is not None
    for file, text in way.belongs:
        _show(dialog, file)
        shown = description.facts.texts[TreePath(file)]
        _click_text(qtbot, dialog, shown.count("\n", 0, shown.index(text)) + 1, text)
        _answer(qtbot, dialog, "belongs to each engine release")
    while any(item.topic == "belonging" for item in dialog._description.questions):
        qtbot.keyClick(dialog, Qt.Key.Key_N)
        _answer(qtbot, dialog, "My own value")
    if way.build:
        monkeypatch.setattr(QInputDialog, "getText", lambda *_: (shlex.join(way.build), True))
        _press_in(qtbot, dialog, "build", "Another command…")
    else:
        _press_in(qtbot, dialog, "build", "It is not built")
    _press_in(qtbot, dialog, "run", "It is not run")
    assert dialog._description.answers == described(way, project).answers
    assert not dialog._description.questions
    _press(qtbot, dialog, "Use this description")
    assert dialog.profile is not None
    clicked = dialog.profile.read_text()
    dialog.profile.unlink()
    assert save_profile(described(way, project)).read_text() == clicked


@pytest.mark.parametrize("width", [900, 1024, 1240, 1800])
def test_every_row_of_files_is_shown_above_the_text(width: int, qtbot: QtBot, tmp_path: Path) -> None:
    dialog = _opened(qtbot, unpack_shape(tmp_path, "lantern-run"))
    for wide in (1500, width):
        dialog.resize(wide, 700)
        qtbot.wait(50)
    chips = dialog._chips
    last = chips.visualItemRect(chips.item(chips.count() - 1))
    rows = len({chips.visualItemRect(chips.item(at)).top() for at in range(chips.count())})
    assert last.bottom() < chips.viewport().height() or rows > 3
    assert not chips.verticalScrollBar().isVisible() or rows > 3


def test_what_was_said_is_kept_for_later_and_a_profile_changed_by_hand_is_not_written_over(
    qtbot: QtBot, tmp_path: Path
) -> None:
    project = unpack_shape(tmp_path, "bell-tower")
    dialog = _opened(qtbot, project)
    _show(dialog, "game.conf")
    _click_text(qtbot, dialog, 7, "41")
    _answer(qtbot, dialog, "belongs to each engine release")
    _press(qtbot, dialog, "Later")
    again = _opened(qtbot, project)
    assert again._description is not None and again._description.draft is not None
    assert [item.said for item in again._description.draft.belonging] == [True]
    _press(qtbot, again, "Use this description")
    first = again.profile
    assert first is not None
    third = _opened(qtbot, project)
    _press(qtbot, third, "Use this description")
    assert third.profile == first
    first.write_text(first.read_text() + "# mine\n")
    fourth = _opened(qtbot, project)
    _press(qtbot, fourth, "Use this description")
    assert fourth.profile is not None and fourth.profile != first and first.read_text().endswith("# mine\n")


def test_a_plugin_value_is_found_in_every_descriptor(qtbot: QtBot, tree: Tree) -> None:
    project = tree(
        "game",
        {
            "game.json": '{"engine": {"name": "Wick", "release": "2.0.1"}}',
            "plugins/a/info.json": '{"label": "a", "version": "1.0", "made_for": "2.0.1"}',
            "plugins/b/info.json": '{"label": "b", "version": "1.1", "made_for": "2.0.1"}',
            "plugins/c/info.json": '{"label": "c", "version": "1.2"}',
        },
    )
    dialog = _opened(qtbot, project)
    _show(dialog, "plugins/a/info.json")
    _click_text(qtbot, dialog, 1, 'a"')
    card = dialog.findChildren(AnswerCard)[-1]
    _press(qtbot, card, "The plugin's name")
    qtbot.waitUntil(lambda: not dialog.is_busy)
    _show(dialog, "plugins/a/info.json")
    _click_text(qtbot, dialog, 1, "2.0.1")
    from PySide6.QtWidgets import QLabel

    words = " ".join(label.text() for label in dialog.findChildren(AnswerCard)[-1].findChildren(QLabel))
    assert "plugins/b/info.json:1" in words and "not found in plugins/c/info.json" in words
    _answer(qtbot, dialog, "The engine releases that the plugin accepts")
    draft = dialog._description.draft if dialog._description else None
    assert draft is not None and draft.plugins is not None
    assert draft.plugins.id is not None and draft.plugins.id.json == "/label"
    assert draft.plugins.accepts is not None and draft.plugins.accepts.json == "/made_for"


def test_a_project_in_which_nothing_was_found_is_described_by_pointing(qtbot: QtBot, tree: Tree) -> None:
    project = tree("odd", {"settings.txt": "machine turnip\nturnip = seven 7.1.2\n", "src/a.lua": "x = 1\n"})
    dialog = _opened(qtbot, project)
    _show(dialog, "settings.txt")
    _click_text(qtbot, dialog, 2, "7.1.2")
    _answer(qtbot, dialog, "The engine's release")
    assert dialog._description is not None and dialog._description.draft is not None
    assert dialog._description.draft.release == "7.1.2"


def test_a_command_is_tried_in_a_copy_once_agreed_to_and_its_output_is_understood(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    if shutil.which("gcc") is None:
        pytest.skip("needs a C compiler")
    project = unpack_shape(tmp_path, "bell-tower")
    before = listing(project)
    dialog = _opened(qtbot, project)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("gcc -c src/main.c -o {build}/main.o", True))
    dialog._type_command("build")
    qtbot.waitUntil(lambda: not dialog.is_busy)
    assert dialog._trial is None
    assert dialog._description is not None
    command = dialog._description.command("build")
    assert command is not None
    dialog._try("build", command)
    qtbot.waitUntil(lambda: dialog._trial is not None and not dialog.is_busy, timeout=60_000)
    assert dialog._trial is not None and dialog._trial.words == "It was understood: 1 error in 1 file."
    assert listing(project) == before


def test_a_line_of_an_unknown_tool_is_pointed_at_and_lines_like_it_are_understood(qtbot: QtBot, tree: Tree) -> None:
    tool = "echo 'knot works'; echo '!! src/a.knt @ 3 => loose'; echo '!! src/b.knt @ 9 => worn'; exit 3\n"
    files = {"knot.json": '{"knot": "2.0.1"}', "build.sh": tool, "src/a.knt": "use knot\n", "src/b.knt": "x\n"}
    dialog = _opened(qtbot, tree("ropes", files))
    assert dialog._description is not None
    command = dialog._description.command("build")
    assert command is not None and command.run == ("sh", "build.sh")
    dialog._try("build", command)
    qtbot.waitUntil(lambda: dialog._trial is not None and not dialog.is_busy, timeout=60_000)
    assert dialog._trial is not None and "no line of its output was understood" in dialog._trial.words
    block = next(item for item in dialog._scroll.findChildren(MarkedLines))
    qtbot.mouseClick(block, Qt.MouseButton.LeftButton, pos=QPoint(60, 22 + 10))
    assert dialog._trial.words == "It was understood: 2 errors in 2 files."
    _press(qtbot, dialog, "Use this description")
    assert dialog.profile is not None and len(read_profile(dialog.profile).diagnostic) == 1


def test_a_folder_is_said_by_a_click(qtbot: QtBot, tree: Tree) -> None:
    files = {
        "game.json": '{"engine": {"name": "Wick", "release": "2.0.1"}}',
        "stuff/things/one/x.lua": "x = 1\n",
        "stuff/things/two/y.lua": "y = 1\n",
        "stuff/made/z.lua": "z = 1\n",
    }
    dialog = _opened(qtbot, tree("game", files))
    _show(dialog, "/")
    block = dialog._text.findChildren(MarkedLines)[0]
    assert [line.text.strip() for line in block.lines][:2] == ["stuff/  3 files", "made/  1 file"]
    _click_text(qtbot, dialog, 2, "made")
    _answer(qtbot, dialog, "It is made by a tool")
    draft = dialog._description.draft if dialog._description else None
    assert draft is not None and any(
        role.role == "generated" and role.files == ("stuff/made/**",) for role in draft.roles
    )


def test_ids_and_paths_are_said_by_a_click(qtbot: QtBot, tree: Tree) -> None:
    files = {
        "game.json": '{"engine": {"name": "Wick", "release": "2.0.1"}}',
        "art/lamp.json": '{"guid": "lamp-a", "picture": "art/lamp.png"}',
        "art/more/bell.json": '{"guid": "bell-b", "picture": "art/bell.png"}',
        "scenes/quay.json": '{"parts": [{"uses": "lamp-a"}, {"uses": "bell-b"}]}',
    }
    dialog = _opened(qtbot, tree("game", files))
    for file, text, words in (
        ("art/lamp.json", "lamp-a", "An id that this file declares"),
        ("art/lamp.json", "art/lamp.png", "The path of a file"),
        ("scenes/quay.json", "lamp-a", "An id that this file uses"),
    ):
        _show(dialog, file)
        _click_text(qtbot, dialog, 1, text)
        _answer(qtbot, dialog, words)
    _press(qtbot, dialog, "Use this description")
    assert dialog.profile is not None
    links = read_profile(dialog.profile).links
    assert [(rule.files, rule.key) for rule in links.declare] == [(("art/**/*.json",), ("guid",))]
    assert {(rule.files, rule.key, rule.names) for rule in links.use} == {
        (("art/**/*.json",), ("picture",), "file"),
        (("scenes/**/*.json",), ("uses",), "id"),
    }


def _when_modal(kind: type, act: Callable[[QWidget], None]) -> None:
    """Do something with the next modal dialog of a kind, as soon as it is there."""

    def look() -> None:
        found = QApplication.activeModalWidget()
        if isinstance(found, kind) and not getattr(found, "is_busy", False):
            act(found)
        else:
            QTimer.singleShot(50, look)

    QTimer.singleShot(50, look)


def test_a_newcomer_opens_a_folder_describes_it_adds_releases_and_begins(
    qtbot: QtBot, window: MainWindow, tmp_path: Path
) -> None:
    project = unpack_shape(tmp_path, "lantern-run")
    releases = shutil.copytree(shape_releases("lantern-run"), tmp_path / "downloads")

    def describe(dialog: QWidget) -> None:
        assert isinstance(dialog, DescribeDialog)
        _when_modal(BeginDialog, begin)
        _press(qtbot, dialog, "Use this description")

    def begin(dialog: QWidget) -> None:
        assert isinstance(dialog, BeginDialog)
        assert dialog._message.text() == "lantern-run is on kiln 4.2.1."
        _when_modal(AddReleasesDialog, add)
        _press(qtbot, dialog, "Add releases…")
        qtbot.waitUntil(lambda: dialog._target.count() > 0, timeout=20_000)
        assert dialog.target == "5.0.0" and "fog-lamps 0.9.2" in dialog._stock.text()
        _press(qtbot, dialog, "Begin")

    def add(dialog: QWidget) -> None:
        assert isinstance(dialog, AddReleasesDialog)
        dialog.look_at([releases])
        qtbot.waitUntil(lambda: not dialog.is_busy and dialog._table.rowCount() == 4, timeout=20_000)
        assert [(item.kind, item.version) for item in dialog.chosen][:2] == [("engine", "4.2.1"), ("engine", "5.0.0")]
        dialog._put()
        qtbot.waitUntil(lambda: dialog.added == 4, timeout=20_000)

    _when_modal(DescribeDialog, describe)
    window.open_project(project)
    qtbot.waitUntil(lambda: window.session.overview is not None, timeout=30_000)
    overview = window.session.overview
    assert overview is not None and overview.setup.from_ == "4.2.1" and overview.setup.to == "5.0.0"
