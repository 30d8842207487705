"""Align two texts line by line, the way code is edited.

Lines that are unique on both sides anchor the alignment (the chain of them that has most lines in order; runs of
neighbours count as one block). Where a gap has none, blocks of lines that are unique as a whole anchor it, in windows
that double (Karp, Miller and Rosenberg 1972, "Rapid identification of repeated patterns"). What is left is small enough
for the longest common subsequence (bit-parallel, Hyyrö 2004, through rapidfuzz), taken window by window where it is
not. So the time is n log n, whatever the texts. A block that could stand in several places, because the lines around
repeat, is put where a construct begins: by indentation.
"""

from __future__ import annotations

from array import array
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import count, pairwise, repeat
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np

    Numbers = np.ndarray[tuple[int], np.dtype[np.int64]]

Span = tuple[int, int]
Pairs = tuple["Numbers", "Numbers"]

# Cells of a gap that is aligned exactly, and the window that slides over a larger one without anchors.
_EXACT = 4_000_000
_WINDOW = 2_000
_LARGEST_PAIRING = 4_000
_ALIKE = 60.0
_LARGEST_BLOCK = 64
_DEEPEST = 24
# Below this many lines a loop is faster than an array.
_FEW = 48
_FARTHEST_SLIDE = 120


@dataclass(frozen=True, slots=True)
class Hunk:
    """Lines `old` of one text that became lines `new` of the other; half-open, one of them may be empty."""

    old: Span
    new: Span


def number_lines(base: Sequence[str], *texts: Sequence[str]) -> list[Numbers]:
    """Return (lines,) int64 for each text: the index of an equal line in the base, or -1, which equals nothing."""
    import numpy as np

    places = dict(zip(base, range(len(base)), strict=True))
    unknown = repeat(-1)
    # Through an array: converting a list to NumPy directly takes three times as long.
    rows = (array("q", list(map(places.get, lines, unknown))) for lines in (base, *texts))
    return [np.frombuffer(row, np.int64) if row else np.zeros(0, np.int64) for row in rows]


def align_lines(old: Sequence[str], new: Sequence[str]) -> tuple[Hunk, ...]:
    """Yield the differing spans, in order, with equal lines between them."""
    left, right = number_lines(old, new)
    return align_numbers(left, right, old, new)


def align_numbers(left: Numbers, right: Numbers, old: Sequence[str], new: Sequence[str]) -> tuple[Hunk, ...]:
    """`align_lines` for lines that are numbered already."""
    return _join_and_slide(_differences(left, right), old, new)


def equal_lines(hunks: Sequence[Hunk], old_count: int) -> dict[int, int]:
    """Line of the new text for each line of the old one that is kept."""
    kept: dict[int, int] = {}
    at_old = at_new = 0
    for hunk in (*hunks, Hunk((old_count, old_count), (0, 0))):
        kept.update(zip(range(at_old, hunk.old[0]), count(at_new)))
        at_old, at_new = hunk.old[1], hunk.new[1]
    return kept


def counterparts(hunks: Sequence[Hunk], old_count: int) -> dict[int, int]:
    """As `equal_lines`, with the lines of blocks that were replaced by as many."""
    found = equal_lines(hunks, old_count)
    for hunk in hunks:
        if hunk.old[1] - hunk.old[0] == hunk.new[1] - hunk.new[0]:
            found.update(zip(range(*hunk.old), range(*hunk.new), strict=True))
    return found


def split_hunk(hunk: Hunk, old: Sequence[str], new: Sequence[str]) -> tuple[Hunk, ...]:
    """Divide a replaced block into changes of single lines, where lines of both sides are clearly versions of each other.

    Pairs keep their order and have the maximum sum of similarities; the remaining lines are inserted or removed.
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
    from rapidfuzz import fuzz

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


# -- the differences


def _differences(left: Numbers, right: Numbers) -> Iterator[Hunk]:
    """Differences in order. Works through a list instead of calling itself: gaps can nest as deep as lines."""
    old, new = left.tolist(), right.tolist()
    gaps = [(0, len(old), 0, len(new))]
    while gaps:
        a, b, c, d = gaps.pop()
        if b - a <= 1 and d - c <= 1:
            if b - a != d - c or (b > a and old[a] != new[c]):
                yield Hunk((a, b), (c, d))
            continue
        same = _common_start(left[a:b], right[c:d], old, new, a, c)
        a, c = a + same, c + same
        same = _common_end(left[a:b], right[c:d], old, new, b, d)
        b, d = b - same, d - same
        if a == b and c == d:
            continue
        if a == b or c == d or (b - a) + (d - c) <= 3:
            yield from _hunks(_few(old[a:b], new[c:d]), a, b, c, d)
        elif b - a < _FEW and d - c < _FEW and set(old[a:b]).isdisjoint(new[c:d]):
            yield Hunk((a, b), (c, d))
        elif (anchors := _unique(left[a:b], right[c:d])) is not None:
            gaps.extend(reversed(_gaps(left, right, (a, b, c, d), anchors[0] + a, anchors[1] + c)))
        else:
            yield from _hunks(_align_hard(left[a:b], right[c:d]), a, b, c, d)


def _few(old: list[int], new: list[int]) -> list[tuple[int, int]]:
    """Pairs of up to three lines in all: at most one is equal."""
    return [(at, new.index(line)) for at, line in enumerate(old) if line in new][:1]


def _hunks(pairs: Sequence[tuple[int, int]], a: int, b: int, c: int, d: int) -> Iterator[Hunk]:
    """Return the blocks between equal lines, given relative to the gap's start."""
    at_old, at_new = a, c
    for row, column in [*pairs, (b - a, d - c)]:
        if at_old < a + row or at_new < c + column:
            yield Hunk((at_old, a + row), (at_new, c + column))
        at_old, at_new = a + row + 1, c + column + 1


def _common_start(left: Numbers, right: Numbers, old: list[int], new: list[int], a: int, c: int) -> int:
    size = min(len(left), len(right))
    if size > _FEW:
        differ = left[:size] != right[:size]
        first = int(differ.argmax())
        return first if differ[first] else size
    same = 0
    while same < size and old[a + same] == new[c + same]:
        same += 1
    return same


def _common_end(left: Numbers, right: Numbers, old: list[int], new: list[int], b: int, d: int) -> int:
    size = min(len(left), len(right))
    if size > _FEW:
        differ = left[len(left) - size :][::-1] != right[len(right) - size :][::-1]
        first = int(differ.argmax())
        return first if differ[first] else size
    same = 0
    while same < size and old[b - 1 - same] == new[d - 1 - same]:
        same += 1
    return same


def _unique(left: Numbers, right: Numbers) -> Pairs | None:
    """Return pairs of lines that are unique on both sides, as many as are in the same order."""
    import numpy as np

    # Lines without an equal get a number of their own, which the left side never has.
    bound = int(max(left.max(), right.max())) + 2
    if bound > 4 * (len(left) + len(right)):
        numbers, left = np.unique(left, return_inverse=True)
        at = np.searchsorted(numbers, right).clip(0, len(numbers) - 1)
        right = np.where(numbers[at] == right, at, -1)
        bound = len(numbers) + 1
    right = np.where(right < 0, bound - 1, right)
    once = (np.bincount(left, minlength=bound) == 1) & (np.bincount(right, minlength=bound) == 1)
    place = np.zeros(bound, np.int64)
    place[right] = np.arange(len(right))
    rows = once[left].nonzero()[0]
    return _chain(rows, place[left[rows]]) if len(rows) else None


def _chain(rows: Numbers, columns: Numbers) -> Pairs:
    """Return the pairs in the same order on both sides; blocks of neighbours are kept or left out as a whole.

    `rows` increases. The heaviest increasing chain of blocks, by their number of lines.
    """
    import numpy as np

    if (columns[1:] > columns[:-1]).all():
        return rows, columns
    rank = np.empty(len(columns), np.int64)
    rank[columns.argsort()] = np.arange(len(columns))
    starts = np.concatenate(([0], (rank[1:] != rank[:-1] + 1).nonzero()[0] + 1, [len(rank)]))
    weights = np.diff(starts).tolist()
    firsts = rank[starts[:-1]].tolist()
    # For each reachable total, kept with falling last place: the classic structure of the longest increasing
    # subsequence, with weights. `ends` rises with `totals`; an entry that is no better than the one before is dropped.
    ends: list[int] = []
    totals: list[int] = []
    owner: list[int] = []
    before: list[int] = []
    for block, (first, weight) in enumerate(zip(firsts, weights, strict=True)):
        slot = bisect_left(ends, first)
        total = (totals[slot - 1] if slot else 0) + weight
        before.append(owner[slot - 1] if slot else -1)
        stop = slot
        while stop < len(ends) and totals[stop] <= total:
            stop += 1
        ends[slot:stop], totals[slot:stop], owner[slot:stop] = [first], [total], [block]
    kept = np.zeros(len(rows), bool)
    block = owner[-1]
    while block >= 0:
        kept[starts[block] : starts[block + 1]] = True
        block = before[block]
    return rows[kept], columns[kept]


def _gaps(
    left: Numbers, right: Numbers, gap: tuple[int, int, int, int], rows: Numbers, columns: Numbers
) -> list[tuple[int, int, int, int]]:
    """Yield the gaps between anchors that contain a difference, in order."""
    import numpy as np

    a, b, c, d = gap
    at = np.concatenate(([a - 1], rows, [b]))
    to = np.concatenate(([c - 1], columns, [d]))
    sizes = at[1:] - at[:-1]
    differs = sizes != to[1:] - to[:-1]
    # Gaps of one size are compared line by line, all of them at once.
    lines = np.arange(a, b)
    partner = lines + np.repeat(to[:-1] - at[:-1], sizes)[1:]
    unequal = np.concatenate(([0], (left[a:b] != right[np.minimum(partner, d - 1)]).cumsum()))
    differs |= unequal[at[1:] - a] != unequal[at[:-1] + 1 - a]
    found = differs.nonzero()[0]
    spans = (at[found] + 1, at[found + 1], to[found] + 1, to[found + 1])
    return list(zip(*(span.tolist() for span in spans), strict=True))


def _align_hard(left: Numbers, right: Numbers) -> list[tuple[int, int]]:
    """Pairs of equal lines of a gap in which no line is unique on both sides."""
    import numpy as np
    from rapidfuzz.distance import LCSseq

    pairs: list[tuple[int, int]] = []
    work = [(np.arange(len(left)), np.arange(len(right)), 0)]
    while work:
        rows, columns, depth = work.pop()
        # Lines that the other side does not have cannot match.
        rows, columns = rows[np.isin(left[rows], right[columns])], columns[np.isin(right[columns], left[rows])]
        size = min(len(rows), len(columns))
        differ = left[rows[:size]] != right[columns[:size]]
        start = int(differ.argmax()) if differ.any() else size
        pairs += zip(rows[:start].tolist(), columns[:start].tolist(), strict=True)
        rows, columns, size = rows[start:], columns[start:], size - start
        differ = left[rows[::-1][:size]] != right[columns[::-1][:size]]
        end = int(differ.argmax()) if differ.any() else size
        pairs += zip(rows[len(rows) - end :].tolist(), columns[len(columns) - end :].tolist(), strict=True)
        rows, columns = rows[: len(rows) - end], columns[: len(columns) - end]
        if not len(rows) or not len(columns):
            continue
        if len(rows) * len(columns) <= _EXACT:
            for block in LCSseq.opcodes(left[rows].tolist(), right[columns].tolist()):
                if block.tag == "equal":
                    ours, theirs = rows[block.src_start : block.src_end], columns[block.dest_start : block.dest_end]
                    pairs += zip(ours.tolist(), theirs.tolist(), strict=True)
        elif depth < _DEEPEST and (anchors := _block_anchors(left[rows], right[columns])) is not None:
            cuts = [(-1, -1), *zip(anchors[0].tolist(), anchors[1].tolist(), strict=True), (len(rows), len(columns))]
            pairs += zip(rows[anchors[0]].tolist(), columns[anchors[1]].tolist(), strict=True)
            for (a, c), (b, d) in pairwise(cuts):
                if a + 1 < b and c + 1 < d:
                    work.append((rows[a + 1 : b], columns[c + 1 : d], depth + 1))
        else:
            ours_list, theirs_list = rows.tolist(), columns.tolist()
            found = _slide_over(left[rows].tolist(), right[columns].tolist())
            pairs += [(ours_list[row], theirs_list[column]) for row, column in found]
    return sorted(pairs)


def _block_anchors(left: Numbers, right: Numbers) -> Pairs | None:
    """First lines of blocks that are unique on both sides, of the shortest length that has some."""
    import numpy as np

    size = 1
    while True:
        if (found := _unique(left, right)) is not None:
            return found
        if size == _LARGEST_BLOCK or min(len(left), len(right)) <= size:
            return None
        bound = int(max(left.max(), right.max())) + 2
        pairs = [side[:-size] * bound + side[size:] for side in (left, right)]
        _, ranks = np.unique(np.concatenate(pairs), return_inverse=True)
        left, right = ranks[: len(pairs[0])], ranks[len(pairs[0]) :]
        size *= 2


def _slide_over(left: list[int], right: list[int]) -> Iterator[tuple[int, int]]:
    """Equal lines of a large gap, window by window: exact inside each, and no more than linear over all."""
    from rapidfuzz.distance import LCSseq

    at_left = at_right = 0
    while at_left < len(left) and at_right < len(right):
        ours, theirs = left[at_left : at_left + _WINDOW], right[at_right : at_right + _WINDOW]
        is_last = at_left + _WINDOW >= len(left) and at_right + _WINDOW >= len(right)
        most = _WINDOW if is_last else _WINDOW // 2
        row = column = 0
        for block in LCSseq.opcodes(ours, theirs):
            if block.tag == "equal":
                for step in range(block.src_end - block.src_start):
                    if block.src_start + step >= most or block.dest_start + step >= most:
                        break
                    row, column = block.src_start + step + 1, block.dest_start + step + 1
                    yield at_left + row - 1, at_right + column - 1
        if is_last:
            return
        # Behind the last pair, or half a window on where there was none.
        at_left, at_right = (at_left + row, at_right + column) if row else (at_left + most, at_right + most)


# -- position of a difference


def _join_and_slide(hunks: Iterator[Hunk], old: Sequence[str], new: Sequence[str]) -> tuple[Hunk, ...]:
    """Join hunks that touch on both sides, and move blocks with several possible positions to the best one."""
    joined: list[Hunk] = []
    for hunk in hunks:
        if joined and joined[-1].old[1] == hunk.old[0] and joined[-1].new[1] == hunk.new[0]:
            last = joined.pop()
            hunk = Hunk((last.old[0], hunk.old[1]), (last.new[0], hunk.new[1]))
        joined.append(hunk)
    settled: list[Hunk] = []
    for at, hunk in enumerate(joined):
        if hunk.old[0] == hunk.old[1] or hunk.new[0] == hunk.new[1]:
            below = joined[at + 1] if at + 1 < len(joined) else None
            hunk = _slid(hunk, old, new, settled[-1] if settled else None, below)
        settled.append(hunk)
    return tuple(settled)


def _slid(hunk: Hunk, old: Sequence[str], new: Sequence[str], above: Hunk | None, below: Hunk | None) -> Hunk:
    """A pure insertion or deletion, moved over equal lines; it never touches its neighbours."""
    inserts = hunk.old[0] == hunk.old[1]
    lines, (start, end) = (new, hunk.new) if inserts else (old, hunk.old)
    # Keep at least one equal line between two hunks, so that they remain two.
    room_up = min(hunk.old[0] - above.old[1], hunk.new[0] - above.new[1]) - 1 if above else start
    room_up = min(room_up, hunk.old[0], hunk.new[0], _FARTHEST_SLIDE)
    room_down = min(below.old[0] - hunk.old[1], below.new[0] - hunk.new[1]) - 1 if below else _FARTHEST_SLIDE
    room_down = min(room_down, len(old) - hunk.old[1], len(new) - hunk.new[1], _FARTHEST_SLIDE)
    up = down = 0
    while up < room_up and lines[start - up - 1] == lines[end - up - 1]:
        up += 1
    while down < room_down and lines[start + down] == lines[end + down]:
        down += 1
    if not up and not down:
        return hunk
    best = min(range(-up, down + 1), key=lambda shift: (*_awkwardness(lines, start + shift, end + shift), -shift))
    return Hunk(
        (hunk.old[0] + best, hunk.old[1] + best),
        (hunk.new[0] + best, hunk.new[1] + best),
    )


def _awkwardness(lines: Sequence[str], start: int, end: int) -> tuple[int, int]:
    """How unlike a construct of its own a block is: it should neither begin with an end nor deep inside."""
    first = next((line for line in lines[start:end] if line.strip()), "")
    body = first.lstrip()
    return int(body[:1] in tuple("})]") or body[:3] == "end"), len(first) - len(body)
