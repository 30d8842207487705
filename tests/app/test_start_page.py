"""The start page: each crossing with how it stands, resumed or deleted."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QImage
from pytestqt.qtbot import QtBot

from fernshale.app.widgets.crossing_list import CrossingRow
from fernshale.app.window import MainWindow
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
