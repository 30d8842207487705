"""Locks between real processes: who holds one is said, and the dead hold nothing."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from fernshale.core.base.errors import Cancelled
from fernshale.core.base.lock import Held, Holder, locked
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.snapshot.store import Store
from tests.conftest import Tree, listing

_HOLD = """
import sys, time
from pathlib import Path
from fernshale.core.base.lock import locked
with locked(Path(sys.argv[1])):
    print("held", flush=True)
    time.sleep(60)
"""


@contextmanager
def _held_elsewhere(path: Path) -> Iterator[subprocess.Popen[str]]:
    with subprocess.Popen([sys.executable, "-c", _HOLD, str(path)], stdout=subprocess.PIPE, text=True) as other:
        assert other.stdout is not None and other.stdout.readline() == "held\n"
        try:
            yield other
        finally:
            other.kill()


def test_who_holds_it_is_said_and_the_dead_hold_nothing(tmp_path: Path) -> None:
    path = tmp_path / "lock"
    with _held_elsewhere(path) as other:
        with pytest.raises(Held) as caught, locked(path):
            pass
        assert caught.value.holder.process == other.pid and 0 <= caught.value.holder.age_s < 60
        other.send_signal(signal.SIGKILL)
        other.wait()
        with locked(path):
            assert f'"process": {os.getpid()}' in path.read_text()


def test_a_child_that_a_killed_holder_had_just_begun_is_waited_for(tmp_path: Path) -> None:
    path = tmp_path / "lock"
    forks = _HOLD.replace(
        "    print(", "    import os\n    if not os.fork():\n        time.sleep(0.5)\n        os._exit(0)\n    print("
    )
    with subprocess.Popen([sys.executable, "-c", forks, str(path)], stdout=subprocess.PIPE, text=True) as holder:
        assert holder.stdout is not None and holder.stdout.readline() == "held\n"
        holder.kill()
        holder.wait()
        with locked(path):
            assert f'"process": {os.getpid()}' in path.read_text()


def test_waiting_for_the_store_is_said_and_can_be_cancelled(tree: Tree, tmp_path: Path) -> None:
    root, store = tree("t", {"a": "one"}), Store(tmp_path / "store")
    said: list[str] = []
    token = CancelToken()

    def progress(what: str, done: int, total: int) -> None:
        said.append(what)
        token.cancel()

    with _held_elsewhere(tmp_path / "store/lock") as other:
        with pytest.raises(Cancelled):
            store.take(root, "", Work(progress=progress, token=token))
        assert f"process {other.pid}" in said[0] and "waiting" in said[0]
    assert store.list() == [] and store.take(root, "", Work()).files == 1


def test_a_lock_file_with_anything_in_it_is_still_a_lock(tmp_path: Path) -> None:
    path = tmp_path / "lock"
    for text in ("", "12345", "{", '{"process": "x"}', "[]"):
        path.write_text(text)
        with locked(path):
            pass
    assert str(Holder(0, 0.0)) == "an unknown process"


def test_two_processes_that_write_into_one_store_lose_nothing(tree: Tree, tmp_path: Path) -> None:
    trees = [tree(name, {f"{name}{n}": f"{name} {n}" * 50 for n in range(30)}) for name in ("x", "y")]
    store = tmp_path / "store"
    words = [
        [sys.executable, "-m", "fernshale", "snapshot", "take", str(root), "--store", str(store)] for root in trees
    ]
    running = [subprocess.Popen(line, stdout=subprocess.DEVNULL) for line in words for _ in range(3)]
    assert [process.wait(60) for process in running] == [0] * 6
    opened = Store(store)
    assert len(opened.list()) == 6 and opened.verify().ok
    assert {item.tree for item in opened.list()} == {str(root) for root in trees}
    assert listing(trees[0])
