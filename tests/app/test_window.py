"""The real window, offscreen: a crossing by hand, undo to the start, cancel, and models that keep Qt's rules."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtWidgets import QApplication, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.action_list import ActionList
from fernshale.app.dialogs.snapshots import UndoPlanDialog
from fernshale.app.theme import choose_theme
from fernshale.app.widgets.band import knots_of
from fernshale.app.widgets.charts import Tile, squarify
from fernshale.app.widgets.conflict_card import ConflictCard
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.tables import TableRow, TextTable
from fernshale.app.window import MainWindow
from fernshale.core.crossing.flow.actions import parse_action
from fernshale.core.crossing.record.stage import STAGES, Stage, StageState
from fernshale.core.crossing.record.trust import trust
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree, listing
from tests.wick import Wick, make_wick


def _settled(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.waitUntil(lambda: not window.session.runner.is_busy, timeout=30_000)


def _open(qtbot: QtBot, window: MainWindow, wick: Wick, trusted: bool = True) -> None:
    if trusted:
        trust(read_profile(wick.profile))
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        window.begin(wick.project, wick.profile, [wick.shelf], "2.0")
    _settled(qtbot, window)


def _press(qtbot: QtBot, window: MainWindow, stage: Stage, words: str) -> None:
    """Click the visible button that begins with `words` on a stage's page, and wait until all is done."""
    window.show_stage(stage)
    found = [
        item
        for item in window.pages[stage].findChildren(QPushButton)
        if item.isVisible() and item.text().startswith(words)
    ]
    assert found, [item.text() for item in window.pages[stage].findChildren(QPushButton) if item.isVisible()]
    with qtbot.waitSignal(window.session.overview_changed, timeout=60_000):
        qtbot.mouseClick(found[0], Qt.MouseButton.LeftButton)
    _settled(qtbot, window)


def _titles(rows: RowList) -> list[str]:
    return [row.title for row in rows.rows()]


def test_crossing_by_hand_and_undo_back_to_the_start(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    wick = make_wick(tree)
    addon = wick.project / "addons/snuffer/snuffer.py"
    addon.write_text(addon.read_text().replace("step_8 = 8", "step_8 = 'mine'"))
    before = listing(wick.project)
    _open(qtbot, window, wick)
    assert listing(wick.project) == before and window.windowTitle().startswith("candle")
    _press(qtbot, window, Stage.SURVEY, "Build and run it now")
    window.show_stage(Stage.PLUGINS)
    take = next(
        item for item in window.pages[Stage.PLUGINS].findChildren(QPushButton) if item.text().startswith("Update to 2")
    )
    assert not take.isEnabled()
    card = next(item for item in window.findChildren(ConflictCard) if not item.is_decided)
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        card.take("incoming")
    _settled(qtbot, window)
    _press(qtbot, window, Stage.PLUGINS, "Reopen")
    window.show_stage(Stage.PLUGINS)
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_1)
    _settled(qtbot, window)
    _press(qtbot, window, Stage.PLUGINS, "Update to 2")
    assert "step_8 = 'mine'" in addon.read_text() and "version = 2" in (addon.parent / "addon.ini").read_text()
    _press(qtbot, window, Stage.ENGINE, "Point the project at 2.0")
    _press(qtbot, window, Stage.BUILD, "Build")
    assert "3 errors from 1 cause" in window.pages[Stage.BUILD].finding.accessibleName()
    _press(qtbot, window, Stage.BUILD, "Only here")
    _press(qtbot, window, Stage.BUILD, "Apply everywhere")
    _press(qtbot, window, Stage.BUILD, "Build again")
    _press(qtbot, window, Stage.TRIAL, "Run the game")
    overview = window.session.overview
    assert overview is not None and overview.is_done
    assert window.items.rows() == () and "snuffer 1 → 2" in " ".join(_titles(window.logbook))
    assert {knot.stage for knot in knots_of(overview)} == {Stage.PLUGINS, Stage.ENGINE, Stage.BUILD}
    said: list[str] = []

    def agree() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, UndoPlanDialog)
        said.append(f"{dialog._message.text()} {dialog._go.text()}")
        dialog.accept()

    QTimer.singleShot(200, agree)
    with qtbot.waitSignal(window.session.overview_changed, timeout=60_000):
        window._undo_all()
    _settled(qtbot, window)
    assert listing(wick.project) == before
    assert said == ["4 files would change. Undo 4 steps"]


def test_untrusted_commands_are_asked_about_and_run_after_a_yes(
    qtbot: QtBot, window: MainWindow, tree: Tree, monkeypatch: pytest.MonkeyPatch
) -> None:
    _open(qtbot, window, make_wick(tree), trusted=False)
    asked: list[str] = []
    answer = [False]
    monkeypatch.setattr("fernshale.app.window.ask_trust", lambda parent, profile: asked.append(profile.id) or answer[0])
    with qtbot.waitSignal(window.session.trust_needed, timeout=30_000):
        window.session.carry_out(parse_action("survey:baseline", "take"), "baseline")
    _settled(qtbot, window)
    assert asked == ["wick"] and window.session.overview.survey.baseline is None  # type: ignore[union-attr]
    answer[0] = True
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        window.session.carry_out(parse_action("survey:baseline", "take"), "baseline")
    assert window.session.overview.survey.baseline.built  # type: ignore[union-attr]


@pytest.mark.parametrize("by", ["key", "button"])
def test_cancel_ends_a_build_and_the_window_goes_on(qtbot: QtBot, window: MainWindow, tree: Tree, by: str) -> None:
    wick = make_wick(tree)
    endless = wick.profile.read_text().replace(
        '"{engine}/check.py", "{project}"', '"-c", "import time; print(7, flush=True); time.sleep(90)"'
    )
    wick.profile.write_text(endless)
    _open(qtbot, window, wick)
    with qtbot.waitSignal(window.session.runner.output, timeout=30_000):
        window.session.carry_out(parse_action("build:run", "build"), "building")
    qtbot.waitUntil(lambda: "7" in window.output.toPlainText().splitlines(), timeout=30_000)
    with qtbot.waitSignal(window.session.runner.cancelled, timeout=15_000):
        if by == "key":
            qtbot.keyClick(window, Qt.Key.Key_Escape)
        else:
            window._status._cancel.click()
    _settled(qtbot, window)
    assert not window._status._cancel.isVisible() and not window._status._progress.isVisible()
    assert window.session.overview is not None and not window.session.overview.build.rounds


def test_edit_made_outside_shows_up(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    wick = make_wick(tree)
    _open(qtbot, window, wick)
    (wick.project / "candle.ini").write_text("wick = 2.0\n")
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        window.session._inspect_quietly()
    assert window.session.overview is not None and window.session.overview.scan.release == "2.0"


def test_error_is_shown_and_leaves_the_window_usable(
    qtbot: QtBot, window: MainWindow, tree: Tree, monkeypatch: pytest.MonkeyPatch
) -> None:
    wick = make_wick(tree)
    _open(qtbot, window, wick)
    shown: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: shown.append(box.text()))
    (wick.shelf / "shelf.toml").write_text("broken = [\n")
    with qtbot.waitSignal(window.session.failed, timeout=30_000):
        window.session.refresh()
    qtbot.waitUntil(lambda: not window.session.runner.is_busy, timeout=30_000)
    assert len(shown) >= 1 and "shelf.toml:1" in shown[0]


def test_stages_by_key_and_every_action_in_the_list(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    _open(qtbot, window, make_wick(tree))
    for number, stage in enumerate(STAGES, 1):
        qtbot.keyClick(window, Qt.Key(Qt.Key.Key_0 + number), Qt.KeyboardModifier.AltModifier)
        assert window._stage is stage and window.pages[stage].isVisible()
    window.band.setFocus()
    qtbot.keyClick(window.band, Qt.Key.Key_7, Qt.KeyboardModifier.AltModifier)
    assert not window.band.hasFocus()
    actions = window._actions()
    assert {"Build", "Undo the last step…", "Light or dark", "Go to Links"} <= {action.title for action in actions}
    dialog = ActionList(window, actions)
    qtbot.addWidget(dialog)
    dialog._words.setText("gtlinks")
    assert _titles(dialog._list)[0] == "Go to Links"
    dialog._do(dialog._list.current())
    assert window._stage is Stage.LINKS
    window.band.setFocus()
    qtbot.keyClick(window.band, Qt.Key.Key_Left)
    assert window._stage is Stage.BUILD


def test_both_themes_and_sizes_paint_every_page(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    _open(qtbot, window, make_wick(tree))
    # Beside the items there is room for every page in a narrow window.
    assert {
        stage: page.minimumSizeHint().width()
        for stage, page in window.pages.items()
        if page.minimumSizeHint().width() > 760
    } == {}
    try:
        for size in ((1024, 700), (1900, 1000)):
            window.resize(*size)
            window.look.toggle_theme()
            for stage in STAGES:
                window.show_stage(stage)
                picture = window.grab().toImage()
                colours = {picture.pixel(x, y) for y in (60, 300) for x in range(0, picture.width(), 3)}
                assert len(colours) > 3
                assert window.width() <= size[0] and window.height() <= size[1]
    finally:
        choose_theme("desktop")
    assert window.session.overview is not None and window.session.overview.states[Stage.TRIAL] is StageState.UNTOUCHED


def test_models_keep_the_rules_of_qt(qtbot: QtBot, qtmodeltester) -> None:
    rows = RowList(None, "rows")  # type: ignore[arg-type]
    table = TextTable(None, "table", ("a", "b"))  # type: ignore[arg-type]
    for widget in (rows, table):
        qtbot.addWidget(widget)
    rows.set_rows((Row("group", heading=True), Row("one", payload=1), Row("two", payload=2)))
    table.set_rows((TableRow(("b", "1")), TableRow(("a", "2"))))
    for widget in (rows, table):
        qtmodeltester.check(widget.model())
    assert rows.current() == 1 and rows.find_text("TWO") and rows.current() == 2
    rows.set_rows((Row("two", payload=2), Row("three", payload=3)))
    assert rows.current() == 2  # what was current stays so
    table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
    assert [table.model().index(at, 0).data() for at in range(2)] == ["a", "b"]
    many = tuple(Row(f"row {n}", payload=n) for n in range(200_000))
    rows.set_rows(many)
    assert rows.model().rowCount() == 200_000


def test_map_areas_are_in_proportion_and_inside() -> None:
    tiles = [Tile(str(n), n * n + 1, "mine", "") for n in range(12)]
    room = QRectF(0, 0, 600, 200)
    placed = squarify(tiles, room)
    total = sum(tile.amount for tile in tiles)
    assert len(placed) == len(tiles)
    for tile, place in placed:
        assert room.adjusted(-0.01, -0.01, 0.01, 0.01).contains(place)
        assert place.width() * place.height() == pytest.approx(600 * 200 * tile.amount / total, rel=1e-6)
