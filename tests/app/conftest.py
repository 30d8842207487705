"""The real window, for every test of it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from fernshale.app.main import make_window
from fernshale.app.theme import apply_theme
from fernshale.app.window import MainWindow
from fernshale.core.crossing.record.trust import trust
from fernshale.core.profile.read import read_profile
from fernshale.sample import unpack
from tests.conftest import Tree
from tests.wick import Wick, make_wick


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


@pytest.fixture
def wick(tree: Tree) -> Wick:
    """A small project with its profile and shelf; the profile is trusted."""
    made = make_wick(tree)
    trust(read_profile(made.profile))
    return made


@pytest.fixture
def sampled(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> MainWindow:
    """The window with the sample, which has something on every page."""
    sample = unpack(tmp_path / "sample")
    trust(read_profile(sample.profile))
    with qtbot.waitSignal(window.session.overview_changed, timeout=60_000):
        window.begin(sample.project, sample.profile, [sample.shelf], sample.target)
    qtbot.waitUntil(lambda: not window.session.runner.is_busy, timeout=60_000)
    return window


@pytest.fixture
def opened(wick: Wick, window: MainWindow, qtbot: QtBot) -> MainWindow:
    """The window with a crossing of `wick`."""
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        window.begin(wick.project, wick.profile, [wick.shelf], "2.0")
    qtbot.waitUntil(lambda: not window.session.runner.is_busy, timeout=30_000)
    return window
