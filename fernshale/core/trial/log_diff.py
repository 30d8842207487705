"""Compare two logs: messages that are new, missing, more or less frequent, or in another order.

Messages are compared, not lines: parts that change from run to run are masked, and lines of parallel activities may appear in any
order. The lines shown are the real ones.
"""

from __future__ import annotations

import bisect
import hashlib
import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.work import CancelToken
from fernshale.core.process.workers import WorkerProcess
from fernshale.core.profile.model import LogShape
from fernshale.core.trial.log_messages import Message, Messages, read_messages

Sign = Literal["same", "new", "gone", "more", "less", "moved"]
# A count that differs by less than this is the same; runs are never quite alike.
_SHARE = 0.2
_SELDOM = 3
# Logs of more lines than this are shown message by message.
_LONG = 8000
# Minimum bytes of each log for a second process to save time.
_LARGE = 16 << 20


@dataclass(frozen=True, slots=True)
class LogLine:
    """A line of the aligned logs: `sign` compares its message with the other side, `severity` is "" for an ordinary line.

    `was` and `now` are 1-based line numbers, 0 if missing on that side; `counts` is the message's frequency before and now.
    """

    sign: Sign
    text: str
    severity: str
    was: int = 0
    now: int = 0
    counts: tuple[int, int] = (0, 0)


@dataclass(frozen=True, slots=True)
class Difference:
    """A message that differs: how, its frequency before and now, and an example line."""

    sign: Sign
    template: str
    severity: str
    sample: str
    before: int
    now: int
    line: int

    @property
    def key(self) -> str:
        """The same for the same message in every run."""
        return hashlib.sha256(self.template.encode("utf-8", "surrogatepass")).hexdigest()[:12]


@dataclass(frozen=True, slots=True)
class LogComparison:
    """Both logs: the differences, worst first, and all lines aligned; `is_condensed` if each line represents all lines of its
    message."""

    differences: tuple[Difference, ...] = ()
    lines: tuple[LogLine, ...] = ()
    is_condensed: bool = False

    def count(self, sign: Sign, severity: str = "") -> int:
        """How many messages have a sign."""
        return sum(item.sign == sign and (not severity or item.severity == severity) for item in self.differences)


def compare_logs(baseline: bytes | Sequence[str], now: bytes | Sequence[str], shape: LogShape) -> LogComparison:
    """Compare two logs, given as text or as lines. Raises RunsAway."""
    old, new = _read_both(baseline, now, shape)
    signs = _signs(old, new)
    differences = [
        Difference(
            sign, template, item.severity, item.sample, _count(old, template), _count(new, template), item.first + 1
        )
        for template, sign in signs.items()
        if sign != "same"
        for item in (new.of.get(template) or old.of[template],)
    ]
    differences.sort(key=lambda item: (_RANK[item.sign], _GRAVE[item.severity], item.line))
    long = max(len(old.order), len(new.order)) > _LONG
    if long:
        lines = tuple(_condensed(old, new, signs))
    else:
        lines = tuple(_aligned(_lines(baseline), _lines(now), old, new, signs, shape))
    return LogComparison(tuple(differences), lines, long)


def _read_both(
    baseline: bytes | Sequence[str], now: bytes | Sequence[str], shape: LogShape
) -> tuple[Messages, Messages]:
    """The messages of both logs; those of a large one in a second process, at the same time."""
    is_large = isinstance(baseline, bytes) and isinstance(now, bytes) and min(len(baseline), len(now)) >= _LARGE
    if not is_large or len(os.sched_getaffinity(0)) < 2:
        return read_messages(baseline, shape), read_messages(now, shape)
    with WorkerProcess(_READ, (baseline, shape)) as second:
        new = read_messages(now, shape)
        return second.result(CancelToken()), new


def read_share(job: tuple[bytes, LogShape], _tell: Callable[[int], None]) -> Messages:
    """The messages of one log, for the second process."""
    return read_messages(*job)


_READ = f"{__name__}:read_share"
_RANK = {"new": 0, "more": 1, "gone": 2, "less": 3, "moved": 4, "same": 5}
_GRAVE = {"error": 0, "warning": 1, "": 2}


def _signs(old: Messages, new: Messages) -> dict[str, Sign]:
    """Classify each message by comparison with the other log."""
    moved = _moved(old, new)
    signs: dict[str, Sign] = {}
    for template in dict.fromkeys((*old.of, *new.of)):
        before, now = _count(old, template), _count(new, template)
        if not before:
            signs[template] = "new"
        elif not now:
            signs[template] = "gone"
        elif abs(now - before) > max(0 if min(before, now) < 5 else 1, _SHARE * before):
            signs[template] = "more" if now > before else "less"
        else:
            signs[template] = "moved" if template in moved else "same"
    return signs


def _moved(old: Messages, new: Messages) -> set[str]:
    """Return the messages of both logs whose first occurrences are in another order: those outside the longest common order.

    Longest increasing subsequence by patience sorting (Fredman 1975). Swapped neighbours run in parallel and are not reported.
    """
    both = [template for template in new.of if template in old.of and _seldom(old, new, template)]
    known = set(both)
    rank = {template: at for at, template in enumerate(template for template in old.of if template in known)}
    places = [rank[template] for template in both]
    tails: list[int] = []
    ends: list[int] = []
    before = [-1] * len(places)
    for at, place in enumerate(places):
        number = bisect.bisect_left(tails, place)
        before[at] = ends[number - 1] if number else -1
        if number == len(tails):
            tails.append(place)
            ends.append(at)
        else:
            tails[number], ends[number] = place, at
    kept = set()
    at = ends[-1] if ends else -1
    while at >= 0:
        kept.add(at)
        at = before[at]
    return {both[at] for at, place in enumerate(places) if at not in kept and abs(place - at) > 1}


def _seldom(old: Messages, new: Messages, template: str) -> bool:
    """Return whether a message is rare enough for its position to be significant."""
    return max(old.of[template].count, new.of[template].count) <= _SELDOM


def _aligned(
    baseline: Sequence[str], now: Sequence[str], old: Messages, new: Messages, signs: dict[str, Sign], shape: LogShape
) -> Iterator[LogLine]:
    """Line by line; of lines on both sides the present one is shown."""
    from rapidfuzz.distance import LCSseq

    names = [old.templates, new.templates]
    number = {template: at for at, template in enumerate(dict.fromkeys((*names[0], *names[1])))}
    left = [number[names[0][at]] for at in old.order]
    right = [number[names[1][at]] for at in new.order]
    templates = list(number)

    def line(side: int, at: int, other: int) -> LogLine:
        template = templates[left[at] if side == 0 else right[at]]
        sign = signs[template]
        counts = _count(old, template), _count(new, template)
        text = (baseline, now)[side][at]
        if other < 0 and sign == "same":
            sign = "moved"
        places = (at + 1, other + 1) if side == 0 else (other + 1, at + 1)
        severity = (old, new)[side].of[template].severity
        return LogLine(sign, text, severity, *places, counts)

    arrived: list[LogLine] = []
    for code in LCSseq.opcodes(left, right):
        # At a changed position, list missing messages before new ones.
        if code.tag != "equal":
            yield from (line(0, at, -1) for at in range(code.src_start, code.src_end))
            arrived += [line(1, at, -1) for at in range(code.dest_start, code.dest_end)]
            continue
        yield from arrived
        arrived.clear()
        shift = code.src_start - code.dest_start
        yield from (line(1, at, at + shift) for at in range(code.dest_start, code.dest_end))
    yield from arrived


def _condensed(old: Messages, new: Messages, signs: dict[str, Sign]) -> Iterator[LogLine]:
    """One line for each message: the current ones in order, and each missing one at its old position."""
    waiting = [item for item in old.of.values() if item.template not in new.of]
    behind = _followers(old, waiting)
    yield from (_one(item, old, new, signs) for item in behind.get("", ()))
    for item in new.of.values():
        yield _one(item, old, new, signs)
        yield from (_one(gone, old, new, signs) for gone in behind.get(item.template, ()))


def _followers(old: Messages, gone: Sequence[Message]) -> dict[str, list[Message]]:
    """Missing messages, by the preceding message that still exists."""
    names = {item.template for item in gone}
    found: dict[str, list[Message]] = {}
    last = ""
    for template, item in old.of.items():
        if template in names:
            found.setdefault(last, []).append(item)
        else:
            last = template
    return found


def _one(item: Message, old: Messages, new: Messages, signs: dict[str, Sign]) -> LogLine:
    was, now = old.of.get(item.template), new.of.get(item.template)
    counts = _count(old, item.template), _count(new, item.template)
    return LogLine(
        signs[item.template],
        item.sample,
        item.severity,
        was.first + 1 if was else 0,
        now.first + 1 if now else 0,
        counts,
    )


def _count(messages: Messages, template: str) -> int:
    item = messages.of.get(template)
    return item.count if item is not None else 0


def _lines(log: bytes | Sequence[str]) -> Sequence[str]:
    return log.decode("utf-8", "replace").splitlines() if isinstance(log, bytes) else log
