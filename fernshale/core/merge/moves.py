"""Find files that one side moved or renamed: by content, the best assignment over all pairs and not first come.

Identical files are paired first; the rest by the share of lines two texts have in common (Dice coefficient over
multisets of lines), assigned so that the sum is greatest (Crouse 2016, through scipy).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from fernshale.core.base.textfile import read_text, split_lines
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.snapshot.manifest import Entry

# Below this share of common lines two files are taken for strangers.
_LEAST = 0.5
_SAME_NAME = 0.05
# Pairs that are looked at line by line at most; beyond it only files of one name are.
_MOST_PAIRS = 250_000

Content = Callable[[TreePath], bytes]


def find_moves(
    gone: Sequence[tuple[TreePath, Entry]],
    come: Sequence[tuple[TreePath, Entry]],
    read_gone: Content,
    read_come: Content,
    token: CancelToken,
) -> dict[TreePath, TreePath]:
    """New path for each of `gone` that was moved."""
    moves: dict[TreePath, TreePath] = {}
    targets: dict[str, list[TreePath]] = {}
    for path, entry in come:
        if entry.size:
            targets.setdefault(entry.content, []).append(path)
    for path, entry in gone:
        if found := targets.get(entry.content):
            found.sort(key=lambda target: _name(target) != _name(path))
            moves[path] = found.pop(0)
    taken = set(moves.values())
    left = [(path, entry) for path, entry in gone if path not in moves and entry.size]
    right = [(path, entry) for path, entry in come if path not in taken and entry.size]
    if left and right:
        moves.update(_assign(left, right, read_gone, read_come, token))
    return moves


def _assign(
    left: Sequence[tuple[TreePath, Entry]],
    right: Sequence[tuple[TreePath, Entry]],
    read_left: Content,
    read_right: Content,
    token: CancelToken,
) -> dict[TreePath, TreePath]:
    import numpy
    from scipy.optimize import linear_sum_assignment

    only_names = len(left) * len(right) > _MOST_PAIRS
    old = [_line_counts(read_left(path)) for path, _ in left]
    new = [_line_counts(read_right(path)) for path, _ in right]
    scores = numpy.zeros((len(left), len(right)))
    for row, counts in enumerate(old):
        token.check()
        for column, other in enumerate(new):
            same_name = _name(left[row][0]) == _name(right[column][0])
            if counts is None or other is None or (only_names and not same_name):
                continue
            score = _alike(counts, other)
            if score >= _LEAST:
                scores[row, column] = score + _SAME_NAME * same_name
    rows, columns = linear_sum_assignment(scores, maximize=True)
    pairs = zip(rows.tolist(), columns.tolist(), strict=True)
    return {left[row][0]: right[column][0] for row, column in pairs if scores[row, column] > 0}


def _line_counts(data: bytes) -> Counter[str] | None:
    text = read_text(data)
    return Counter(line.strip() for line in split_lines(text.text) if line.strip()) if text else None


def _alike(left: Counter[str], right: Counter[str]) -> float:
    total = left.total() + right.total()
    if not total or min(left.total(), right.total()) * 4 < max(left.total(), right.total()):
        return 0.0
    return 2 * (left & right).total() / total


def _name(path: str) -> str:
    return path.rsplit("/", 1)[-1]
