"""How commands speak: text or JSON on standard output, progress on standard error, and their exit codes."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable
from typing import Any

from fernshale.core.base.treepath import printable
from fernshale.core.crossing.matter import Matter

LEFT_TO_DECIDE = 3


def to_stderr(line: str) -> None:
    """Live output of a command."""
    print(line, file=sys.stderr)


def print_json(data: Any) -> None:
    print(json.dumps(data, indent=2))


def print_lines(lines: Iterable[str]) -> None:
    for line in lines:
        print(printable(line))


def matter_lines(matters: Iterable[Matter]) -> list[str]:
    """Open matters for people."""
    lines = []
    for matter in matters:
        place = f"  ({matter.place})" if matter.place else ""
        lines.append(f"  {'◆' if matter.needs_you else '·'} {matter.stage.value}: {matter.title}{place}")
        lines += [f"      {way.id or '-'}: {way.title}" for way in matter.proposals]
    return lines
