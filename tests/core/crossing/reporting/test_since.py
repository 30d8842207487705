"""What changed between two reports: nothing between equal ones, and every difference once."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import carry_out
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.reporting.since import difference_lines, read_report, report_difference
from fernshale.core.crossing.stages.build.actions import RunBuild
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.wick import begin_wick


def _report(crossing: Crossing, folder: Path) -> Path:
    path = folder / "report.json"
    path.write_text(json.dumps(report_data(inspect(crossing, Work()), crossing)))
    return path


def test_equal_reports_differ_in_nothing(tree: Tree, tmp_path: Path) -> None:
    _, crossing = begin_wick(tree)
    report = read_report(_report(crossing, tmp_path))
    found = report_difference(report, report)
    assert not found["new"] and not found["resolved"] and not found["stages"] and not found["plugins"]
    assert difference_lines(found) == ["nothing changed"]


def test_every_difference_is_told_and_the_reverse_is_its_mirror(tree: Tree, tmp_path: Path) -> None:
    _, crossing = begin_wick(tree)
    before = read_report(_report(crossing, tmp_path))
    act(crossing, "plugin:snuffer", "take")
    act(crossing, "engine:sites", "apply")
    carry_out(crossing, RunBuild(), Author("test"), Work())
    now = read_report(_report(crossing, tmp_path))
    found, back = report_difference(before, now), report_difference(now, before)
    keys = {name: {item["key"] for item in report["left"]} for name, report in (("before", before), ("now", now))}
    assert {item["key"] for item in found["new"]} == keys["now"] - keys["before"]
    assert {item["key"] for item in found["resolved"]} == keys["before"] - keys["now"] != set()
    assert found["errors"] == {"before": None, "now": 3} and found["plugins"]["snuffer"]["now"].startswith("taken")
    assert [back["new"], back["resolved"]] == [found["resolved"], found["new"]]
    lines = difference_lines(found)
    assert "3 errors, before not built" in lines and any(line.startswith("resolved: ") for line in lines)
    assert len(lines) == 1 + len(found["plugins"]) + len(found["stages"]) + len(found["new"]) + len(found["resolved"])


def test_a_report_of_another_project_or_another_file_is_refused(tree: Tree, tmp_path: Path) -> None:
    _, crossing = begin_wick(tree)
    now = read_report(_report(crossing, tmp_path))
    with pytest.raises(MisuseError, match="about another, this one about candle"):
        report_difference({**now, "project": "another"}, now)
    for name, text in (("a", "x = 1"), ("b", "{}"), ("c", '["fernshale-report/1"]'), ("d", "[" * 100_000)):
        (tmp_path / name).write_text(text)
        with pytest.raises(MisuseError):
            read_report(tmp_path / name)
