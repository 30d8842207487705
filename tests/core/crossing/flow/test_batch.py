"""Several projects in one go: the same results however many at a time, and none that stops the others."""

from __future__ import annotations

import shutil
import threading
import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import pytest

from fernshale.core.base.errors import Cancelled, FernshaleError
from fernshale.core.base.json_values import from_json, to_json
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.batch.crossing_job import CrossingJob, run_in_process
from fernshale.core.crossing.flow.batch.in_parallel import ProjectTask, State, run_all
from fernshale.core.crossing.flow.batch.progress import ProjectProgress
from fernshale.core.crossing.record.database import Crossing, find_crossing
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.reporting.playbook import FORMAT
from fernshale.core.process.command import run_command
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree, listing
from tests.wick import Wick, make_wick


def _job(wick: Wick, project: Path) -> CrossingJob:
    return CrossingJob(project, wick.profile, (str(wick.shelf),), "2.0")


def _task(job: CrossingJob) -> ProjectTask[ProjectProgress]:
    return ProjectTask(
        job.project,
        lambda work: run_in_process(job, work, {}),
        lambda why: ProjectProgress(job.project, trouble=why),
        lambda row: row.words,
    )


def _copies(wick: Wick, names: Sequence[str]) -> list[Path]:
    trust(read_profile(wick.profile))
    copies = [wick.project.parent / name for name in names]
    for copy in copies:
        shutil.copytree(wick.project, copy)
    return copies


def test_several_projects_continue_without_the_one_that_cannot(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    first, second, third = projects = _copies(wick, ["first", "second", "third"])
    (second / "candle.ini").write_text("no release here\n")
    (third / "game.py").write_text("import wick\nwick.gone_for_good()\n")
    with open(wick.shelf / "wick/1.4/wick.py", "a") as file:
        file.write("def gone_for_good(): pass\n")
    playbook = tmp_path / "all.playbook.toml"
    decisions = "".join(
        f'[[decision]]\nkey = "{key}"\ntake = "x"\nwhy = ""\n'
        for key in ("links:lamp", "trial:log:1", "engine:trouble:no")
    )
    playbook.write_text(f'format = "{FORMAT}"\n{decisions}')
    said: list[tuple[int, State, str]] = []
    tasks = [_task(replace(_job(wick, project), playbook=playbook)) for project in projects]
    rows = run_all(tasks, 2, lambda *news: said.append(news), Work())
    assert [row.project for row in rows] == projects
    assert rows[0].done and len(rows[0].followed.unfit) == 3  # it is through, and none of them came up
    assert rows[1].trouble and not rows[1].release
    assert rows[2].stage is Stage.BUILD and rows[2].errors == 1 and "1 error," in rows[2].words
    assert rows[2].followed.lines[0].startswith("did not fit: decision engine:trouble:no")
    assert rows[2].followed.lines[1:] == ["not reached yet: 2 decisions and rules of the playbook"]
    assert (0, "ended", "through") in said and any(line.startswith("Build: ") for *_, line in said)
    # Again, after the trouble is mended: what was done stays, and the rest follows.
    (second / "candle.ini").write_text((first / "candle.ini").read_text().replace("2.0", "1.4"))
    steps = len(_crossing(first).logbook())
    again = run_all([_task(_job(wick, project)) for project in (first, second)], 2, lambda *news: None, Work())
    assert [row.done for row in again] == [True, True]
    assert len(_crossing(first).logbook()) == steps and listing(first) == listing(second)


def _crossing(project: Path) -> Crossing:
    crossing = find_crossing(project)
    assert crossing is not None
    return crossing


def test_stopped_in_the_middle_it_continues_with_the_same_result(tree: Tree) -> None:
    wick = make_wick(tree)
    stopped, whole = projects = _copies(wick, ["stopped", "whole"])
    token = CancelToken()

    def stop(number: int, state: State, line: str) -> None:
        if line.startswith("Plugins: "):
            token.cancel()

    with pytest.raises(Cancelled):
        run_all([_task(_job(wick, stopped))], 1, stop, Work(token=token))
    assert _crossing(stopped).logbook()
    rows = run_all([_task(_job(wick, project)) for project in projects], 2, lambda *news: None, Work())
    assert [row.done for row in rows] == [True, True] and listing(stopped) == listing(whole)


def test_a_process_that_is_killed_is_the_trouble_of_its_project_only(tmp_path: Path) -> None:
    def kill_itself(work: Work) -> str:
        finished = run_command(["sh", "-c", "kill -9 $$"], tmp_path, work, {}, 60)
        raise FernshaleError(f"status {finished.status}")

    def break_down(work: Work) -> str:
        raise ZeroDivisionError("by nothing")

    def wait(work: Work) -> str:
        time.sleep(0.2)
        return "through"

    runs = [kill_itself, break_down, wait]
    tasks = [ProjectTask(tmp_path, run, lambda why: f"trouble: {why}", str) for run in runs]
    found = run_all(tasks, 3, lambda *news: None, Work())
    assert found[0] == "trouble: status -9" and "ZeroDivisionError" in found[1] and found[2] == "through"


def test_a_job_whose_process_ends_without_a_result_says_how(tree: Tree) -> None:
    wick = make_wick(tree)
    with pytest.raises(FernshaleError, match="ended with status 1: "):
        run_in_process(_job(wick, wick.project), Work(), {"PYTHONHASHSEED": "no number"})


@pytest.mark.parametrize("workers", [1, 2, 4])
def test_no_more_than_the_workers_run_at_once_and_the_order_stays(tmp_path: Path, workers: int) -> None:
    running, most, lock = 0, 0, threading.Lock()

    def run(work: Work) -> int:
        nonlocal running, most
        with lock:
            running += 1
            most = max(most, running)
        time.sleep(0.02)
        with lock:
            running -= 1
        return 1

    def task(number: int) -> ProjectTask[int]:
        return ProjectTask(tmp_path, lambda work: number * run(work), lambda why: -1, str)

    assert run_all([task(number) for number in range(9)], workers, lambda *news: None, Work()) == tuple(range(9))
    assert most == workers


def test_a_job_survives_its_file_whatever_its_paths() -> None:
    job = CrossingJob(
        Path("/a/\udcff b"), Path("/p"), ("http://x/", "/s"), "2.0", ("1.5",), apply_from=0.5, git="commit"
    )
    assert from_json(CrossingJob, to_json(job)) == job
    row = ProjectProgress(Path("/a"), "2.0", Stage.BUILD, 1, 2, 3)
    assert from_json(ProjectProgress, to_json(row)) == row
    for damage in (b"", b"{", b"[]", b"\xff", b'{"project": 3}', b"[" * 100_000):
        with pytest.raises(ValueError):
            from_json(CrossingJob, damage)
