"""What a double click opens: one window for each crossing, and files of ours."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.opened_file import OpenedFileDialog
from fernshale.app.instance import CrossingWindow, _name
from fernshale.app.window import MainWindow
from fernshale.core.base.data_folder import home
from fernshale.core.base.errors import MisuseError
from fernshale.core.crossing.rules.sources import own_rules
from tests.conftest import Tree
from tests.wick import Wick

_ASK = "import sys; from pathlib import Path; from fernshale.app.instance import show_other_window as ask; print(ask(Path(sys.argv[1])))"
_RULES = """\
format = "fernshale-rules/1"
title = "lamps"
[[rule]]
id = "r1"
kind = "rename"
old = "light_up"
new = "ignite"
why = "the lamps were renamed"
"""


def _ask(qtbot: QtBot, folder: Path) -> bool:
    """Ask from another process, while this one answers."""
    asking = subprocess.Popen([sys.executable, "-c", _ASK, str(folder)], stdout=subprocess.PIPE, text=True)
    qtbot.waitUntil(lambda: asking.poll() is not None, timeout=20_000)
    return asking.communicate()[0].strip() == "True"


def test_a_second_start_on_a_crossing_brings_the_first_window_to_the_front(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    crossing = opened.session.crossing
    assert crossing is not None
    raised: list[bool] = []
    monkeypatch.setattr(opened, "activateWindow", lambda: raised.append(True))
    assert _ask(qtbot, crossing.folder) and raised == [True]
    assert not _ask(qtbot, crossing.folder.with_name("another"))
    opened._leave(crossing)
    assert not _ask(qtbot, crossing.folder)


def test_a_window_that_was_killed_is_in_nobodys_way(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    killed, other = CrossingWindow(window), CrossingWindow(window)
    killed.stand_for(tmp_path)
    place = Path(killed._server.fullServerName())  # type: ignore[union-attr]
    killed.stand_for(None)
    place.touch()  # a socket nobody listens to
    other.stand_for(tmp_path)
    assert _ask(qtbot, tmp_path)
    other.stand_for(None)
    assert len(_name(tmp_path)) < 100


def test_a_project_that_is_open_elsewhere_is_not_opened_twice(
    window: MainWindow, wick: Wick, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("fernshale.app.window.show_other_window", lambda folder: True)
    window.open_project(wick.project)
    assert window.session.crossing is None and "open in another window" in window._status._message.text()


def test_rules_go_to_the_crossing_that_a_person_chose(opened: MainWindow, qtbot: QtBot, tree: Tree) -> None:
    dialog = OpenedFileDialog(opened, tree("files", {"a.rules.toml": _RULES}) / "a.rules.toml")
    qtbot.addWidget(dialog)
    crossing = opened.session.crossing
    assert crossing is not None and not own_rules(crossing).rules
    dialog._act.click()
    assert [rule.id for rule in own_rules(crossing).rules] == ["r1"] and "1 rule added" in dialog._said.text()


def test_a_profile_is_kept_and_one_of_that_name_stays(window: MainWindow, wick: Wick, qtbot: QtBot, tree: Tree) -> None:
    dialog = OpenedFileDialog(window, wick.profile)
    qtbot.addWidget(dialog)
    assert not (home() / "profiles").exists()
    dialog._act.click()
    kept = home() / "profiles" / wick.profile.name
    assert kept.read_bytes() == wick.profile.read_bytes()
    other = tree("files", {wick.profile.name: wick.profile.read_text() + "# more\n"}) / wick.profile.name
    again = OpenedFileDialog(window, other)
    qtbot.addWidget(again)
    again._act.click()
    assert kept.read_bytes() == wick.profile.read_bytes() and len(list(kept.parent.iterdir())) == 2


def test_any_other_file_is_refused_with_what_can_be_opened(
    window: MainWindow, tree: Tree, monkeypatch: pytest.MonkeyPatch
) -> None:
    shown: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda self: shown.append(self.text() + self.informativeText()))
    files = tree("files", {"a.txt": "x", "b.crossing": "x", "c.profile.toml": "x = ["})
    for name in ("a.txt", "b.crossing", "c.profile.toml"):
        window.open_path(files / name)
    assert (
        "is no file of Fernshale" in shown[0]
        and "not an exported crossing" in shown[1]
        and "c.profile.toml" in shown[2]
    )
    with pytest.raises(MisuseError):
        OpenedFileDialog(window, files / "a.txt")
