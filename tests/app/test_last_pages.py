"""Links, Trial, Report and Debts in the real window."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs import questions as dialogs
from fernshale.app.dialogs.questions import CheckDialog
from fernshale.app.pages import links as links_page
from fernshale.app.pages import trial as trial_page
from fernshale.app.pages.links import LinksPage
from fernshale.app.pages.trial import TrialPage
from fernshale.app.window import MainWindow
from fernshale.core.crossing.flow.actions import parse_action
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.stage import Stage
from tests.conftest import Tree
from tests.core.crossing.stages.links.test_links_stage import _crossing as links_crossing
from tests.core.crossing.stages.trial.test_trial_stage import _crossing as trial_crossing
from tests.crossing_steps import act
from tests.wick import begin_wick


def _resume(window: MainWindow, qtbot: QtBot, crossing: Crossing, stage: Stage) -> None:
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        window.session.resume(crossing)
    window.show_stage(stage)


def _act(window: MainWindow, qtbot: QtBot, act) -> None:
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        act()


@pytest.fixture
def reasons(monkeypatch: pytest.MonkeyPatch) -> None:
    for module in (links_page, trial_page, dialogs):
        monkeypatch.setattr(module, "ask_why", lambda parent, title: "as agreed", raising=False)


def test_what_dangles_is_shown_from_both_sides_and_relinked(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    wick, crossing = links_crossing(tree)
    _resume(window, qtbot, crossing, Stage.LINKS)
    page = window.pages[Stage.LINKS]
    assert isinstance(page, LinksPage)
    assert {thread.word: thread.total for thread in page._chart._threads} == {
        "old-1": 5,
        "old-2": 1,
        "addons/snuffer/glow.png": 3,
    }
    page._go("links:old-1")
    assert "old-1" in page._was.blocks()[0].lines()[1].text and "111-fresh" in page._is.blocks()[0].lines()[1].text
    written = "\n".join(line.text for line in page._text.blocks()[0].lines())
    assert "111-fresh" in written and page._apply.text() == "Relink" and page._sides.isVisible()
    page._list.setFocus()
    _act(window, qtbot, page._apply.click)
    assert b"111-fresh" in (wick.project / "rooms/0.json").read_bytes()
    assert "links:old-1" not in [row.payload for row in page._list.rows()]


@pytest.mark.usefixtures("reasons")
def test_data_for_one_object_and_a_scan_left_so_with_a_reason(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    wick, crossing = links_crossing(tree)
    _resume(window, qtbot, crossing, Stage.LINKS)
    page = window.pages[Stage.LINKS]
    assert isinstance(page, LinksPage)
    page._go("data:turn")
    assert page._candidates.count() == 6 and not page._sides.isVisible()
    page._candidates.setCurrentIndex(1)
    _act(window, qtbot, page._apply.click)
    assert json.loads((wick.project / "rooms/0.json").read_text())["lamps"][1]["angle"] == 270
    assert json.loads((wick.project / "rooms/1.json").read_text())["lamps"][1]["angle"] == 90
    page._go("expect:one-hearth:plans/hall.plan")
    _act(window, qtbot, page._leave.click)
    assert any("left as it is, as agreed" in row.sub for row in page._list.rows())


@pytest.mark.usefixtures("reasons")
def test_a_new_warning_is_accepted_and_the_code_behind_it_found(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    _, crossing = trial_crossing(tree)
    _resume(window, qtbot, crossing, Stage.TRIAL)
    page = window.pages[Stage.TRIAL]
    assert isinstance(page, TrialPage)
    _act(window, qtbot, page._run.click)
    warning = next(row for row in page._list.rows() if "new warning" in row.title)
    page._list.select(warning.payload)
    assert page._tabs.currentIndex() == 0 and page._where.isVisible() and page._accept.isVisible()
    with qtbot.waitSignal(page.editor_wanted, timeout=10_000) as opened:
        page._where.click()
    assert opened.args == ["game.py", 7]
    _act(window, qtbot, page._accept.click)
    assert warning.payload not in [row.payload for row in page._list.rows()]
    page._only.setChecked(True)
    assert all(line.margin for block in page._log.blocks() for line in block.lines())


@pytest.mark.usefixtures("reasons")
def test_checks_are_proposed_added_and_marked(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    _, crossing = trial_crossing(tree)
    act(crossing, "trial:run", "run")
    _resume(window, qtbot, crossing, Stage.TRIAL)
    page = window.pages[Stage.TRIAL]
    assert isinstance(page, TrialPage)
    page._list.select("propose:works: addons/snuffer")
    _act(window, qtbot, page._add.click)
    page._list.select("trial:check:works: addons/snuffer")
    assert page._good.isVisible() and page._tabs.currentIndex() == 1
    _act(window, qtbot, page._bad.click)
    model = page._table.model()
    cells = [[model.index(row, at).data() for at in range(model.columnCount())] for row in range(model.rowCount())]
    assert [model.headerData(at, Qt.Orientation.Horizontal) for at in range(3)] == ["check", "1.4", "2.0"]
    assert ["report", "● passed", "● passed"] in cells and ["works: addons/snuffer", "", "◆ failed"] in cells


def test_a_check_of_ones_own_is_asked_for_and_bad_patterns_are_said(qtbot: QtBot) -> None:
    dialog = CheckDialog(None)
    qtbot.addWidget(dialog)
    dialog.name.setText("lit")
    dialog.method.setCurrentIndex(1)
    dialog.text.setText("(")
    dialog._agree()
    assert dialog.check is None and "cannot be tried" in dialog._message.text()
    dialog.text.setText(r"\d lamps lit")
    dialog._agree()
    assert dialog.check is not None and dialog.check.prints == r"\d lamps lit"


def test_the_report_is_live_and_saved_in_each_form(
    tree: Tree, window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    wick, crossing = begin_wick(tree)
    _resume(window, qtbot, crossing, Stage.SURVEY)
    qtbot.keyClick(window, Qt.Key.Key_8, Qt.KeyboardModifier.AltModifier)
    assert window.report.isVisible() and "Merge" not in window.report._page.toPlainText()
    assert "candle: Wick 1.4 → 2.0" in window.report._page.toPlainText()
    _act(window, qtbot, lambda: window.session.carry_out(parse_action("plugin:snuffer", "take"), "snuffer"))
    assert (
        "snuffer 1 → 2" in window.report._page.toPlainText() and "snuffer 1 → 2" in window.report._message.toPlainText()
    )
    for name, mark in (
        ("a.html", "<!doctype html>"),
        ("a.md", "# candle"),
        ("a.json", '"format": "fernshale-report/1"'),
    ):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args, name=name: (str(tmp_path / name), ""))
        window.report.save()
        assert mark in (tmp_path / name).read_text()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args: (str(tmp_path / "a.way.toml"), ""))
    window.report._hand_on()
    assert "fernshale-way/1" in (tmp_path / "a.way.toml").read_text()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *args: str(tmp_path / "patches"))
    window.report._patches()
    assert len(list((tmp_path / "patches").iterdir())) == 1
    assert wick.project.is_dir()


def test_a_debt_is_brought_back_by_one_action(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    wick, crossing = begin_wick(tree)
    act(crossing, "aside:snuffer", "aside", why="nobody keeps it")
    assert not (wick.project / "addons/snuffer").exists()
    _resume(window, qtbot, crossing, Stage.PLUGINS)
    assert window._debts_button.text() == "Debts · 1"
    window._debts_button.click()
    assert window.debts.isVisible() and "nobody keeps it" in window.debts._detail.text()
    _act(window, qtbot, window.debts._back.click)
    assert (wick.project / "addons/snuffer").is_dir() and window._debts_button.text() == "Debts"
