from __future__ import annotations

from pathlib import Path

import pytest

from fernshale.core.profile.model import LogShape, SeverityRule
from fernshale.core.trial.checks import check_file
from fernshale.core.trial.log_diff import compare_logs

_SHAPE = LogShape(
    (r"^\[\d\d:\d\d\] ", r"\d+ ms"), (SeverityRule("warning", "warning "), SeverityRule("error", "error "))
)


def test_times_do_not_count_and_what_went_comes_before_what_came() -> None:
    before = ["[01:00] start", "[01:01] info old", "[01:02] took 5 ms", "[01:03] warning lamp"]
    now = ["[02:00] start", "[02:01] info new", "[02:02] took 9 ms", "[02:03] error lamp", "[02:04] end"]
    found = [(line.sign, line.severity, line.text[8:]) for line in compare_logs(before, now, _SHAPE).lines]
    assert found == [
        ("same", "", "start"),
        ("gone", "", "info old"),
        ("new", "", "info new"),
        ("same", "", "took 9 ms"),
        ("gone", "warning", "warning lamp"),
        ("new", "error", "error lamp"),
        ("new", "", "end"),
    ]


@pytest.mark.parametrize(
    ("expected", "produced", "verdict", "detail"),
    [
        (b"a\n", b"a\n", "passed", "as expected"),
        (b"a\nb\n", b"a\nc\n", "differs", "-b\n+c\n"),
        (None, b"a", "missing", "nothing says how it should be"),
        (b"a", None, "missing", "the run did not produce it"),
        (b"\0", b"\0\0", "differs", "2 bytes instead of 1"),
    ],
)
def test_check_compares_what_came_out(
    tmp_path: Path, expected: bytes | None, produced: bytes | None, verdict: str, detail: str
) -> None:
    for name, data in (("expected", expected), ("produced", produced)):
        if data is not None:
            (tmp_path / name).write_bytes(data)
    result = check_file("report", tmp_path / "produced", tmp_path / "expected")
    assert result.verdict == verdict and detail in result.detail
