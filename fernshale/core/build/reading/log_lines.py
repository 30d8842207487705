"""The distinct lines of a long log, without creating each line: logs repeat most of their lines.

The log is cut where a tool marks an error, and the pieces are hashed as a whole: equal pieces contain equal lines. A piece
starts in the line of its cut and ends in the line of the next one.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Numbers = NDArray[np.int64]

_CUT = b": error: "


@dataclass(frozen=True, slots=True)
class Hits:
    """Lines that were looked for, in order: the number of each in the log, and which of `texts` it is."""

    numbers: Numbers
    which: Numbers
    texts: Sequence[bytes]


class LogLines:
    """A log by its lines, numbered from 0."""

    def __init__(self, data: bytes) -> None:
        import numpy as np

        pieces = data.split(_CUT)
        different = dict.fromkeys(pieces)
        if not all(b"\n" in piece for piece in different):
            pieces = list(_joined(pieces))
            different = dict.fromkeys(pieces)
        numbers = {piece: number for number, piece in enumerate(different)}
        self._pieces = [piece.split(b"\n") for piece in different]
        # The number of each piece among the different ones.
        self._which = np.fromiter(map(numbers.__getitem__, pieces), np.int64, len(pieces))
        # The line in which each piece begins, and behind them that of the log's end.
        heights = np.fromiter((len(lines) - 1 for lines in self._pieces), np.int64, len(self._pieces))
        self._begins = np.concatenate([[0], np.cumsum(heights[self._which])])
        # Which two pieces meet in the line of each cut.
        meetings, self._cuts = np.unique(self._which[:-1] * len(numbers) + self._which[1:], return_inverse=True)
        pairs = (divmod(meeting, len(numbers)) for meeting in meetings.tolist())
        self._cut_lines = [self._pieces[before][-1] + _CUT + self._pieces[after][0] for before, after in pairs]
        # Converted once, for single lookups.
        self._starts: list[int] = self._begins.tolist()
        self._numbers: list[int] = self._which.tolist()

    def __len__(self) -> int:
        return self._starts[-1] + 1

    def different(self) -> set[bytes]:
        """Yield each distinct line once."""
        inner = {line for lines in self._pieces for line in lines[1:-1]}
        ends = {self.line(0), self.line(len(self) - 1)}
        return inner.union(self._cut_lines, ends)

    def find(self, wanted: Sequence[bytes]) -> Hits:
        """Return the positions of the lines `wanted`, each listed once."""
        import numpy as np

        number_of = {line: number for number, line in enumerate(wanted)}
        of_cut = np.fromiter((number_of.get(line, -1) for line in self._cut_lines), np.int64, len(self._cut_lines))
        # The first line has no cut; neither does the last one if its piece continues.
        ends = [0, len(self) - 1] if self._starts[-1] > self._starts[-2] else [0]
        inner, of_inner = self._find_inner(number_of)
        numbers = np.concatenate([self._begins[1:-1], ends, inner])
        which = np.concatenate([of_cut[self._cuts], [number_of.get(self.line(end), -1) for end in ends], of_inner])
        order = np.argsort(numbers, kind="stable")
        order = order[which[order] >= 0]
        return Hits(numbers[order], which[order], wanted)

    def _find_inner(self, number_of: Mapping[bytes, int]) -> tuple[Numbers, Numbers]:
        """Return the numbers of wanted lines inside pieces, and which lines they are; unsorted."""
        import numpy as np

        offsets: list[int] = []
        known: list[int] = []
        sizes: list[int] = []
        for lines in self._pieces:
            before = len(offsets)
            for at, line in enumerate(lines[1:-1], 1):
                if line in number_of:
                    offsets.append(at)
                    known.append(number_of[line])
            sizes.append(len(offsets) - before)
        # Each piece has a row of the above; now one for each occurrence.
        size = np.array(sizes, np.int64)
        times = size[self._which]
        piece = np.repeat(np.arange(len(times)), times)
        within = np.arange(len(piece)) - np.repeat(np.cumsum(times) - times, times)
        row = (np.cumsum(size) - size)[self._which[piece]] + within
        return self._begins[piece] + np.array(offsets, np.int64)[row], np.array(known, np.int64)[row]

    def line(self, number: int) -> bytes:
        at = bisect_right(self._starts, number, 0, len(self._numbers)) - 1
        start = self._starts[at]
        if number == start and at:
            return self._pieces[self._numbers[at - 1]][-1] + _CUT + self._pieces[self._numbers[at]][0]
        return self._pieces[self._numbers[at]][number - start]

    def between(self, start: int, end: int) -> list[bytes]:
        """The lines from `start` on and before `end`."""
        at = bisect_right(self._starts, start, 0, len(self._numbers)) - 1
        begin = self._starts[at]
        if begin < start and end <= self._starts[at + 1]:
            return self._pieces[self._numbers[at]][start - begin : end - begin]
        return [self.line(number) for number in range(start, end)]


def _joined(pieces: Sequence[bytes]) -> Iterator[bytes]:
    """Join pieces that are in one line with the next, so that each contains a line end."""
    waiting = b""
    for number, piece in enumerate(pieces):
        whole = waiting + piece
        if b"\n" in piece or number + 1 == len(pieces):
            yield whole
            waiting = b""
        else:
            waiting = whole + _CUT
