"""The trace of frames: a line for each key that changes what is shown, and for each pause that a person can see."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit
from pytestqt.qtbot import QtBot

from fernshale.app.trace import FrameTrace, trace_to


@pytest.fixture
def field(qtbot: QtBot) -> Iterator[QLineEdit]:
    made = QLineEdit()
    qtbot.addWidget(made)
    made.show()
    qtbot.waitExposed(made)
    qtbot.wait(50)
    yield made


def _app() -> QApplication:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    return app


@pytest.fixture
def lines(field: QLineEdit) -> Iterator[list[dict[str, object]]]:
    found: list[dict[str, object]] = []
    trace = FrameTrace(_app(), found.append)
    yield found
    trace.setParent(None)  # type: ignore[call-overload]
    trace.deleteLater()


def test_a_key_that_changes_what_is_shown_is_a_line(
    qtbot: QtBot, field: QLineEdit, lines: list[dict[str, object]]
) -> None:
    for key in (Qt.Key.Key_A, Qt.Key.Key_B):
        QTest.keyClick(field, key)
        qtbot.wait(60)
    actions = [line for line in lines if "ms" in line]
    assert [line["action"] for line in actions] == ["key A", "key B"]
    assert all(0 < float(str(line["ms"])) < 2000 for line in actions)


def test_a_key_after_which_nothing_is_painted_is_none_and_a_long_pause_is_one(
    qtbot: QtBot, field: QLineEdit, lines: list[dict[str, object]]
) -> None:
    field.hide()
    QTest.keyClick(field, Qt.Key.Key_F9)
    qtbot.wait(500)
    assert not [line for line in lines if "ms" in line]
    lines.clear()
    QTimer.singleShot(0, lambda: time.sleep(0.12))
    qtbot.wait(200)
    assert max(float(str(line["pause"])) for line in lines if "pause" in line) > 100


def test_the_file_has_one_object_a_line(qtbot: QtBot, field: QLineEdit, tmp_path: Path) -> None:
    trace = trace_to(_app(), tmp_path / "trace.jsonl")
    QTest.keyClick(field, Qt.Key.Key_C)
    qtbot.wait(60)
    read = [json.loads(line) for line in (tmp_path / "trace.jsonl").read_text().splitlines()]
    assert "key C" in [line.get("action") for line in read]
    trace.setParent(None)  # type: ignore[call-overload]
    trace.deleteLater()
