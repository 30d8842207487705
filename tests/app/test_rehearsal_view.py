"""The rehearsals in the window: ways side by side, nothing of the project touched, and the automatic part of one carried out."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox
from pytestqt.qtbot import QtBot

from fernshale.app.pages.route import RoutePage
from fernshale.app.window import MainWindow
from fernshale.core.base.settings import change_settings
from fernshale.core.crossing.flow.rehearsal.outcome import RehearsalPlan
from fernshale.core.crossing.record.stage import Stage
from tests.conftest import listing
from tests.wick import Wick, add_release


def _rehearse(window: MainWindow, qtbot: QtBot) -> None:
    view = window.rehearsal
    window.show_view(view)
    view._go.click()
    assert not view._go.isEnabled() and view._stop.isVisible()
    qtbot.waitUntil(lambda: not view._runner.is_busy, timeout=60_000)


def test_a_way_is_rehearsed_and_its_automatic_part_carried_out(
    opened: MainWindow, wick: Wick, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    route = opened.pages[Stage.ROUTE]
    assert isinstance(route, RoutePage)
    route.rehearsal_wanted.emit()
    view = opened.rehearsal
    assert view.isVisible() and not view._begin.isEnabled() and not view._share.isEnabled()
    assert [view._ways.item(number).text() for number in range(view._ways.count())] == ["2.0 direct"]
    before = listing(wick.project)
    _rehearse(opened, qtbot)
    assert listing(wick.project) == before
    text = view._table.toPlainText()
    assert "1 of 1 come" in text and "3 at first" in text and "0 left" in text
    assert "2.0 direct leaves 0 errors and 0 decisions" in view.finding.accessibleName()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_given: (str(tmp_path / "page.html"), ""))
    view._share.click()
    assert "2.0 direct" in (tmp_path / "page.html").read_text()
    with qtbot.waitSignal(opened.session.overview_changed, timeout=60_000):
        view._begin.click()
    overview = opened.session.overview
    assert overview is not None and overview.is_done
    assert [entry.title for entry in overview.logbook if entry.changes and "snuffer" in entry.title]


def test_what_changed_since_is_not_carried_out(
    opened: MainWindow, wick: Wick, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    shown: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda self: shown.append(self.text()))
    _rehearse(opened, qtbot)
    (wick.project / "game.py").write_text("import wick\n\nwick.light_up()  # later\n")
    before = listing(wick.project)
    opened.session.carry_out_rehearsed(RehearsalPlan("2.0"))
    qtbot.waitUntil(lambda: bool(shown), timeout=60_000)
    assert "something changed since 2.0 direct was rehearsed" in shown[0] and listing(wick.project) == before
    opened.session.carry_out_rehearsed(RehearsalPlan("3.0"))
    qtbot.waitUntil(lambda: len(shown) == 2, timeout=60_000)
    assert "the crossing goes to 2.0; 3.0 direct was rehearsed" in shown[1]


def test_it_can_be_stopped_and_no_way_checked_is_nothing_to_rehearse(opened: MainWindow, qtbot: QtBot) -> None:
    view = opened.rehearsal
    opened.show_view(view)
    view._go.click()
    view._stop.click()
    qtbot.waitUntil(lambda: not view._runner.is_busy, timeout=30_000)
    assert "stopped" in view._said.text() or view.shown
    view._ways.item(0).setCheckState(Qt.CheckState.Unchecked)
    assert not view._go.isEnabled()


def test_a_new_release_is_offered_and_rehearsed_where_the_settings_say_so(
    opened: MainWindow, wick: Wick, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    _rehearse(opened, qtbot)
    sent: list[tuple[str, str]] = []
    monkeypatch.setattr("fernshale.app.pages.rehearsal.notify", lambda *words: sent.append(words))
    monkeypatch.setattr(type(opened), "isActiveWindow", lambda self: False)
    add_release(wick, "2.1", "def kindle(): print('lit')\n")
    view = opened.rehearsal

    def look() -> None:
        with qtbot.waitSignal(opened.session.overview_changed, timeout=20_000):
            opened.session.refresh()

    look()
    assert view._said.text() == "new on the shelf: 2.1" and not view.is_busy
    assert [plan.title for plan in view._plans()] == ["2.1 direct"]
    change_settings({"rehearsal.new_releases": True})
    view._ways.clear()
    look()
    qtbot.waitUntil(lambda: not view.is_busy and bool(sent), timeout=60_000)
    assert sent[-1][1] == view._said.text() == "2.1 came out: 3 errors more than 2.0"
