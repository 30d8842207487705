"""A crossing that is interrupted or killed at any moment: it ends as promised, and is gone on with to the same end."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from fernshale.core.base.work import Work
from fernshale.core.crossing.record.database import open_crossing
from fernshale.core.crossing.record.logbook import go_back_to, recover_interrupted
from fernshale.core.snapshot.store import Store
from tests.conftest import Tree, listing
from tests.wick import Wick, make_wick

# How a crossing is ended, one after the other; the first three end in one handler.
_ENDINGS = (
    ("interrupt", "terminate", "hang up"),
    ("interrupt the group", "interrupt twice"),
    ("kill", "kill"),
)


def _cross(wick: Wick) -> subprocess.Popen[str]:
    words = (
        "cross",
        wick.project,
        "--to",
        "2.0",
        "--shelf",
        wick.shelf,
        "--profile",
        wick.profile,
        "--auto",
        "--trust",
    )
    return subprocess.Popen(
        [sys.executable, "-m", "fernshale", *map(str, words)], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        start_new_session=True,
    )  # fmt: skip


@pytest.mark.parametrize("endings", _ENDINGS, ids=lambda endings: endings[0])
def test_a_crossing_ends_and_goes_on(endings: tuple[str, ...], tree: Tree) -> None:
    started = time.monotonic()
    wick = make_wick(tree)
    before = listing(wick.project)
    process = _cross(wick)
    out, err = process.communicate(timeout=120)
    assert process.returncode == 0, err
    whole_s, ended = time.monotonic() - started, listing(wick.project)
    go_back_to(open_crossing(wick.project), 1, Work())
    assert listing(wick.project) == before
    source = random.Random(endings[0])
    for how in endings:
        go_back_to(open_crossing(wick.project), 1, Work())
        process = _cross(wick)
        time.sleep(source.uniform(0.05, 0.95) * whole_s)
        _end(process, how)
        out, err = process.communicate(timeout=60)
        assert "Traceback" not in err and "unforeseen" not in err, err
        wanted = (-signal.SIGKILL, 0) if how == "kill" else (130, 0)
        assert process.returncode in wanted, (process.returncode, err)
        crossing = open_crossing(wick.project)
        with crossing.acting():  # nobody holds the lock any more
            recover_interrupted(crossing)
        assert not list(wick.project.rglob(".fernshale-*"))
    process = _cross(wick)
    out, err = process.communicate(timeout=120)
    assert process.returncode == 0, out + err
    assert listing(wick.project) == ended
    assert Store(Path(os.environ["FERNSHALE_HOME"]) / "store").verify().ok
    go_back_to(open_crossing(wick.project), 1, Work())
    assert listing(wick.project) == before


def _end(process: subprocess.Popen[str], how: str) -> None:
    if process.poll() is not None:
        return
    match how:
        case "interrupt":
            process.send_signal(signal.SIGINT)
        case "interrupt the group":  # as a terminal does
            os.killpg(process.pid, signal.SIGINT)
        case "interrupt twice":
            process.send_signal(signal.SIGINT)
            time.sleep(0.02)
            process.send_signal(signal.SIGINT)
        case "terminate":
            process.terminate()
        case "hang up":
            process.send_signal(signal.SIGHUP)
        case _:
            process.kill()
