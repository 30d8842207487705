"""Blocks of lines that one side moved while the other edited them: the edit is applied at the block's new position.

A block is recognised by its lines (at least three with content, most of them unchanged). The base and the other side are
rearranged like the mover's text; merging the rearranged texts applies each edit at its place.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass

from fernshale.core.merge.align import Hunk, Span, align_lines, equal_lines

_MIN_LINES = 3
_MIN_KEPT = 0.6
_MAX_PAIRS = 400


@dataclass(frozen=True, slots=True)
class Move:
    """Base lines `block` are before base line `to` in the mover's text."""

    block: Span
    to: int


def find_moves(base: Sequence[str], mover: Sequence[str]) -> tuple[Move, ...]:
    """Find blocks of the base at another position in `mover`, in order and without overlaps."""
    hunks = align_lines(base, mover)
    gone = [hunk for hunk in hunks if _weight(base[slice(*hunk.old)]) >= _MIN_LINES]
    come = [hunk for hunk in hunks if _weight(mover[slice(*hunk.new)]) >= _MIN_LINES]
    if len(gone) * len(come) > _MAX_PAIRS:
        return ()
    moves: list[Move] = []
    taken: set[Hunk] = set()
    for hunk in gone:
        found = [
            (kept, move, other)
            for other in come
            if other is not hunk and other not in taken
            for kept, move in [_moved(base, mover, hunk, other)]
            if move is not None
        ]
        if found:
            _, move, other = max(found, key=lambda item: item[0])
            taken.add(other)
            assert move is not None
            moves.append(move)
    return tuple(moves)


def _moved(base: Sequence[str], mover: Sequence[str], gone: Hunk, come: Hunk) -> tuple[int, Move | None]:
    """How many lines of a removed block an inserted one has, and the move, where they are one another's versions."""
    old, new = base[slice(*gone.old)], mover[slice(*come.new)]
    kept = sorted(equal_lines(align_lines(old, new), len(old)))
    said = _weight([old[line] for line in kept])
    if said < _MIN_LINES:
        return 0, None
    first, last = kept[0], kept[-1] + 1
    if said < _MIN_KEPT * _weight(old[first:last]):
        return 0, None
    return said, Move((gone.old[0] + first, gone.old[0] + last), come.old[0])


def _weight(lines: Sequence[str]) -> int:
    """Count the lines with content."""
    return sum(any(map(str.isalnum, line)) for line in lines)


def order_after(count: int, moves: Sequence[Move]) -> list[int]:
    """Return the order of `count` lines after the moves."""
    order: list[int] = []
    for line in range(count + 1):
        for move in moves:
            if move.to == line:
                order += range(*move.block)
        if line < count and not any(move.block[0] <= line < move.block[1] for move in moves):
            order.append(line)
    return order


def applicable_moves(moves: Sequence[Move], base: Sequence[str], other: Sequence[str]) -> tuple[Move, ...] | None:
    """Return the same moves for a descendant of the base; None if one is unclear because an edge was rewritten."""
    hunks = align_lines(base, other)
    starts = [hunk.old[0] for hunk in hunks]

    def place(line: int, is_end: bool) -> int | None:
        at = bisect_right(starts, line) - 1
        if at >= 0 and hunks[at].old[0] == line and hunks[at].old[0] == hunks[at].old[1]:
            return hunks[at].new[0] if is_end else hunks[at].new[1]
        if at >= 0 and hunks[at].old[0] < line < hunks[at].old[1]:
            return None
        if at >= 0 and hunks[at].old[0] == line:
            return hunks[at].new[0]
        return line + (hunks[at].new[1] - hunks[at].old[1] if at >= 0 else 0)

    found = []
    for move in moves:
        start, end, to = place(move.block[0], False), place(move.block[1], True), place(move.to, False)
        if start is None or end is None or to is None or start >= end:
            return None
        found.append(Move((start, end), to))
    return tuple(found)
