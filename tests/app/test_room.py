"""The detail gets the room: parts of the window fold, each page remembers how, and letters have a size."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QApplication, QScrollBar, QWidget
from pytestqt.qtbot import QtBot

from fernshale.app.pages.base import Page
from fernshale.app.theme import SCALES, choose_scale, scale, scaled
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.text_document import AnnotatedText, LineRow
from fernshale.app.window import MainWindow
from fernshale.core.base.settings import change_settings, settings
from fernshale.core.crossing.flow.actions import parse_action
from fernshale.core.crossing.record.stage import STAGES, Stage


@pytest.fixture(autouse=True)
def _usual_size() -> Iterator[None]:
    QSettings().clear()
    choose_scale(1.0)
    yield
    QSettings().clear()
    choose_scale(1.0)


def _resized(window: MainWindow, qtbot: QtBot, width: int, height: int) -> None:
    window.resize(width, height)
    qtbot.waitUntil(lambda: (window.width(), window.height()) == (width, height))


def _shown(window: MainWindow) -> set[str]:
    """The visible widgets, without those that Qt makes for itself."""
    made = window.findChildren(QWidget)
    is_made = lambda item: item.objectName().startswith("qt_") or isinstance(item, QScrollBar)  # noqa: E731
    return {type(item).__name__ + item.accessibleName() for item in made if item.isVisible() and not is_made(item)}


def test_parts_fold_by_themselves_where_there_is_no_room(opened: MainWindow, qtbot: QtBot) -> None:
    opened.show_stage(Stage.PLUGINS)
    _resized(opened, qtbot, 1280, 800)
    assert opened._side.isHidden() and opened._foot.isHidden() and opened._side_strip.isVisible()
    assert "open item" in opened._side_strip.text() and opened._foot_strip.isVisible()
    _resized(opened, qtbot, 1800, 1100)
    assert opened._side.isVisible() and opened._foot.isVisible() and not opened._side_strip.isVisible()
    assert not opened._foot_strip.isVisible()


def test_each_page_remembers_what_was_folded_by_hand(opened: MainWindow, qtbot: QtBot) -> None:
    opened.show_stage(Stage.BUILD)
    qtbot.keyClick(opened, Qt.Key.Key_F8)
    assert opened._side.isVisible()
    qtbot.keyClick(opened, Qt.Key.Key_F10)
    assert opened._output_pane.isVisible() and not opened._logbook_pane.isVisible()
    opened.show_stage(Stage.ROUTE)
    assert opened._side.isHidden() and opened._foot.isHidden()
    opened.show_stage(Stage.BUILD)
    assert opened._side.isVisible() and opened._output_pane.isVisible()
    qtbot.keyClick(opened, Qt.Key.Key_F10)
    assert opened._foot.isHidden()


@pytest.mark.parametrize("stage", [Stage.BUILD, Stage.PLUGINS, Stage.ENGINE, Stage.LINKS, Stage.TRIAL, Stage.SURVEY])
def test_the_detail_takes_the_whole_window_and_gives_it_back(opened: MainWindow, qtbot: QtBot, stage: Stage) -> None:
    opened.show_stage(stage)
    page = opened.pages[stage]
    assert page.detail is not None
    page.detail.show()
    qtbot.wait(50)
    before = page.detail.height()
    shown = _shown(opened)
    qtbot.keyClick(page, Qt.Key.Key_Z)
    assert not opened.band.isVisible() and not page.finding.isVisible() and page.detail.isVisible()
    qtbot.waitUntil(lambda: page.detail is not None and page.detail.height() > before)
    opened.show_whole()
    qtbot.waitUntil(lambda: _shown(opened) == shown)
    qtbot.keyClick(page, Qt.Key.Key_Z)
    opened.show_stage(Stage.ROUTE)
    assert opened.band.isVisible() and opened.pages[Stage.ROUTE].finding.isVisible()


@pytest.mark.parametrize(("size", "letters"), [((1024, 700), 1.0), ((1024, 700), 1.5), ((1280, 800), 1.5)])
def test_fifteen_lines_of_text_fit_into_each_detail(
    opened: MainWindow, qtbot: QtBot, size: tuple[int, int], letters: float
) -> None:
    for _ in range(SCALES.index(letters) - SCALES.index(1.0)):
        opened.look.zoom(1)
    assert scale() == letters
    _resized(opened, qtbot, *size)
    for stage in (Stage.BUILD, Stage.PLUGINS, Stage.ENGINE, Stage.LINKS, Stage.TRIAL):
        opened.show_stage(stage)
        page = opened.pages[stage]
        texts = [text for text in page.findChildren(AnnotatedText) if text.isVisible()]
        assert texts, stage

        def lines(texts: list[AnnotatedText] = texts) -> float:
            return max(text.viewport().height() for text in texts) / scaled(18)

        qtbot.waitUntil(lambda lines=lines: lines() >= 15, timeout=3000)
        assert page.minimumSizeHint().width() <= page.width(), stage


def test_letters_grow_and_are_as_large_the_next_time(opened: MainWindow, qtbot: QtBot, qapp: QApplication) -> None:
    from fernshale.app.theme import use_look

    opened.show_stage(Stage.BUILD)
    page = opened.pages[Stage.BUILD]
    assert isinstance(page, Page)
    before = page.finding.font().pixelSize(), opened.font().pixelSize()
    opened.look.zoom(1)
    opened.look.zoom(1)
    assert page.finding.font().pixelSize() > before[0] and opened.font().pixelSize() > before[1]
    now = scale()
    choose_scale(1.0)
    use_look(settings().look, 0)
    assert scale() == now > 1.2
    opened.look.zoom(0)
    assert (page.finding.font().pixelSize(), opened.font().pixelSize()) == before


@pytest.mark.parametrize("width", [1024, 1280, 1703])
def test_the_report_scrolls_sideways_only_where_something_is_wider(
    opened: MainWindow, qtbot: QtBot, width: int
) -> None:
    _resized(opened, qtbot, width, 800)
    opened.show_view(opened.report)
    qtbot.waitUntil(lambda: "candle" in opened.report._page.toPlainText())
    qtbot.waitUntil(lambda: not opened.report._page.horizontalScrollBar().isVisible())


def test_after_a_step_a_line_says_what_was_done_and_takes_it_back(opened: MainWindow, qtbot: QtBot) -> None:
    def take(key: str, option: str) -> None:
        with qtbot.waitSignal(opened.session.overview_changed, timeout=30_000):
            opened.session.carry_out(parse_action(key, option), key)
        qtbot.waitUntil(lambda: not opened.session.runner.is_busy, timeout=30_000)

    assert not opened._status._undo.isVisible()
    take("plugin:snuffer", "take")
    assert opened._status._undo.isVisible() and "snuffer" in opened._status._message.text()
    asked: list[str] = []
    opened._ask_undo = lambda payload, **_: asked.append(payload.title)  # type: ignore[method-assign]
    opened._status._undo.click()
    assert asked == [opened._status._message.text()]


def test_the_row_after_one_that_is_gone_is_current(qtbot: QtBot) -> None:
    rows = RowList(None, "rows")  # type: ignore[arg-type]
    qtbot.addWidget(rows)
    made = [Row(name, payload=name) for name in "abcd"]
    rows.set_rows(tuple(made))
    rows.select("b")
    rows.set_rows((made[0], Row("more", heading=True), *made[2:]))
    assert rows.current() == "c"
    rows.select("d")
    rows.set_rows(tuple(made[:1]))
    assert rows.current() == "a"
    rows.set_rows(())
    assert rows.current() is None


def test_long_work_is_told_of_when_the_window_is_not_in_use(
    opened: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    told: list[tuple[str, str]] = []
    monkeypatch.setattr("fernshale.app.status_line.notify", lambda title, text: told.append((title, text)))
    change_settings({"notifications.after_seconds": 0.0})
    monkeypatch.setattr(opened._status, "isActiveWindow", lambda: False)
    with qtbot.waitSignal(opened.session.overview_changed, timeout=30_000):
        opened.session.carry_out(parse_action("plugin:snuffer", "take"), "snuffer")
    qtbot.waitUntil(lambda: bool(told), timeout=5_000)
    assert told[0][0].startswith("candle: done after") and "snuffer" in told[0][1]
    monkeypatch.setattr(opened._status, "isActiveWindow", lambda: True)
    with qtbot.waitSignal(opened.session.overview_changed, timeout=30_000):
        opened.session.carry_out(parse_action("engine:sites", "apply"), "sites")
    qtbot.wait(600)
    assert len(told) == 1 and not opened._status._tick.isActive()


def test_a_change_far_to_the_right_is_seen_without_scrolling(qtbot: QtBot) -> None:
    text = "x" * 300 + " = changed;"
    far = LineRow("after", "mine", "1", text, "mine", ((303, 310),))
    near = LineRow("after", "mine", "2", "short = changed;", "mine", ((8, 15),))
    view = AnnotatedText(None, "changes")  # type: ignore[arg-type]
    qtbot.addWidget(view)
    view.resize(600, 200)
    view.show()
    view.show_lines((far, near))
    (block,) = view.blocks()
    qtbot.waitUntil(lambda: block.width() <= view.viewport().width())
    assert not view.horizontalScrollBar().isVisible()
    assert far.skipped(60) == 303 - 24 and near.skipped(60) == 0 and far.skipped(500) == 0


def test_large_letters_in_a_small_window_stay_apart_and_small_ones_come_back(
    opened: MainWindow, qtbot: QtBot, qapp: QApplication
) -> None:
    """The names of the stops never overlap, and the line at the foot goes with the letters, whatever the window's height was."""
    _resized(opened, qtbot, 1024, 700)
    for _ in range(len(SCALES)):
        opened.look.zoom(1)
    assert scale() == SCALES[-1]
    band = opened.band
    font = QFontMetrics(band._stop_font(True))
    assert max(font.horizontalAdvance(stage.title) for stage in STAGES) < band._step
    first, last = band.stop(STAGES[0]).x(), band.stop(STAGES[-1]).x()
    assert band._begin < first < last < band._end
    _resized(opened, qtbot, 2000, 1400)
    parts = [words for _, words in opened._foot_strip._parts.values()]
    assert {words.font().pixelSize() for words in parts} == {scaled(12)}
    opened.look.zoom(0)
    assert {words.font().pixelSize() for words in parts} == {12}
