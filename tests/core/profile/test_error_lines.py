"""A pattern made from one error line reads that line and others like it."""

from __future__ import annotations

import pytest

from fernshale.core.build.reading.log_reader import read_log
from fernshale.core.profile.authoring.error_lines import pattern_of_line
from fernshale.core.profile.model import DiagnosticPattern

_FILES = ("src/quay.knt", "src/lamp/glow.knt", "data/bell.tbl")


@pytest.mark.parametrize(
    ("line", "like", "expected"),
    [
        (
            "!! src/quay.knt @ 14 => no such bell",
            "!! src/lamp/glow.knt @ 3 => two lamps",
            ("src/lamp/glow.knt", 3, "two lamps"),
        ),
        (
            "knot[12] quay.knt line 7, col 3: bad rope",
            "knot[9] glow.knt line 21, col 3: worn",
            ("glow.knt", 21, "col 3: worn"),
        ),
        (
            "E0042 <src/quay.knt#9.4> unknown tide",
            "E0007 <data/bell.tbl#120.1> cracked",
            ("data/bell.tbl", 120, "cracked"),
        ),
        ("FAIL data/bell.tbl: row has no name", "FAIL src/quay.knt: is empty", ("src/quay.knt", 0, "is empty")),
        (
            "lamp has no oil in src/quay.knt, row 5",
            "bell is cracked in data/bell.tbl, row 77",
            ("data/bell.tbl", 77, "bell is cracked"),
        ),
    ],
)
def test_lines_like_the_one_pointed_at_are_understood(line: str, like: str, expected: tuple[str, int, str]) -> None:
    pattern = pattern_of_line(line, _FILES)
    assert pattern is not None
    output = f"knot works\n{line}\nknot rests\n{like}\n".encode()
    found = read_log(output, [DiagnosticPattern(pattern)])
    assert len(found) == 2
    last = found[-1]
    assert (last.place.file, last.place.line, last.message) == expected


def test_a_line_without_a_file_of_the_project_gives_none() -> None:
    assert pattern_of_line("something went wrong in other.c 3", _FILES) is None
    assert pattern_of_line("", _FILES) is None
