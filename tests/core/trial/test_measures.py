"""Endings, timings, hitches, pictures and checks: told apart by real processes, real pictures, and noise from a generator."""

from __future__ import annotations

import random
import sys
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from lxml import etree
from PIL import Image

from fernshale.core.base.work import Work
from fernshale.core.process.command import Finished, run_command
from fernshale.core.profile.model import Check
from fernshale.core.trial.checks import CheckResult, check_log, judge_command
from fernshale.core.trial.frame_times import compare_times, find_hitches, read_frames
from fernshale.core.trial.image_diff import NoPicture, compare_pictures
from fernshale.core.trial.junit import to_junit
from fernshale.core.trial.run_outcome import Ending, read_ending


def _run(code: str, timeout_s: float = 20, silence_s: float = 0) -> Finished:
    return run_command([sys.executable, "-u", "-c", code], Path.cwd(), Work(), {}, timeout_s, silence_s)


def _ending(done: Finished, limit: float = 20) -> Ending:
    return read_ending(done.status, done.timed_out, done.silent_s, limit, done.text.splitlines())


def test_endings_are_told_apart() -> None:
    assert _ending(_run("print('done')")).kind == "well"
    assert "status 3" in _ending(_run("raise SystemExit(3)")).words
    crashed = _ending(_run("import os, signal; print('last words'); os.kill(os.getpid(), signal.SIGSEGV)"))
    assert crashed.kind == "signal" and "SIGSEGV" in crashed.words and crashed.last == ("last words",)
    assert _ending(_run("import os; os._exit(134)")).kind == "signal"
    silent = _ending(_run("import time; print('hello'); time.sleep(30)", silence_s=0.4))
    assert silent.kind == "silence" and silent.last == ("hello",)
    busy = "import time\nwhile True: print('tick'); time.sleep(0.05)"
    assert _ending(_run(busy, timeout_s=0.6, silence_s=5)).kind == "time"


def test_the_stack_of_a_crash_is_found_in_what_it_said() -> None:
    stack = _ending(_run("print('start')\ndef row():\n    raise ValueError('no oars')\nrow()")).stack
    assert stack[0].startswith("Traceback") and stack[-1] == "ValueError: no oars"
    sanitizer = [
        "out",
        "==12==ERROR: heap-use-after-free",
        "    #0 0x55 in moor boat.cpp:7",
        "    #1 0x56 in main game.cpp:3",
        "bye",
    ]
    assert read_ending(1, False, 0, 1, sanitizer).stack == tuple(sanitizer[1:4])
    assert read_ending(1, False, 0, 1, ["no stack", "here"]).stack == ()


@settings(max_examples=30)
@given(st.integers(0, 10_000))
def test_noise_alone_is_seldom_called_slower(seed: int) -> None:
    rng = random.Random(seed)
    times = [[rng.lognormvariate(0, 0.1) for _ in range(5)] for _ in range(2)]
    found = compare_times("x", *times)
    assert found is not None
    if found.verdict in ("slower", "faster"):
        assert found.chance is not None and found.chance <= 0.01


def test_how_often_noise_is_mistaken_and_a_real_change_found() -> None:
    rng = random.Random(7)

    def verdicts(factor: float) -> list[str]:
        sides = (
            [rng.lognormvariate(0, 0.05) for _ in range(5)],
            [factor * rng.lognormvariate(0, 0.05) for _ in range(5)],
        )
        return [item.verdict for item in (compare_times("x", *sides),) if item]

    wrong = sum(verdicts(1.0)[0] in ("slower", "faster") for _ in range(400))
    right = sum(verdicts(1.3)[0] == "slower" for _ in range(200))
    assert wrong <= 12 and right >= 190


def test_too_few_runs_and_differences_nobody_feels_are_said() -> None:
    one = compare_times("x", [1.0], [2.0])
    assert one is not None and one.verdict == "too few runs" and one.chance is None
    tiny = compare_times("x", [0.010, 0.011, 0.010], [0.020, 0.021, 0.020], felt=0.25)
    assert tiny is not None and tiny.verdict == "as before"
    assert compare_times("x", [], [1.0]) is None


def test_hitches_are_found_by_their_place_and_only_where_they_come_again() -> None:
    rng = random.Random(1)

    def run(*hitches: int) -> list[float]:
        return [rng.uniform(9, 11) + (60 if at in hitches else 0) for at in range(300)]

    before = [run(40), run(40), run(40)]
    now = [run(40, 120), run(40, 120, 200), run(40, 120)]
    found = find_hitches(before, now)
    assert [(item.frame, item.runs) for item in found] == [(120, 3)]
    assert found[0].now_ms > 60 and 9 <= found[0].usual_ms <= 11


def test_frame_tables_with_faults_are_read_as_far_as_they_go(tmp_path: Path) -> None:
    table = tmp_path / "frames.csv"
    table.write_text("frame,ms\n0,16.5\n1,x\n2,-4\n3,inf\n4,17\n")
    assert read_frames(table, "ms", 1000) == (16.5, 17.0)
    assert read_frames(table, "no", 1000) == () and read_frames(tmp_path / "none", "ms", 1000) == ()


def _picture(
    path: Path, boxes: list[tuple[int, int, int, int, tuple[int, int, int]]], size: tuple[int, int] = (60, 40)
) -> Path:
    image = Image.new("RGB", size, (90, 120, 150))
    for left, top, right, bottom, colour in boxes:
        image.paste(colour, (left, top, right, bottom))
    image.save(path)
    return path


def test_pictures_differ_where_an_eye_sees_it(tmp_path: Path) -> None:
    before = _picture(tmp_path / "a.png", [(5, 5, 15, 15, (200, 60, 40))])
    faint = _picture(tmp_path / "b.png", [(5, 5, 15, 15, (201, 60, 40))])
    moved = _picture(tmp_path / "c.ppm", [(25, 5, 35, 15, (200, 60, 40))])
    assert compare_pictures(before, before)[0].is_same and compare_pictures(before, faint)[0].is_same
    found, mask = compare_pictures(before, moved)
    assert mask is not None and not found.is_same and 0.07 < found.share < 0.14
    left, top, right, bottom = found.box
    assert left in (4, 5) and top in (4, 5) and right in (35, 36) and bottom in (15, 16)
    other = compare_pictures(before, _picture(tmp_path / "d.png", [], (60, 41)))[0]
    assert "60 x 41 now" in other.why and not other.is_same
    (tmp_path / "e.png").write_bytes(b"\x89PNG\r\n broken")
    with pytest.raises(NoPicture, match=r"e\.png is no picture"):
        compare_pictures(before, tmp_path / "e.png")


def test_checks_by_log_and_by_command() -> None:
    log = ["start", "boat 3 moors", "end"]
    assert check_log(Check("a", prints=r"boat \d moors"), log).is_good
    assert check_log(Check("a", prints="gull"), log).verdict == "missing"
    assert check_log(Check("a", never="moors"), log).verdict == "failed"
    command = Check("c", run=("x",), prints="fine")
    assert judge_command(command, 0, "all is fine\n", False).is_good
    assert judge_command(command, 0, "hm\n", False).verdict == "failed"
    assert "status 4" in judge_command(command, 4, "", False).detail
    for bad in ({}, {"prints": "a", "by_hand": "b"}, {"produced": "a"}):
        with pytest.raises(ValueError, match=r"must be given|go together"):
            Check("x", **bad)


def test_results_as_junit_are_read_by_an_xml_reader() -> None:
    results = {
        "2.6": [CheckResult("starts", "passed", "ok", "2.6", 1.7e9, 0.5)],
        "3.0": [
            CheckResult("starts", "differs", "<a> & \x00 b", "3.0", 1.7e9, 0.25),
            CheckResult("old save", "not tried"),
        ],
    }
    root = etree.fromstring(to_junit("nine", results).encode())
    suites = {suite.get("name"): suite for suite in root}
    assert suites["3.0"].get("failures") == "1" and suites["3.0"].get("skipped") == "1"
    failure = suites["3.0"].find("testcase/failure")
    assert failure is not None and failure.text == "<a> & � b"
    assert suites["2.6"].find("testcase").get("time") == "0.500"  # type: ignore[union-attr]
