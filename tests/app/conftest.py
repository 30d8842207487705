"""The real window, for every test of it."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from fernshale.app.main import make_window
from fernshale.app.theme import apply_theme
from fernshale.app.window import MainWindow


@pytest.fixture
def window(qtbot: QtBot, qapp: QApplication) -> Iterator[MainWindow]:
    apply_theme(qapp)
    made = make_window()
    qtbot.addWidget(made)
    made.resize(1280, 800)
    made.show()
    yield made
    made.close()
    assert not made.session.runner.is_busy
