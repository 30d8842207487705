"""Route and Survey by mouse and keyboard: pick a way, a version, a note; pick a part of the map; choose members."""

from __future__ import annotations

import subprocess
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtWidgets import QApplication, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.begin import BeginDialog
from fernshale.app.pages.base import Page, take_option
from fernshale.app.pages.route import RoutePage
from fernshale.app.pages.survey import SurveyPage
from fernshale.app.window import MainWindow
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import parse_action
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.profile.read import read_profile
from fernshale.core.route.shelf_server import ShelfServer
from fernshale.sample import unpack
from tests.conftest import Tree, listing
from tests.core.crossing.stages.route.test_route_stage import make_far_wick
from tests.wick import Wick, make_wick


def _open(qtbot: QtBot, window: MainWindow, wick: Wick, to: str) -> None:
    trust(read_profile(wick.profile))
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        window.begin(wick.project, wick.profile, [wick.shelf], to)
    qtbot.waitUntil(lambda: not window.session.runner.is_busy, timeout=30_000)


def _after(qtbot: QtBot, window: MainWindow, act: object) -> Overview:
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        act()  # type: ignore[operator]
    qtbot.waitUntil(lambda: not window.session.runner.is_busy, timeout=30_000)
    assert window.session.overview is not None
    return window.session.overview


def _button(qtbot: QtBot, page: Page, text: str) -> QPushButton:
    """The visible button of that text; those of a new choice appear with the next turn of the event loop."""

    def found() -> list[QPushButton]:
        return [item for item in page.findChildren(QPushButton) if item.isVisible() and item.text() == text]

    qtbot.waitUntil(lambda: len(found()) == 1, timeout=3_000)
    return found()[0]


def test_ways_versions_and_notes_are_picked_on_the_route_page(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    wick = make_far_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text().replace('accepts = ">=2, <3"', 'accepts = ">=2"'))
    _open(qtbot, window, wick, "3.0")
    window.show_stage(Stage.ROUTE)
    page = window.pages[Stage.ROUTE]
    assert isinstance(page, RoutePage)
    table = page._table
    place = table.field_place("snuffer", "3.0").toPoint()
    qtbot.mouseClick(table, Qt.MouseButton.LeftButton, pos=place)
    assert "3 accepts >=3" in page._detail.text()
    other = _button(qtbot, page, "Use 2 instead")
    overview = _after(qtbot, window, lambda: qtbot.mouseClick(other, Qt.MouseButton.LeftButton))
    assert [step.to for step in overview.route.leg.plugins] == ["2"]
    undecide = _button(qtbot, page, "Withdraw this decision")
    overview = _after(qtbot, window, lambda: qtbot.mouseClick(undecide, Qt.MouseButton.LeftButton))
    assert [step.to for step in overview.route.leg.plugins] == ["3"]
    head = QPoint(table.field_place("snuffer", "2.0").toPoint().x(), 12)
    overview = _after(qtbot, window, lambda: qtbot.mouseClick(table, Qt.MouseButton.LeftButton, pos=head))
    assert overview.setup.stops == ("2.0", "3.0") and overview.setup.to == "2.0"
    overview = _after(qtbot, window, lambda: page._choose_route(("3.0",)))
    assert overview.setup.to == "3.0"
    assert page._notes.select(overview.route.notes[0].key)
    overview = _after(qtbot, window, lambda: qtbot.keyClick(page._notes, Qt.Key.Key_Return))
    assert overview.route.notes[0].dealt
    assert page._notes.select(overview.route.notes[0].key)
    overview = _after(qtbot, window, lambda: qtbot.keyClick(page._notes, Qt.Key.Key_Return))
    assert not overview.route.notes[0].dealt


def test_item_of_the_route_is_shown_with_its_ways(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    wick = make_far_wick(tree)
    _open(qtbot, window, wick, "3.0")
    assert window.session.overview is not None
    (item,) = window.session.overview.route.items
    window.show_stage(Stage.ROUTE)
    window.pages[Stage.ROUTE].go_to(item)
    lift = _button(qtbot, window.pages[Stage.ROUTE], "Set it to 3")
    overview = _after(qtbot, window, lambda: qtbot.mouseClick(lift, Qt.MouseButton.LeftButton))
    assert not overview.route.items and "dialect = 3" in (wick.project / "candle.ini").read_text()


def test_items_are_gone_through_and_settled_by_their_numbers(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    wick = make_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text().replace('folder = "snuffer/2"', 'folder = "snuffer/2"\nstage = "preview"'))
    _open(qtbot, window, wick, "2.0")
    overview = window.session.overview
    assert overview is not None
    window.show_stage(Stage.ROUTE)
    page = window.pages[Stage.ROUTE]
    assert "0 of 1 plugin can move; 1 needs you" in page.finding.accessibleName()
    (open_item,) = overview.route.items
    way = next(number for number, item in enumerate(open_item.options, 1) if item.id == "aside")
    page.setFocus()
    overview = _after(qtbot, window, lambda: qtbot.keyClick(QApplication.focusWidget(), str(way)))
    assert "0 of 1 plugin can move; 1 stays on the old release, as you decided" in page.finding.accessibleName()
    assert overview.logbook[-1].title == f"decided: {open_item.title} · {open_item.options[way - 1].title}"
    titles: list[str] = []
    for _ in overview.items:
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_N)
        titles.append(window.items.current().title)  # type: ignore[attr-defined]
    assert len(set(titles)) == len(overview.items) > 2
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_P)
    assert window.items.current().title == titles[-2]  # type: ignore[attr-defined]
    # On the pages with a main step of their own the first key is the step of the item in hand.
    for key, name in (("engine:sites", "_apply"), ("build:run", "_build")):
        open_item = next(item for item in overview.items if item.key == key)
        window._go_to(open_item)
        page = window.pages[open_item.stage]
        assert page.option_buttons() == [getattr(page, name)]
    # One that is settled makes way for what stood behind it, which is the next.
    baseline, *others = (open_item.title for open_item in overview.items)
    while window.items.current().title != baseline:  # type: ignore[attr-defined]
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_P)
    _after(
        qtbot, window, lambda: window.session.carry_out(parse_action("survey:baseline", "without"), "going on without")
    )
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_N)
    assert window.items.current().title == others[0]  # type: ignore[attr-defined]


def test_places_that_name_another_release_are_settled_on_the_engine_page(
    qtbot: QtBot, window: MainWindow, tmp_path: Path
) -> None:
    toys = unpack(tmp_path / "s", "quayside")
    _open(qtbot, window, Wick(toys.project, toys.shelf, toys.profile), "2.0")
    window.show_stage(Stage.ENGINE)
    page = window.pages[Stage.ENGINE]
    assert window.session.overview is not None
    rope = next(item for item in window.session.overview.engine.items if "toys/rope/" in item.place)
    page.go_to(rope)
    follow = _button(qtbot, page, "Change it to 2.0 as well")
    _after(qtbot, window, lambda: qtbot.mouseClick(follow, Qt.MouseButton.LeftButton))
    keep = _button(qtbot, page, "Leave it as it is")
    overview = _after(qtbot, window, lambda: qtbot.mouseClick(keep, Qt.MouseButton.LeftButton))
    assert [item.key for item in overview.engine.items] == ["engine:sites"]
    _after(
        qtbot,
        window,
        lambda: qtbot.mouseClick(_button(qtbot, page, "Point the project at 2.0"), Qt.MouseButton.LeftButton),
    )
    assert "pinned 1.6" in (toys.project / "toys/kite/toy.properties").read_text()
    assert "pinned 2.0" in (toys.project / "toys/rope/toy.properties").read_text()
    assert page.finding.accessibleName() == "2.0 is named everywhere else; 1 place names another release. "


def test_the_list_follows_the_map_and_a_folder_becomes_mine(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    wick = make_wick(tree)
    before = listing(wick.project)
    _open(qtbot, window, wick, "2.0")
    window.show_stage(Stage.SURVEY)
    page = window.pages[Stage.SURVEY]
    assert isinstance(page, SurveyPage)
    assert page._lists.currentWidget() is page._sites
    page._map.setFocus()
    for _ in range(8):  # by the arrow keys, until the addon is the picked part
        qtbot.keyClick(page._map, Qt.Key.Key_Right)
        if page._map.current() == ("plugin", "addons/snuffer"):
            break
    assert page._map.current() == ("plugin", "addons/snuffer")
    assert page._lists.currentWidget() is page._files
    rows = {row.cells[0]: row.cells[1:] for row in page._files._table.rows}
    assert rows["snuffer.py"] == ("edited", "profile: addons/**") and rows["addon.ini"][0] == "as released"
    overview = _after(qtbot, window, lambda: qtbot.mouseClick(page._mine, Qt.MouseButton.LeftButton))
    assert "addons/snuffer/snuffer.py" in overview.survey.roles["own"] and listing(wick.project) == before
    page._map.pick(
        ("own", "addons/snuffer") if ("own", "addons/snuffer") in page._map._payloads() else ("own", "addons")
    )
    assert page._files._table.rows[0].cells[2].startswith("a rule of your own")
    qtbot.keyClick(page._map, Qt.Key.Key_Escape)
    assert page._lists.currentWidget() is page._sites


def test_a_crossing_begins_from_a_served_shelf_with_chosen_members(
    qtbot: QtBot, qapp: QApplication, tmp_path: Path
) -> None:
    sample = unpack(tmp_path / "s", "quayside")
    server = ShelfServer(sample.shelf, tmp_path / "packed", "127.0.0.1", 0, Work())
    try:
        dialog = BeginDialog(None, sample.project, (sample.profile.parent,))  # type: ignore[arg-type]
        qtbot.addWidget(dialog)
        dialog.show()
        assert dialog._members.count() == 12 and dialog.members == []
        dialog._shelf.setText(server.address)
        dialog._read_shelf()
        qtbot.waitUntil(lambda: dialog._target.count() > 0, timeout=10_000)
        assert dialog.target == "2.0" and dialog._begin.isEnabled()
        pinned = dialog._members.findItems("kite  pins 1.6", Qt.MatchFlag.MatchExactly)
        assert not pinned[0].flags() & Qt.ItemFlag.ItemIsEnabled
        for at in range(1, 12):
            dialog._members.item(at).setCheckState(Qt.CheckState.Unchecked)
        assert dialog.members == ["toys/bell"]
        dialog._shelf.setText("http://127.0.0.1:9")
        dialog._read_shelf()
        qtbot.waitUntil(lambda: "could not be fetched" in dialog._trouble.text(), timeout=20_000)
        assert not dialog._begin.isEnabled()
        dialog.reject()
    finally:
        server.close()


def _git(project: Path, *words: str) -> None:
    subprocess.run(["git", "-C", project, *words], check=True, capture_output=True)


def test_git_runs_a_filter_only_once_its_command_line_was_shown_and_agreed_to(
    qtbot: QtBot, window: MainWindow, tree: Tree, tmp_path: Path
) -> None:
    wick = make_wick(tree)
    (wick.project / ".gitattributes").write_text("*.py filter=count\n")
    _git(wick.project, "init", "-q")
    for key, value in (("user.name", "A Person"), ("user.email", "person@example.invalid")):
        _git(wick.project, "config", key, value)
    _git(wick.project, "add", "-A")
    _git(wick.project, "commit", "-qm", "as it was")
    command = f"tee -a {tmp_path}/it-ran"
    _git(wick.project, "config", "filter.count.clean", command)
    _open(qtbot, window, wick, "2.0")
    assert window.session.overview is not None
    item = next(each for each in window.session.overview.items if each.key.startswith("git:"))
    way = item.options[0]
    shown: list[str] = []

    def answer(words: str) -> None:
        box = QApplication.activeModalWidget()
        assert isinstance(box, QMessageBox)
        shown.append(box.informativeText())
        next(each for each in box.buttons() if each.text() == words).click()

    QTimer.singleShot(100, lambda: answer("Not now"))
    take_option(window, window.session, item, way)
    assert command in shown[0]
    assert not window.session.runner.is_busy
    assert not (tmp_path / "it-ran").exists()
    QTimer.singleShot(100, lambda: answer("Yes, do that"))
    after = _after(qtbot, window, lambda: take_option(window, window.session, item, way))
    assert not [each for each in after.items if each.key == item.key and each.options]


def test_after_an_update_the_old_column_has_what_was_there(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    _open(qtbot, window, make_wick(tree), "2.0")
    page = window.pages[Stage.ROUTE]
    assert isinstance(page, RoutePage)
    window.show_stage(Stage.ROUTE)
    before = [cell.text for cell in page._table._lines[0].fields]
    assert before == ["1", "2"] and "1 of 1 plugin can move" in page.finding.accessibleName()
    update = partial(window.session.carry_out, parse_action("plugin:snuffer", "take"), "snuffer")
    _after(qtbot, window, update)
    assert [cell.text for cell in page._table._lines[0].fields] == before
    assert "1 of 1 plugin moved" in page.finding.accessibleName()
    for key, option in (("engine:sites", "apply"), ("build:run", "build")):
        overview = _after(qtbot, window, partial(window.session.carry_out, parse_action(key, option), key))
    while fixes := [cause for cause in overview.build.causes if cause.fixes and not cause.is_settled]:
        action = parse_action(fixes[0].key, fixes[0].fixes[0].rule.id)
        overview = _after(qtbot, window, partial(window.session.carry_out, action, "fix"))
    overview = _after(qtbot, window, partial(window.session.carry_out, parse_action("build:run", "build"), "build"))
    assert overview.build.passed
    assert "to change by known rules" not in page.finding.accessibleName()
