"""The table of several projects: rewritten in place on a terminal, a line for each beginning and end elsewhere."""

from __future__ import annotations

import io
import re
from pathlib import Path

import pytest

from fernshale.cli.live_table import LiveTable
from fernshale.cli.output import PlainStream


class _Terminal(io.StringIO):
    def isatty(self) -> bool:
        return True


def _screen(text: str) -> list[str]:
    """What a terminal shows after `text`, which moves up and clears only."""
    lines: list[str] = []
    for part in re.split(r"(\x1b\[\d+A\x1b\[J)", text):
        if moved := re.fullmatch(r"\x1b\[(\d+)A\x1b\[J", part):
            del lines[len(lines) - int(moved.group(1)) :]
        else:
            lines += part.splitlines()
    return lines


def test_elsewhere_each_beginning_and_end_is_a_line() -> None:
    out = io.StringIO()
    with LiveTable([Path("/a/one"), Path("/a/two")], out) as table:
        table.update(1, "begun", "")
        table.update(1, "working", "Build: 3 errors")
        table.update(1, "ended", "through")
    begun, ended = out.getvalue().splitlines()
    assert begun == "two: begun" and re.fullmatch(r"two: through \([\d.]+ \w+\)", ended)


@pytest.mark.parametrize("lines", [30, 6])
def test_a_terminal_shows_each_project_once_and_nothing_at_the_end(monkeypatch: pytest.MonkeyPatch, lines: int) -> None:
    monkeypatch.setenv("LINES", str(lines))
    monkeypatch.setenv("COLUMNS", "60")
    out = _Terminal()
    projects = [Path(f"/a/game{number}") for number in range(9)]
    with LiveTable(projects, PlainStream(out)) as table:  # type: ignore[arg-type]
        for number in range(5):
            table.update(number, "begun", "")
        table.update(0, "ended", "through")
        table.update(1, "ended", "at Build, 3 errors " + "x" * 200 + "\x1b[2J")
        shown = _screen(out.getvalue())
        assert shown[0] == "2 of 9 projects done" and all(len(line) < 60 for line in shown) and len(shown) < lines
        named = [line.split()[0] for line in shown[1:]]
        assert named == ([f"game{number}" for number in range(9)] if lines == 30 else ["game2", "game3", "game4"])
        assert lines == 6 or ("through" in shown[1] and "waits" in shown[9])
    assert _screen(out.getvalue()) == [] and "\x1b[2J" not in out.getvalue()
