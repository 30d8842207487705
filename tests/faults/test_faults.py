"""Every write, sync, rename and removal of the operations that matter, killed or refused in turn, for real."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

_HERE = Path(__file__).parent


@pytest.fixture(scope="session")
def shim(tmp_path_factory: pytest.TempPathFactory) -> Path:
    library = tmp_path_factory.mktemp("shim") / "shim.so"
    subprocess.run(["g++", "-x", "c", "-shared", "-fPIC", "-O1", _HERE / "shim.c", "-o", library, "-ldl"], check=True)
    return library


# The process is killed at each call; of the refusals, which a kill mostly stands for, some are tried.
@pytest.mark.parametrize(("mode", "step"), [("kill", 1), ("lose", 2), ("ENOSPC", 4), ("EIO", 7), ("EACCES", 11)])
@pytest.mark.parametrize("operation", ["apply", "undo", "redo", "back", "take", "restore", "forget"])
def test_before_or_after_whatever_call_is_the_last(operation: str, mode: str, step: int, shim: Path, tmp_path: Path) -> None:
    step *= 4 if operation == "forget" else 1  # it has many calls, and much to look at after each
    _try(operation, mode, step, shim, tmp_path)


def test_before_or_after_with_a_second_process_at_work(shim: Path, tmp_path: Path) -> None:
    _try("take-in-two", "kill", 2, shim, tmp_path)


def _try(operation: str, mode: str, step: int, shim: Path, tmp_path: Path) -> None:
    words = [sys.executable, "-m", "tests.faults.driver", str(shim), str(tmp_path), operation, mode, str(step)]
    env = {**os.environ, "LD_PRELOAD": str(shim)}
    done = subprocess.run(words, capture_output=True, text=True, env=env, cwd=_HERE.parent.parent, timeout=300)
    assert done.returncode == 0, done.stderr[-3000:]
    assert int(done.stdout) >= 2
