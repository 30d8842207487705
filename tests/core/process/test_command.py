from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from fernshale.core.base.data_folder import home
from fernshale.core.base.errors import Cancelled, CommandError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.process.command import run_command


def _run(script: str, folder: Path, token: CancelToken, timeout_s: float = 20.0) -> tuple[object, list[str]]:
    lines: list[str] = []
    return run_command(
        ["sh", "-c", script], folder, Work(token=token, on_line=lines.append), {"GREETING": "hello"}, timeout_s
    ), lines


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
        run_command(["no-such-compiler"], tmp_path, Work(token=token), {}, 1.0)


def _limit(**values: float) -> None:
    home().mkdir(parents=True, exist_ok=True)
    lines = [f"{name} = {value}" for name, value in values.items()]
    (home() / "limits.toml").write_text("\n".join(['format = "fernshale-limits/1"', *lines]) + "\n")


def test_a_line_without_end_is_cut_and_said(tmp_path: Path, token: CancelToken) -> None:
    _limit(output_line_bytes=1000)
    done, lines = _run("head -c 5000000 /dev/zero | tr '\\0' x; echo; echo after", tmp_path, token)
    assert lines == ["x" * 1000 + " … 4,999,000 bytes left out", "after"]
    assert done.text == "\n".join([*lines, ""])  # type: ignore[attr-defined]


def test_of_very_much_output_the_ends_are_kept(tmp_path: Path, token: CancelToken) -> None:
    _limit(output_bytes=2000)
    done, lines = _run("for i in $(seq 1 2000); do echo line $i; done", tmp_path, token)
    assert len(lines) == 2000
    text = done.text  # type: ignore[attr-defined]
    assert text.startswith("line 1\nline 2\n") and text.endswith("line 1999\nline 2000\n") and "bytes left out" in text
    assert len(text) < 2200


_PARENT = """\
import sys
from pathlib import Path
from fernshale.core.base.data_folder import home
from fernshale.core.base.work import Work
from fernshale.core.process.command import run_command
run_command(["sh", "-c", sys.argv[1]], Path(sys.argv[2]), Work(on_line=lambda line: print(line, flush=True)), {}, 60.0)
"""


def test_a_parent_that_is_killed_takes_the_whole_group_along(tmp_path: Path) -> None:
    # The grandchild says "started" itself: killed before its first write, it would leave nothing to look at.
    script = "(trap '' TERM; date > written; echo started; while true; do date > written; sleep 0.05; done) & wait"
    parent = subprocess.Popen(
        [sys.executable, "-c", _PARENT, script, str(tmp_path)], stdout=subprocess.PIPE, cwd=Path(__file__).parents[3]
    )
    assert parent.stdout is not None and parent.stdout.readline() == b"started\n"
    parent.send_signal(signal.SIGKILL)
    parent.wait()
    parent.stdout.close()
    written = tmp_path / "written"
    deadline = time.monotonic() + 20
    while time.monotonic() < deadline:
        before = written.stat().st_mtime_ns
        time.sleep(0.5)
        if written.stat().st_mtime_ns == before:
            return
    pytest.fail("the command went on writing into the project")
