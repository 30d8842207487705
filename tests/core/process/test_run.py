from __future__ import annotations

import os
import threading
import time
from pathlib import Path

import pytest

from fernshale.core.base.errors import Cancelled, CommandError
from fernshale.core.base.work import CancelToken
from fernshale.core.process.run import run_command


def _run(script: str, folder: Path, token: CancelToken, timeout_s: float = 20.0) -> tuple[object, list[str]]:
    lines: list[str] = []
    return run_command(["sh", "-c", script], folder, token, lines.append, {"GREETING": "hello"}, timeout_s), lines


def test_output_comes_line_by_line_and_whole(tmp_path: Path, token: CancelToken) -> None:
    # The two bytes of one letter come in two writes.
    done, lines = _run(
        "printf 'gr\\303'; sleep 0.2; printf '\\274n\\n'; echo $GREETING >&2; printf last; exit 3", tmp_path, token
    )
    assert lines == ["grün", "hello", "last"]
    assert (done.status, done.output, done.timed_out) == (3, "grün\nhello\nlast".encode(), False)  # type: ignore[attr-defined]


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    # A zombie nobody has collected yet is dead all the same.
    return "State:\tZ" not in Path(f"/proc/{pid}/status").read_text()


def test_cancel_ends_the_whole_group(tmp_path: Path, token: CancelToken) -> None:
    timer = threading.Timer(0.4, token.cancel)
    timer.start()
    with pytest.raises(Cancelled):
        _run("sleep 60 & echo $! > child; wait", tmp_path, token)
    timer.join()
    child = int((tmp_path / "child").read_text())
    for _ in range(50):
        if not _alive(child):
            break
        time.sleep(0.05)
    assert not _alive(child)


def test_time_out_is_a_result(tmp_path: Path, token: CancelToken) -> None:
    done, _ = _run("sleep 60", tmp_path, token, timeout_s=0.3)
    assert done.timed_out and done.status != 0  # type: ignore[attr-defined]


def test_missing_command_is_said(tmp_path: Path, token: CancelToken) -> None:
    with pytest.raises(CommandError, match="no-such-compiler was not found"):
        run_command(["no-such-compiler"], tmp_path, token, print, {}, 1.0)
