"""Every write, sync, rename and removal of the operations that write, killed or refused in turn, for real."""

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
@pytest.mark.parametrize(("mode", "step"), [("kill", 1), ("lose", 3), ("ENOSPC", 4), ("EIO", 7), ("EACCES", 11)])
@pytest.mark.parametrize("operation", ["apply", "undo", "redo", "back", "take", "restore", "forget"])
def test_before_or_after_whatever_call_is_the_last(
    operation: str, mode: str, step: int, shim: Path, tmp_path: Path
) -> None:
    step *= {"forget": 4, "back": 3, "redo": 2}.get(operation, 1)  # many calls, or much to check after each
    _try(operation, mode, step, shim, tmp_path)


# Each point costs a few runs of git, or waits for another process, so only some of them are tried.
@pytest.mark.parametrize(
    ("operation", "mode", "step"), [("git", "kill", 29), ("git", "ENOSPC", 71), ("two", "kill", 5), ("two", "EIO", 17)]
)
def test_before_or_after_under_git_and_next_to_another(
    operation: str, mode: str, step: int, shim: Path, tmp_path: Path
) -> None:
    _try(operation, mode, step, shim, tmp_path)


def test_before_or_after_with_a_second_process_at_work(shim: Path, tmp_path: Path) -> None:
    _try("take-in-two", "kill", 2, shim, tmp_path)


def _try(operation: str, mode: str, step: int, shim: Path, tmp_path: Path) -> None:
    words = [sys.executable, "-m", "tests.faults.driver", str(shim), str(tmp_path), operation, mode, str(step)]
    # Git reads no settings but those of the repository.
    alone = {"GIT_CONFIG_GLOBAL": "/dev/null", "GIT_CONFIG_NOSYSTEM": "1"}
    env = {**os.environ, **alone, "LD_PRELOAD": str(shim)}
    done = subprocess.run(words, capture_output=True, text=True, env=env, cwd=_HERE.parent.parent, timeout=300)
    assert done.returncode == 0, done.stderr[-3000:]
    print(f"{operation}, {mode}: {int(done.stdout)} points")
    assert int(done.stdout) >= 2
