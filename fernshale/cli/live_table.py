"""A table of several projects while they are worked on: live on a terminal, one line for each beginning and end elsewhere."""

from __future__ import annotations

import shutil
import sys
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import TextIO

from fernshale.api.crossings import State
from fernshale.cli.output import terminal_of
from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import count
from fernshale.core.base.treepath import printable

# How often the table is written again, seconds.
_EVERY_S = 0.2
_MAX_NAME = 28


@dataclass
class _Row:
    state: State | None = None
    line: str = ""
    begun: float = 0.0
    ended: float = 0.0

    @property
    def is_in_work(self) -> bool:
        return self.state in ("begun", "working")


class LiveTable:
    """Shows what each project is at on the standard error output; use it in a `with` statement, and `update` it with news."""

    def __init__(self, projects: Sequence[Path], stream: TextIO | None = None) -> None:
        self._names = [printable(project.resolve().name) for project in projects]
        self._rows = [_Row() for _ in projects]
        self._stream = terminal_of(stream if stream is not None else sys.stderr)
        self._is_live = self._stream.isatty()
        self._written = 0
        self._last = 0.0

    def update(self, number: int, state: State, line: str) -> None:
        """Take news of a project."""
        row = self._rows[number]
        if row.state != state:
            row.begun = row.begun or time.monotonic()
            row.ended = time.monotonic() if state == "ended" else 0.0
        changed = state in ("begun", "ended")
        row.state, row.line = state, printable(line)
        if self._is_live:
            if changed or time.monotonic() - self._last > _EVERY_S:
                self._write()
        elif changed:
            said = f"{row.line} ({seconds(row.ended - row.begun)})" if state == "ended" else state
            self._stream.write(f"{self._names[number]}: {said}\n")

    def __enter__(self) -> LiveTable:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._is_live:
            self._clear()
            self._stream.flush()

    def _write(self) -> None:
        self._last = now = time.monotonic()
        size = shutil.get_terminal_size()
        ended = sum(row.state == "ended" for row in self._rows)
        lines = [f"{ended} of {count(len(self._rows), 'project')} done"]
        room = max(1, size.lines - 3)
        # Where not all of them fit, those in work are shown.
        shown = [number for number, row in enumerate(self._rows) if len(self._rows) <= room or row.is_in_work]
        for number in shown[:room]:
            row, name = self._rows[number], self._names[number][:_MAX_NAME]
            spent = seconds(max(1.0, (row.ended or now) - row.begun)) if row.begun else "waits"
            lines.append(f"  {name:{_MAX_NAME}} {spent:>8}  {row.line}")
        self._clear()
        self._stream.write("".join(f"{line[: size.columns - 1]}\n" for line in lines))
        self._stream.flush()
        self._written = len(lines)

    def _clear(self) -> None:
        """Clear the lines of the last update: move the cursor up, and clear to the end of the screen."""
        if self._written:
            self._stream.write(f"\x1b[{self._written}A\x1b[J")
            self._written = 0
