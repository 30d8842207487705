"""Two logs side by side: what is new, what is gone, and how bad it is.

Parts that change from run to run are blanked before lines are compared; the lines shown are the real ones.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from rapidfuzz.distance import LCSseq

from fernshale.core.base.patterns import remove, search
from fernshale.core.profile.model import LogShape

Sign = Literal["same", "new", "gone"]


@dataclass(frozen=True, slots=True)
class LogLine:
    """A line of the aligned logs: `sign` tells on which side it stands, `severity` is "" for an ordinary line."""

    sign: Sign
    text: str
    severity: str


def compare_logs(baseline: Sequence[str], now: Sequence[str], shape: LogShape) -> tuple[LogLine, ...]:
    """Both logs aligned; of lines on both sides the present one is shown. Raises RunsAway."""
    def blank(line: str) -> str:
        for pattern in shape.volatile:
            line = remove(pattern, line)
        return line

    return tuple(_aligned(baseline, now, [blank(line) for line in baseline], [blank(line) for line in now], shape))


def severity_of(line: str, shape: LogShape) -> str:
    """ "error", "warning" or "": the first rule that fits."""
    for rule in shape.severity:
        if search(rule.pattern, line):
            return rule.severity
    return ""


def _aligned(
    baseline: Sequence[str], now: Sequence[str], old: Sequence[str], new: Sequence[str], shape: LogShape
) -> Iterator[LogLine]:
    arrived: list[LogLine] = []
    for code in LCSseq.opcodes(old, new):
        # Of a place that changed, what went is told before what came.
        if code.tag != "equal":
            for line in baseline[code.src_start : code.src_end]:
                yield LogLine("gone", line, severity_of(line, shape))
            arrived += [LogLine("new", line, severity_of(line, shape)) for line in now[code.dest_start : code.dest_end]]
            continue
        yield from arrived
        arrived.clear()
        for line in now[code.dest_start : code.dest_end]:
            yield LogLine("same", line, severity_of(line, shape))
    yield from arrived
