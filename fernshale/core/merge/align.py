"""Align two texts line by line.

Unique common lines anchor the alignment (the longest increasing run of them, as patience sorting gives it); between
anchors the longest common subsequence decides (bit-parallel, Hyyrö 2004, through rapidfuzz).
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from rapidfuzz import fuzz
from rapidfuzz.distance import LCSseq

Span = tuple[int, int]

# Beyond this many cells the exact alignment of a gap without anchors would take too long; it is then one hunk.
_LARGEST_GAP = 400_000_000
_LARGEST_PAIRING = 4_000
_ALIKE = 60.0


@dataclass(frozen=True, slots=True)
class Hunk:
    """Lines `old` of one text that became lines `new` of the other; half-open, one of them may be empty."""

    old: Span
    new: Span


def align_lines(old: Sequence[str], new: Sequence[str]) -> tuple[Hunk, ...]:
    """The differing spans, in order and without two that touch on both sides. Equal lines stand between them."""
    numbers: dict[str, int] = {}
    left = [numbers.setdefault(line, len(numbers)) for line in old]
    right = [numbers.setdefault(line, len(numbers)) for line in new]
    hunks: list[Hunk] = []
    for hunk in _differences(left, right):
        if hunks and hunks[-1].old[1] == hunk.old[0] and hunks[-1].new[1] == hunk.new[0]:
            last = hunks.pop()
            hunk = Hunk((last.old[0], hunk.old[1]), (last.new[0], hunk.new[1]))
        hunks.append(hunk)
    return tuple(hunks)


def equal_lines(hunks: Sequence[Hunk], old_count: int) -> dict[int, int]:
    """Line of the new text for each line of the old one that is kept."""
    kept: dict[int, int] = {}
    at_old = at_new = 0
    for hunk in (*hunks, Hunk((old_count, old_count), (0, 0))):
        while at_old < hunk.old[0]:
            kept[at_old] = at_new
            at_old, at_new = at_old + 1, at_new + 1
        at_old, at_new = hunk.old[1], hunk.new[1]
    return kept


def split_hunk(hunk: Hunk, old: Sequence[str], new: Sequence[str]) -> tuple[Hunk, ...]:
    """A replaced block as changes of single lines, where lines of both sides are clearly one another's versions.

    Pairs keep their order and have the greatest sum of similarities; what is left over is inserted or removed.
    """
    rows, columns = hunk.old[1] - hunk.old[0], hunk.new[1] - hunk.new[0]
    if not rows or not columns or rows + columns == 2 or rows * columns > _LARGEST_PAIRING:
        return (hunk,)
    pairs = _best_pairs(old[slice(*hunk.old)], new[slice(*hunk.new)])
    if not pairs:
        return (hunk,)
    parts: list[Hunk] = []
    at_old, at_new = hunk.old[0], hunk.new[0]
    for row, column in [*pairs, (rows, columns)]:
        start_old, start_new = hunk.old[0] + row, hunk.new[0] + column
        if at_old < start_old or at_new < start_new:
            parts.append(Hunk((at_old, start_old), (at_new, start_new)))
        if row < rows and old[start_old] != new[start_new]:
            parts.append(Hunk((start_old, start_old + 1), (start_new, start_new + 1)))
        at_old, at_new = start_old + 1, start_new + 1
    return tuple(parts)


def _best_pairs(old: Sequence[str], new: Sequence[str]) -> list[tuple[int, int]]:
    alike = [[fuzz.ratio(left.strip(), right.strip()) if left.strip() else 0.0 for right in new] for left in old]
    best = [[0.0] * (len(new) + 1) for _ in range(len(old) + 1)]
    for row in range(len(old) - 1, -1, -1):
        for column in range(len(new) - 1, -1, -1):
            score = alike[row][column]
            paired = best[row + 1][column + 1] + score if score >= _ALIKE else 0.0
            best[row][column] = max(paired, best[row + 1][column], best[row][column + 1])
    pairs = []
    row = column = 0
    while row < len(old) and column < len(new):
        score = alike[row][column]
        if score >= _ALIKE and best[row][column] == best[row + 1][column + 1] + score:
            pairs.append((row, column))
            row, column = row + 1, column + 1
        elif best[row][column] == best[row + 1][column]:
            row += 1
        else:
            column += 1
    return pairs


def _differences(old: Sequence[int], new: Sequence[int]) -> Iterator[Hunk]:
    """Differences in order. Works through a list instead of calling itself: gaps can nest as deep as lines."""
    gaps = [((0, len(old)), (0, len(new)))]
    while gaps:
        (old_start, old_end), (new_start, new_end) = gaps.pop()
        while old_start < old_end and new_start < new_end and old[old_start] == new[new_start]:
            old_start, new_start = old_start + 1, new_start + 1
        while old_start < old_end and new_start < new_end and old[old_end - 1] == new[new_end - 1]:
            old_end, new_end = old_end - 1, new_end - 1
        if old_start == old_end and new_start == new_end:
            continue
        if old_start == old_end or new_start == new_end:
            yield Hunk((old_start, old_end), (new_start, new_end))
            continue
        anchors = _anchors(old, new, (old_start, old_end), (new_start, new_end))
        if not anchors:
            yield from _align_gap(old, new, (old_start, old_end), (new_start, new_end))
            continue
        pieces = []
        at_old, at_new = old_start, new_start
        for left, right in anchors:
            pieces.append(((at_old, left), (at_new, right)))
            at_old, at_new = left + 1, right + 1
        pieces.append(((at_old, old_end), (at_new, new_end)))
        gaps.extend(reversed(pieces))


def _align_gap(old: Sequence[int], new: Sequence[int], left: Span, right: Span) -> Iterator[Hunk]:
    if (left[1] - left[0]) * (right[1] - right[0]) > _LARGEST_GAP:
        yield Hunk(left, right)
        return
    for code in LCSseq.opcodes(old[slice(*left)], new[slice(*right)]):
        if code.tag != "equal":
            yield Hunk(
                (left[0] + code.src_start, left[0] + code.src_end),
                (right[0] + code.dest_start, right[0] + code.dest_end),
            )


def _anchors(old: Sequence[int], new: Sequence[int], left: Span, right: Span) -> list[tuple[int, int]]:
    """Pairs of lines that are unique on both sides, as many as stand in the same order."""
    old_count = Counter(old[slice(*left)])
    new_count = Counter(new[slice(*right)])
    place = {new[at]: at for at in range(*right) if new_count[new[at]] == 1}
    pairs = [(at, place[old[at]]) for at in range(*left) if old_count[old[at]] == 1 and old[at] in place]
    tails: list[int] = []
    tail_pairs: list[int] = []
    before: list[int] = []
    for number, (_, at_new) in enumerate(pairs):
        slot = bisect_left(tails, at_new)
        before.append(tail_pairs[slot - 1] if slot else -1)
        tails[slot : slot + 1] = [at_new]
        tail_pairs[slot : slot + 1] = [number]
    chain = []
    number = tail_pairs[-1] if tail_pairs else -1
    while number >= 0:
        chain.append(pairs[number])
        number = before[number]
    return chain[::-1]
