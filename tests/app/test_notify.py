"""A real bus carries a notification to a stand-in of the desktop; without a bus nothing happens."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from fernshale.app.notify import send
from fernshale.app.pace import Pace

_HERE = Path(__file__).parent
_SCRIPT = f"""\
{sys.executable} {_HERE / "desktop_stand_in.py"} > "$1" &
while ! grep -q ready "$1"; do sleep 0.05; done
{sys.executable} -c 'from fernshale.app.notify import send; print(send("Built", "3 errors are left"))'
wait
"""


@pytest.mark.skipif(shutil.which("dbus-run-session") is None, reason="there is no session bus to start")
def test_the_desktop_gets_title_and_text(tmp_path: Path) -> None:
    told = tmp_path / "told"
    told.touch()
    command = ["dbus-run-session", "--", "bash", "-c", _SCRIPT, "bash", str(told)]
    ran = subprocess.run(command, capture_output=True, text=True, timeout=60, cwd=_HERE.parents[1])
    assert ran.stdout.split()[-1:] == ["True"], ran.stderr
    assert json.loads(told.read_text().splitlines()[-1]) == ["Built", "3 errors are left"]


def test_without_a_bus_nothing_is_shown(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.delenv("DBUS_SESSION_BUS_ADDRESS", raising=False)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    assert not send("Built", "3 errors are left")
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", f"unix:path={tmp_path}/nobody")
    assert not send("Built", "3 errors are left")


def test_the_pace_says_how_long_it_still_takes() -> None:
    time = [100.0]
    pace = Pace("building", 39.0, lambda: time[0])
    assert pace.words == "building"
    time[0] += 12
    assert pace.words == "building · 12 s, 39 s the last time"
    pace.go_on("reading files", 0, 200)
    assert pace.words == "reading files · 0 of 200"
    time[0] += 10
    pace.go_on("reading files", 50, 200)
    assert pace.words == "reading files · 50 of 200 · about 30 s left"
    time[0] += 1
    # Another part: nothing is known of its speed yet.
    pace.go_on("copying", 1, 4000)
    assert pace.words == "copying · 1 of 4000"
    time[0] += 600
    pace.go_on("copying", 1000, 4000)
    assert pace.words == "copying · 1000 of 4000 · about 30 min left"
