"""Cache entries that several real processes need at once are made by one of them."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from fernshale.core.base.cached_file import cached_file, made_once
from fernshale.core.base.errors import Cancelled
from fernshale.core.base.work import CancelToken

_NEEDS = """
import sys, time
from pathlib import Path
from fernshale.core.base.cached_file import cached_file
from fernshale.core.base.work import CancelToken

place = Path(sys.argv[1])
def make():
    with open(place / "made", "a") as file:
        file.write("x")
    time.sleep(0.3)
    return 42
print(cached_file(place / "deep/entry", int, make, lambda value: str(value).encode(), CancelToken()))
"""


def _int(path: Path, made: list[int]) -> int:
    def make() -> int:
        made.append(1)
        return 7

    return cached_file(path, int, make, lambda value: str(value).encode(), CancelToken())


def test_one_process_makes_it_and_the_others_wait(tmp_path: Path) -> None:
    start = [sys.executable, "-c", _NEEDS, str(tmp_path)]
    children = [subprocess.Popen(start, stdout=subprocess.PIPE, text=True) for _ in range(6)]
    assert [child.communicate()[0] for child in children] == ["42\n"] * 6
    assert (tmp_path / "made").read_text() == "x"
    assert [path.name for path in (tmp_path / "deep").iterdir()] == ["entry"]


@pytest.mark.parametrize("damage", [b"", b"seven", b"\xff"])
def test_a_damaged_entry_is_made_again(tmp_path: Path, damage: bytes) -> None:
    made: list[int] = []
    (tmp_path / "entry").write_bytes(damage)
    assert [_int(tmp_path / "entry", made) for _ in range(3)] == [7, 7, 7] and made == [1]


def test_waiting_for_another_ends_with_a_cancellation_and_an_error_keeps_nothing(tmp_path: Path) -> None:
    token = CancelToken()
    with made_once(tmp_path / "entry", token):
        token.cancel()
        with pytest.raises(Cancelled):
            cached_file(tmp_path / "entry", int, lambda: 7, lambda value: b"7", token)
    with pytest.raises(ZeroDivisionError):
        cached_file(tmp_path / "entry", int, lambda: 1 // 0, lambda value: b"7", CancelToken())
    assert not (tmp_path / "entry").exists() and _int(tmp_path / "entry", []) == 7


def test_after_an_error_the_waiting_ones_make_it_one_after_the_other(tmp_path: Path) -> None:
    fails = _NEEDS.replace("time.sleep(0.3)", "time.sleep(0.1); open(place / 'alone', 'x').close()")
    fails = fails.replace("    return 42", "    (place / 'alone').unlink(); raise OSError('no luck')")
    start = [sys.executable, "-c", fails, str(tmp_path)]
    children = [subprocess.Popen(start, stderr=subprocess.PIPE, text=True) for _ in range(6)]
    said = [child.communicate()[1].strip().splitlines()[-1] for child in children]
    assert said == ["OSError: no luck"] * 6 and (tmp_path / "made").read_text() == "x" * 6
    assert not list((tmp_path / "deep").iterdir())
