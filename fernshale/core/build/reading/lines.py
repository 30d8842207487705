"""The lines of a long log, without making each of them: most of what a log says, it says many times.

The log is cut where a tool says that something is an error, and the pieces between are hashed as a whole: a piece that came
before holds the same lines. A piece begins in the line that its cut lies in and ends in that of the next cut.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Collection, Iterator, Sequence
from itertools import accumulate, compress

_CUT = b": error: "


class LogLines:
    """A log by its lines, numbered from 0."""

    def __init__(self, data: bytes) -> None:
        pieces = data.split(_CUT)
        different = dict.fromkeys(pieces)
        if not all(b"\n" in piece for piece in different):
            pieces = list(_joined(pieces))
            different = dict.fromkeys(pieces)
        numbers = {piece: number for number, piece in enumerate(different)}
        # The number of each piece among the different ones, and those of each two that meet.
        self._which = list(map(numbers.__getitem__, pieces))
        self._pairs = list(zip(self._which, self._which[1:], strict=False))
        self._pieces = [piece.split(b"\n") for piece in different]
        heights = [len(lines) - 1 for lines in self._pieces]
        # The line in which each piece begins, and behind them that of the log's end.
        self._starts = [0, *accumulate(map(heights.__getitem__, self._which))]
        self._cuts = {
            (before, after): self._pieces[before][-1] + _CUT + self._pieces[after][0] for before, after in set(self._pairs)
        }

    def __len__(self) -> int:
        return self._starts[-1] + 1

    def different(self) -> set[bytes]:
        """Each line that there is, once."""
        inner = {line for lines in self._pieces for line in lines[1:-1]}
        ends = {self.line(0), self.line(len(self) - 1)}
        return inner.union(self._cuts.values(), ends)

    def find(self, wanted: Collection[bytes]) -> tuple[Sequence[int], Sequence[bytes]]:
        """The numbers of all lines that are `wanted`, in order, and the lines."""
        cuts = {pair: line for pair, line in self._cuts.items() if line in wanted}
        at_cuts = list(map(cuts.get, self._pairs))
        numbers, lines = list(compress(self._starts[1:], at_cuts)), list(filter(None, at_cuts))
        # The first line has no cut, nor has the last one where its piece goes on.
        ends = {0, len(self) - 1} if self._starts[-1] > self._starts[-2] else {0}
        rest = [(number, line) for number in ends if (line := self.line(number)) in wanted]
        inner = [[(at, line) for at, line in enumerate(lines[1:-1], 1) if line in wanted] for lines in self._pieces]
        if any(inner):
            rest += [
                (start + at, line) for start, piece in zip(self._starts, self._which, strict=False) for at, line in inner[piece]
            ]
        if rest:
            found = sorted([*zip(numbers, lines, strict=True), *rest])
            return [number for number, _ in found], [line for _, line in found]
        return numbers, lines

    def line(self, number: int) -> bytes:
        at = bisect_right(self._starts, number, 0, len(self._which)) - 1
        start = self._starts[at]
        if number == start and at:
            return self._cuts[self._which[at - 1], self._which[at]]
        return self._pieces[self._which[at]][number - start]

    def between(self, start: int, end: int) -> list[bytes]:
        """The lines from `start` on and before `end`."""
        at = bisect_right(self._starts, start, 0, len(self._which)) - 1
        begin = self._starts[at]
        if begin < start and end <= self._starts[at + 1]:
            return self._pieces[self._which[at]][start - begin : end - begin]
        return [self.line(number) for number in range(start, end)]


def _joined(pieces: Sequence[bytes]) -> Iterator[bytes]:
    """Pieces that each have the end of a line: those that lie in one line with the next are joined to it."""
    waiting = b""
    for number, piece in enumerate(pieces):
        whole = waiting + piece
        if b"\n" in piece or number + 1 == len(pieces):
            yield whole
            waiting = b""
        else:
            waiting = whole + _CUT
