"""The log says what was done and what went wrong, and nothing of what files contain; a bundle is what a person can read."""

from __future__ import annotations

import subprocess
import sys
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from fernshale.core.base import log
from fernshale.core.base.crash_report import in_words
from fernshale.core.base.errors import Cancelled, MisuseError
from fernshale.core.base.log import LOGGER, log_file, log_folder, logged, start_logging, stop_logging
from fernshale.core.crossing.flow.diagnostic_bundle import bundle_texts, write_bundle
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.wick import begin_wick


@pytest.fixture(autouse=True)
def _logging_on() -> Iterator[None]:
    start_logging()
    yield
    stop_logging()


def _text() -> str:
    for handler in LOGGER.handlers:
        handler.flush()
    return log_file().read_text()


def test_each_action_is_a_line_with_its_crossing(tree: Tree) -> None:
    _, crossing = begin_wick(tree)
    act(crossing, "survey:baseline", "take")
    act(crossing, "plugin:snuffer", "take")
    with pytest.raises(MisuseError):
        act(crossing, "plugin:nobody", "take")
    lines = [line for line in _text().splitlines() if crossing.folder.name in line]
    assert [line.split("] ")[1].split(" ")[0] for line in lines] == ["done", "step", "done", "refused"]
    assert "survey:baseline take" in lines[0] and "plugin:snuffer take" in lines[2]
    written = next(entry for entry in crossing.logbook() if entry.changes)
    assert f"plugin:snuffer take] step {written.id} written, 2 files" in lines[1]
    # Nothing of what is in the files.
    assert "light_up" not in _text() and "step_0" not in _text()


def test_failures_are_told_with_their_trace_and_cancelling_is_none() -> None:
    with pytest.raises(ZeroDivisionError), logged("candle", "divide"):
        raise ZeroDivisionError
    with pytest.raises(Cancelled), logged("candle", "wait"):
        raise Cancelled
    text = _text()
    assert "ERROR [candle divide] failed after" in text and "Traceback" in text
    assert "INFO [candle wait] cancelled after" in text and text.count("Traceback") == 1


def test_an_error_that_several_callers_log_has_one_stack_in_the_log() -> None:
    with pytest.raises(ZeroDivisionError) as caught, logged("-", "command"), logged("candle", "divide"):
        raise ZeroDivisionError
    in_words(caught.value)
    text = _text()
    assert text.count("Traceback") == 1
    assert "[candle divide] failed" in text and "[- command] failed" in text and "unforeseen: ZeroDivisionError" in text


def test_a_command_that_is_refused_is_no_command_done(tmp_path: Path) -> None:
    command = [sys.executable, "-m", "fernshale", "logbook", str(tmp_path / "nowhere")]
    assert subprocess.run(command, check=False, capture_output=True).returncode == 2
    assert "] refused after" in log_file().read_text() and "] done" not in log_file().read_text()


def test_a_long_log_is_rotated(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(log, "_BYTES", 2000)
    start_logging()
    for number in range(400):
        LOGGER.info("line %d", number)
    stop_logging()
    files = sorted(log_folder().iterdir())
    assert len(files) == 5 and all(path.stat().st_size <= 2100 for path in files)
    assert "line 399" in log_file().read_text()


def test_without_a_place_for_the_log_the_work_goes_on() -> None:
    stop_logging()
    log_folder().rmdir()
    log_folder().write_text("in the way")
    start_logging()
    with logged("candle", "work"):
        LOGGER.info("nobody reads this")
    stop_logging()


def test_what_nobody_caught_is_in_the_log_in_any_thread(tmp_path: Path) -> None:
    script = (
        "import threading\nfrom fernshale.core.base.log import log_uncaught, start_logging\n"
        "start_logging()\nlog_uncaught()\n"
        "thread = threading.Thread(target=lambda: 1 / 0, name='worker')\nthread.start(); thread.join()\nraise KeyError('gone')\n"
    )
    ran = subprocess.run(
        [sys.executable, "-c", script],
        capture_output=True,
        text=True,
        env={"FERNSHALE_HOME": str(tmp_path), "PATH": ""},
    )
    assert ran.returncode == 1 and "KeyError" in ran.stderr
    text = (tmp_path / "log/fernshale.log").read_text()
    assert "not caught in worker" in text and "ZeroDivisionError" in text and "KeyError: 'gone'" in text


def test_the_command_line_writes_it_and_tells_more_if_asked(tree: Tree) -> None:
    wick, _ = begin_wick(tree)
    command = [sys.executable, "-m", "fernshale", "--verbose", "logbook", str(wick.project)]
    ran = subprocess.run(command, capture_output=True, text=True)
    assert ran.returncode == 0, ran.stderr
    assert "[- command " in ran.stderr and "[- command " in log_file().read_text()


def test_a_bundle_has_texts_and_no_contents(tree: Tree, tmp_path: Path) -> None:
    wick, crossing = begin_wick(tree)
    act(crossing, "plugin:snuffer", "take")
    path = tmp_path / "bundle.zip"
    write_bundle(path, crossing)
    with zipfile.ZipFile(path) as bundle:
        texts = {name: bundle.read(name).decode() for name in bundle.namelist()}
    assert texts.keys() == {"about.txt", "log.txt", "profile.toml", "logbook.txt"} == bundle_texts(crossing).keys()
    assert "Python" in texts["about.txt"] and "plugin:snuffer take" in texts["log.txt"]
    assert texts["profile.toml"] == wick.profile.read_text() and "snuffer 1 → 2" in texts["logbook.txt"]
    assert "step_0" not in texts["logbook.txt"] + texts["log.txt"] + texts["about.txt"]
    assert bundle_texts(None).keys() == {"about.txt", "log.txt"}
