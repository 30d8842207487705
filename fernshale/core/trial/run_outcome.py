"""How a run ended: normally, by exit code, signal, silence or timeout; and the stack trace of a crash in its output."""

from __future__ import annotations

import re
import signal
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr

OutcomeKind = Literal["well", "code", "signal", "silence", "time"]
# Frames of a stack as sanitizers, debuggers, glibc, interpreters and virtual machines write them.
_FRAME = lazy_pattern(
    r"""^\s*(?:\#\d+\s+\S
    | \[bt\]
    | \S+\([^()]*\+0x[0-9a-f]+\)\s*\[0x[0-9a-f]+\]
    | at\s+\S+.*[(:]
    | File\s".+",\sline\s\d+
    | \d+:\s+0x[0-9a-f]+)""",
    re.VERBOSE,
)
_HEAD = lazy_pattern(
    r"(?i)traceback \(most recent call last\)|^==\d+==\s*ERROR|backtrace:|stack trace|thread '.*' panicked|"
    r"terminate called|exception in thread|segmentation fault|assertion .* failed"
)
_MAX_FRAMES = 40
_LAST = 8


@dataclass(frozen=True, slots=True)
class Ending:
    """How a run ended, in words; `stack` are the lines of a stack trace in its output, `last` is its last line."""

    kind: OutcomeKind
    words: str
    stack: tuple[str, ...]
    last: tuple[str, ...]


def read_ending(status: int, timed_out: bool, silent_s: float, limit_s: float, lines: Sequence[str]) -> Ending:
    """Describe how a run ended. `status` is negative for a signal; shells report 128 plus the signal. `silent_s` is the silence
    that

    ended it, 0 if that was not the reason.
    """
    last = tuple(line for line in lines if line.strip())[-_LAST:]
    if timed_out and silent_s > 0:
        return Ending(
            "silence", tr("hangs: it said nothing for {silent_s:.0f} s and was ended", silent_s=silent_s), (), last
        )
    if timed_out:
        return Ending("time", tr("took longer than {limit_s:.0f} s and was ended", limit_s=limit_s), (), last)
    if status == 0:
        return Ending("well", tr("ends well"), (), last)
    number = -status if status < 0 else status - 128 if 128 < status < 128 + signal.NSIG else 0
    stack = find_stack(lines)
    if number:
        return Ending("signal", tr("crashed: {signal_words}", signal_words=_signal_words(number)), stack, last)
    return Ending("code", tr("ended with status {status}", status=status), stack, last)


def find_stack(lines: Sequence[str]) -> tuple[str, ...]:
    """Return the last stack trace in an output and the line where it starts; empty if there is none."""
    end = next((at for at in range(len(lines) - 1, -1, -1) if _FRAME.match(lines[at])), -1)
    if end < 0:
        return ()
    start = end
    while (
        start > 0
        and end - start < _MAX_FRAMES
        and (_FRAME.match(lines[start - 1]) or lines[start - 1].startswith("    "))
    ):
        start -= 1
    for at in range(start, max(-1, start - 4), -1):
        if at >= 0 and _HEAD.search(lines[at]):
            start = at
            break
    if lines[start].lower().startswith("traceback"):
        # The latest call comes last, followed by its code and the error.
        end += 1
        while end < len(lines) and lines[end].startswith("    "):
            end += 1
    return tuple(lines[start : end + 1])


def _signal_words(number: int) -> str:
    try:
        name = signal.Signals(number).name
    except ValueError:
        return tr("signal {number}", number=number)
    told = {
        "SIGSEGV": tr("it touched memory that is not its own"),
        "SIGABRT": tr("it gave up by itself (abort)"),
        "SIGFPE": tr("it divided by zero or the like"),
        "SIGILL": tr("it met an instruction this machine does not know"),
        "SIGKILL": tr("it was ended from outside, as the system does when memory runs out"),
        "SIGBUS": tr("it touched memory that is not there"),
        "SIGTERM": tr("it was asked to end from outside"),
    }
    return f"{name}, {told[name]}" if name in told else name
