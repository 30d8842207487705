"""The messages of a log: lines that are equal except for numbers, times, addresses and ids.

Logs can be large, so the work is done once for each shape of line: with all digits the same and no addresses, few different lines
are left, and only these are compared by the patterns.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import regex

from fernshale.core.base.bounded_regex import Budget
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.profile.model import LogShape

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Integers = NDArray[np.int64]

MASK = "‹#›"
_DIGITS = bytes.maketrans(b"123456789", b"000000000")
_NUMBER = lazy_pattern(rb"0+")
_HEX = lazy_pattern(rb"\b(?=[a-f]*0[0-9a-f]*[a-f]|[a-f]+0)[0-9a-f]{6,}\b")
_VOLATILE = regex.compile(
    r"""(?ix)
    \b[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}\b        # ids of 128 bits
    | \b0x[0-9a-f]+\b | \b(?=[a-f]*\d)[0-9a-f]{8,}\b                          # addresses
    | \b\d{4}-\d\d-\d\d(?:[T ]\d\d:\d\d(?::\d\d)?(?:[.,]\d+)?)?(?:Z|[+-]\d\d:?\d\d)?  # dates
    | \b\d{1,2}:\d\d(?::\d\d)?(?:[.,]\d+)?\b                                  # times
    | (?<![\w/.])(?:/(?:tmp|home|var|root|private|Users)/|[A-Z]:\\)[^\s"'<>|:;,)]*   # places on this machine
    | (?<![A-Za-z_])[+-]?\d+(?:[.,]\d+)*(?:e[+-]?\d+)?                         # numbers
    """
)
_ERROR = regex.compile(r"(?i)\b(?:error|fatal|exception|critical|panic|assert(?:ion)? failed)\b")
_WARNING = regex.compile(r"(?i)\bwarn(?:ing)?\b")


@dataclass(frozen=True, slots=True)
class Message:
    """A message of a log: its `template`, its frequency, its first line (0-based), and the text of that line.

    `severity` is "error", "warning" or "".
    """

    template: str
    count: int
    first: int
    sample: str
    severity: str


@dataclass(frozen=True, slots=True)
class Messages:
    """A log as messages: `of` by template, in the order of their first line; `order` has the number of each line's message."""

    of: dict[str, Message]
    order: list[int]

    @property
    def templates(self) -> list[str]:
        return list(self.of)


def read_messages(log: bytes | Sequence[str], shape: LogShape) -> Messages:
    """Return the messages of a log, given as text or as lines. Raises RunsAway for a pattern of the profile."""
    import numpy as np

    data = log if isinstance(log, bytes) else "\n".join(log).encode("utf-8", "surrogateescape")
    data = data.replace(b"\r\n", b"\n") if b"\r\n" in data else data
    budget = Budget()
    ends = np.flatnonzero(np.frombuffer(data, np.uint8) == ord("\n"))
    if data and not data.endswith(b"\n"):
        ends = np.append(ends, len(data))
    shapes, order = _numbered(_lines_without_digits(data)[: len(ends)])
    # The numbers are in the order of the first lines; of all that are written to one place, the last one counts.
    first = np.zeros(len(shapes), np.int64)
    first[order[::-1]] = np.arange(len(order))[::-1]
    # Shapes that become equal, for instance after masking addresses, are one message.
    by_template: dict[str, int] = {}
    by_key: dict[bytes, int] = {}
    samples: list[tuple[int, str]] = []
    final = []
    for key, line in zip(_without_numbers(shapes), first.tolist(), strict=True):
        known = by_key.get(key)
        if known is None:
            start = int(ends[line - 1]) + 1 if line else 0
            text = data[start : int(ends[line])].decode("utf-8", "replace")
            known = by_key[key] = by_template.setdefault(template_of(text, shape, budget), len(by_template))
            if known == len(samples):
                samples.append((line, text))
        final.append(known)
    messages = np.array(final, np.int64)[order]
    counts = np.bincount(messages, minlength=len(samples)).tolist()
    of = {
        template: Message(template, counts[number], *samples[number], severity_of(samples[number][1], shape, budget))
        for template, number in by_template.items()
    }
    return Messages(of, messages.tolist())


def _lines_without_digits(data: bytes) -> list[bytes]:
    """The lines with every digit as 0, and every digit of addresses, of which nearly all have the usual prefix."""
    import numpy as np

    data = data.translate(_DIGITS)
    if b"0x" not in data:
        return data.split(b"\n")
    letters = np.frombuffer(data, np.uint8).copy()
    at = np.flatnonzero((letters[:-1] == ord("0")) & (letters[1:] == ord("x"))) + 2
    is_hex = np.isin(np.arange(256), list(b"0abcdef"))
    # All addresses at once, from digit to digit.
    while len(at := at[at < len(letters)]):
        at = at[is_hex[letters[at]]]
        letters[at] = ord("0")
        at = at + 1
    return letters.tobytes().split(b"\n")


def _numbered(lines: list[bytes]) -> tuple[list[bytes], Integers]:
    """The different lines, in the order of their first occurrence, and the number of each line among them."""
    import numpy as np

    numbers = dict(zip(different := dict.fromkeys(lines), range(len(different)), strict=True))
    return list(different), np.fromiter(map(numbers.__getitem__, lines), np.int64, len(lines))


def _without_numbers(shapes: list[bytes]) -> list[bytes]:
    """The shapes with every number as one digit, whatever its length, and without hexadecimal ids."""
    if not shapes:
        return []
    some, order = _numbered(_NUMBER.sub(b"0", b"\n".join(shapes)).split(b"\n"))
    masked = _HEX.sub(b"0", b"\n".join(some)).split(b"\n")
    return [masked[number] for number in order.tolist()]


def template_of(line: str, shape: LogShape, budget: Budget) -> str:
    """Return a line with everything masked that changes from run to run. Raises RunsAway."""
    for pattern in shape.volatile:
        line = budget.remove(_compiled(pattern), line)
    return " ".join(_VOLATILE.sub(MASK, line).split())


@lru_cache(maxsize=256)
def _compiled(pattern: str) -> regex.Pattern[str]:
    return regex.compile(pattern, flags=regex.MULTILINE)


def severity_of(line: str, shape: LogShape, budget: Budget) -> str:
    """ "error", "warning" or "": the first rule that fits; without rules by the usual words. Raises RunsAway."""
    for rule in shape.severity:
        if budget.search(_compiled(rule.pattern), line):
            return rule.severity
    if shape.severity:
        return ""
    return "error" if _ERROR.search(line) else "warning" if _WARNING.search(line) else ""


def literal_parts(template: str) -> list[str]:
    """Return the literal parts of a template, as they occur in the code that prints it, longest first."""
    parts = [part.strip(" :,.;()[]\"'") for part in template.split(MASK)]
    return sorted((part for part in parts if len(part) >= 4), key=len, reverse=True)
