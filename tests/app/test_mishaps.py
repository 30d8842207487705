"""When something goes wrong: it is in the log, nothing is lost, and a bundle can be saved."""

from __future__ import annotations

import os
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog, QMessageBox
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.questions import show_error
from fernshale.app.window import MainWindow
from fernshale.core.base.errors import MisuseError

_SCRIPT = """
import ctypes, sys
from PySide6.QtCore import qWarning
from fernshale.app.main import _log_what_breaks
from fernshale.core.base.log import start_logging
start_logging()
_log_what_breaks()
qWarning("a wheel is loose")
if sys.argv[1] == "crash":
    ctypes.string_at(0)
raise LookupError("no harbour")
"""


@pytest.mark.parametrize("end", ["raise", "crash"])
def test_qt_exceptions_and_crashes_are_in_the_log(end: str, tmp_path: Path) -> None:
    env = {**os.environ, "FERNSHALE_HOME": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}
    ran = subprocess.run([sys.executable, "-c", _SCRIPT, end], capture_output=True, text=True, env=env, timeout=60)
    assert ran.returncode != 0
    text = (tmp_path / "log/fernshale.log").read_text()
    assert "Qt: a wheel is loose" in text
    if end == "crash":
        assert "Segmentation fault" in (tmp_path / "log/crash.log").read_text()
    else:
        assert "not caught" in text and "LookupError: no harbour" in text


def test_an_unforeseen_error_says_that_nothing_is_lost_and_offers_a_bundle(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    shown: list[tuple[str, str]] = []
    path = tmp_path / "bundle.zip"

    def press(box: QMessageBox) -> int:
        shown.append((box.text(), box.informativeText()))
        bundle = next((made for made in box.buttons() if "bundle" in made.text()), None)
        monkeypatch.setattr(QMessageBox, "clickedButton", lambda _box: bundle)
        return 0

    monkeypatch.setattr(QMessageBox, "exec", press)
    monkeypatch.setattr(QMessageBox, "information", lambda *words: shown.append(("saved", words[-1])))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    show_error(window, ZeroDivisionError("by the tide"))
    assert "unforeseen" in shown[0][0] and "Nothing of your project is lost" in shown[0][1]
    assert "Read it before you send it" in shown[1][1]
    with zipfile.ZipFile(path) as bundle:
        assert {"about.txt", "log.txt"} == set(bundle.namelist())
    shown.clear()
    path.unlink()
    show_error(window, MisuseError("not like that", "Like this."))
    assert shown == [("not like that", "Like this.")] and not path.exists()
