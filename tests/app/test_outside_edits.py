"""Edits made by another program are noticed by notifications of the system, and without them by checks that stay rare."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot
from watchdog.observers import Observer

from fernshale.app.outside_edits import OutsideEdits
from fernshale.app.window import MainWindow
from tests.conftest import Tree
from tests.wick import Wick


@pytest.fixture
def edits(qtbot: QtBot, window: MainWindow) -> Iterator[OutsideEdits]:
    made = OutsideEdits(window)
    yield made
    made.stop()
    assert not [thread for thread in threading.enumerate() if "inotify" in thread.name.lower()]


def _write(tree: Path) -> None:
    (tree / "a/b.txt").write_text("more")


def _make(tree: Path) -> None:
    (tree / "a/new").mkdir()


def _make_deep(tree: Path) -> None:
    (tree / "a/new").mkdir()
    time.sleep(0.3)
    (tree / "a/new/inner.txt").write_text("1")


def _remove(tree: Path) -> None:
    (tree / "a/b.txt").unlink()


def _replace(tree: Path) -> None:
    (tree / "half").write_text("new")
    (tree / "half").rename(tree / "a/b.txt")


@pytest.mark.parametrize("change", [_write, _make, _make_deep, _remove, _replace])
def test_every_kind_of_change_is_suspected_soon(
    edits: OutsideEdits, qtbot: QtBot, tree: Tree, change: Callable[[Path], None]
) -> None:
    project = tree("p", {"a/b.txt": "1"})
    edits.watch(project)
    qtbot.waitUntil(lambda: edits.has_notifications, timeout=5_000)
    with qtbot.waitSignal(edits.suspected, timeout=3_000):
        change(project)


def test_reading_a_tree_is_no_change(edits: OutsideEdits, qtbot: QtBot, tree: Tree) -> None:
    project = tree("p", {"a/b.txt": "1"})
    edits.watch(project)
    qtbot.waitUntil(lambda: edits.has_notifications, timeout=5_000)
    with qtbot.assertNotEmitted(edits.suspected, wait=1_200):
        (project / "a/b.txt").read_text()
        list(project.rglob("*"))


def test_without_notifications_checks_find_it(
    edits: OutsideEdits, qtbot: QtBot, tree: Tree, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refuse(*given: object, **more: object) -> None:
        raise OSError("inotify watch limit reached")

    monkeypatch.setattr(type(Observer()), "schedule", refuse)
    monkeypatch.setattr("fernshale.app.outside_edits._OFTEN_MS", 50)
    edits.watch(tree("p", {"a": "1"}))
    with qtbot.waitSignal(edits.suspected, timeout=3_000):
        pass
    assert not edits.has_notifications


def test_checks_take_half_a_percent_of_the_time_at_most(edits: OutsideEdits, tree: Tree, qtbot: QtBot) -> None:
    edits.watch(tree("p", {"a": "1"}))
    qtbot.waitUntil(lambda: edits.has_notifications, timeout=5_000)
    edits.note_check(0.01)
    assert edits.poll_ms == 120_000
    edits.note_check(2.0)
    assert edits.poll_ms == 400_000


def test_the_window_reads_again_what_another_program_changed(opened: MainWindow, wick: Wick, qtbot: QtBot) -> None:
    outside = opened.session.outside
    qtbot.waitUntil(lambda: outside.has_notifications, timeout=5_000)
    with qtbot.waitSignal(opened.session.overview_changed, timeout=10_000):
        (wick.project / "candle.ini").write_text("; another\nwick = 1.3\n")
    assert opened.session.overview is not None and opened.session.overview.scan.release == "1.3"
    opened.session.leave()
    assert not outside.has_notifications
