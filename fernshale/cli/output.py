"""Output of commands: text or JSON on standard output, progress on standard error, and their exit codes."""

from __future__ import annotations

import contextlib
import json
import sys
from collections.abc import Iterable
from typing import Any, TextIO

from fernshale.core.base.treepath import printable
from fernshale.core.crossing.record.items import Item

LEFT_TO_DECIDE = 3


class PlainStream:
    """A stream that prints text from outside without control characters: see `printable`."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream
        with contextlib.suppress(AttributeError, ValueError):
            stream.reconfigure(errors="replace")  # type: ignore[attr-defined]  # a terminal may know fewer letters

    def write(self, text: str) -> int:
        return self._stream.write(printable(text))

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)


def terminal_of(stream: TextIO) -> TextIO:
    """The stream that a `PlainStream` prints to: the caller has to make text from outside printable."""
    found: TextIO = getattr(stream, "_stream", stream)
    return found


def print_data(text: str) -> None:
    """Text that a program may read, as a diff: byte for byte into a file or pipe, made printable on a terminal."""
    stream = terminal_of(sys.stdout)
    if stream.isatty():
        print(text, end="")
        return
    sys.stdout.flush()
    stream.buffer.write(text.encode("utf-8", "surrogateescape"))
    stream.buffer.flush()


def to_stderr(line: str) -> None:
    """Live output of a command."""
    print(line, file=sys.stderr)


def print_json(data: Any) -> None:
    print(json.dumps(data, indent=2))


def print_lines(lines: Iterable[str]) -> None:
    for line in lines:
        print(printable(line))


def item_lines(items: Iterable[Item]) -> list[str]:
    """Open items for people."""
    lines = []
    for item in items:
        place = f"  ({item.place})" if item.place else ""
        lines.append(f"  {'◆' if item.needs_you else '·'} {item.stage.value}: {item.title}{place}")
        lines += [f"      {option.id or '-'}: {option.title}" for option in item.options]
    return lines
