"""The dialog that compares two releases: search, kinds, uses of a project, and both declarations."""

from __future__ import annotations

import pytest
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.release_changes import ComparisonFolders, ReleaseChangesDialog
from tests.conftest import Tree

_OLD = "import tide\n\n\ndef moor(boat, hour):\n    return tide.of(hour).berth(boat)\n\n\ndef cast_off(boat):\n    return boat.free()\n\n\ndef horn(times=1):\n    return times\n"
_NEW = _OLD.replace("def moor(", "def make_fast(").replace("times=1", "times=2") + "\n\ndef lamp():\n    return 3\n"


@pytest.fixture
def dialog(tree: Tree, qtbot: QtBot) -> ReleaseChangesDialog:
    old, new = tree("old", {"wick.py": _OLD}), tree("new", {"wick.py": _NEW})
    game = tree("game", {"game.py": "import wick\nwick.moor(1, 2)\nwick.moor(3, 4)\nwick.horn()\n"})
    made = ReleaseChangesDialog(None, ComparisonFolders(str(old), str(new), str(game)))
    qtbot.addWidget(made)
    made.show()
    qtbot.waitUntil(lambda: "of" in made._message.text() and not made.is_busy, timeout=10_000)
    return made


def _titles(dialog: ReleaseChangesDialog) -> list[str]:
    return [row.title for row in dialog._list.rows()]


def test_what_the_project_uses_comes_first_and_the_rest_is_one_click_away(dialog: ReleaseChangesDialog) -> None:
    assert [(row.title, row.right) for row in dialog._list.rows()] == [
        ("moor → make_fast", "2 uses"),
        ("times of wick.horn was 1 and is 2", "1 use"),
    ]
    assert dialog._message.text() == "2 of 3 changes"
    dialog._only_used.click()
    assert _titles(dialog)[2:] == ["wick.lamp is new"]


def test_search_and_kind_narrow_the_list(dialog: ReleaseChangesDialog) -> None:
    dialog._only_used.click()
    dialog._words.setText("FAST make")
    assert _titles(dialog) == ["moor → make_fast"]
    dialog._words.clear()
    dialog._kind.setCurrentText("Other meaning")
    assert _titles(dialog) == ["times of wick.horn was 1 and is 2"]
    dialog._words.setText("nothing has this name")
    assert not _titles(dialog) and dialog._message.text() == "0 of 3 changes"


def test_both_declarations_are_shown_with_their_lines(dialog: ReleaseChangesDialog) -> None:
    dialog.select(0)
    old, new = (text.blocks()[0].lines() for text in (dialog._old_text, dialog._new_text))
    assert [line.text for line in old if line.fill] == ["def moor(boat, hour):"]
    assert [(line.number, line.text) for line in new if line.fill] == [("4", "def make_fast(boat, hour):")]
    assert dialog._old_card.title.text() == "Old: wick.py : 4"
    assert "wick.make_fast" in dialog._candidates.currentText()


def test_without_releases_it_asks_for_them(qtbot: QtBot) -> None:
    made = ReleaseChangesDialog(None, ComparisonFolders())
    qtbot.addWidget(made)
    assert made._message.text() == "Choose the folders of two releases." and not made._list.rows()
