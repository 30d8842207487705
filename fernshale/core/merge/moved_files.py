"""Find files that one side moved or renamed, by content, as the best assignment over all pairs.

Files with equal content are paired first, then others by the share of common lines (Dice coefficient over sets of lines), with
the maximum sum over all pairs (Crouse 2016, through SciPy), component by component. An unchanged name or folder only breaks
ties.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING

from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.snapshot.manifest import TreeEntry

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

MovedContent = Callable[[TreePath], bytes]
Files = Sequence[tuple[TreePath, TreeEntry]]

# Files with a smaller share of common lines count as unrelated; few lines need a higher share.
_MIN_SHARE = 0.5
_MIN_SHARE_OF_FEW = 0.75
_FEW_LINES = 4
_SAME_NAME = 0.05
_SAME_MOVE = 0.03
# Lines that occur in more files than this do not identify a file.
_MAX_FILES_OF_LINE = 60
_LARGEST_TEXT = 8 << 20


def find_moves(
    gone: Files, come: Files, read_gone: MovedContent, read_come: MovedContent, token: CancelToken
) -> dict[TreePath, TreePath]:
    """Return the new path of each file of `gone` that was moved."""
    moves = _identical(gone, come)
    taken = set(moves.values())
    left = [path for path, entry in gone if path not in moves and 0 < entry.size <= _LARGEST_TEXT]
    right = [path for path, entry in come if path not in taken and 0 < entry.size <= _LARGEST_TEXT]
    if left and right:
        moves.update(_alike(left, right, read_gone, read_come, moves, token))
    return moves


def _identical(gone: Files, come: Files) -> dict[TreePath, TreePath]:
    """Pair files with equal content; if several have it, those with the most similar paths."""
    import numpy as np
    from scipy.optimize import linear_sum_assignment

    targets: dict[str, list[TreePath]] = {}
    for path, entry in come:
        if entry.size:
            targets.setdefault(entry.content, []).append(path)
    sources: dict[str, list[TreePath]] = {}
    for path, entry in gone:
        if entry.content in targets:
            sources.setdefault(entry.content, []).append(path)
    moves: dict[TreePath, TreePath] = {}
    for content, olds in sources.items():
        news = targets[content]
        if len(olds) == len(news) == 1:
            moves[olds[0]] = news[0]
            continue
        scores = np.array([[_path_likeness(old, new) for new in news] for old in olds])
        rows, columns = linear_sum_assignment(scores, maximize=True)
        moves.update((olds[row], news[column]) for row, column in zip(rows.tolist(), columns.tolist(), strict=True))
    return moves


def _path_likeness(old: str, new: str) -> float:
    from rapidfuzz import fuzz

    return float(fuzz.ratio(old, new)) + 100.0 * (_name(old) == _name(new))


def _alike(
    left: Sequence[TreePath],
    right: Sequence[TreePath],
    read_left: MovedContent,
    read_right: MovedContent,
    known: Mapping[TreePath, TreePath],
    token: CancelToken,
) -> dict[TreePath, TreePath]:
    import numpy as np
    from scipy.optimize import linear_sum_assignment
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    ours, theirs = _line_matrix(left, right, read_left, read_right, token)
    sizes = [np.asarray(side.sum(axis=1)).ravel() for side in (ours, theirs)]
    pairs = (ours @ theirs.T).tocoo()
    total = sizes[0][pairs.row] + sizes[1][pairs.col]
    scores = 2 * pairs.data / total
    kept = scores >= np.where(total <= 2 * _FEW_LINES, _MIN_SHARE_OF_FEW, _MIN_SHARE)
    rows, columns, scores = pairs.row[kept], pairs.col[kept], scores[kept]
    if not len(rows):
        return {}
    folder_moves = {(_folder(old), _folder(new)) for old, new in known.items()}
    for at, (row, column) in enumerate(zip(rows.tolist(), columns.tolist(), strict=True)):
        old, new = left[row], right[column]
        scores[at] += _SAME_NAME * (_name(old) == _name(new)) + _SAME_MOVE * (
            (_folder(old), _folder(new)) in folder_moves
        )
    count = len(left) + len(right)
    graph = coo_matrix((np.ones(len(rows)), (rows, columns + len(left))), shape=(count, count))
    _, label = connected_components(graph, directed=False)
    moves: dict[TreePath, TreePath] = {}
    order = np.argsort(label[rows], kind="stable")
    for part in np.split(order, (np.diff(label[rows][order]) != 0).nonzero()[0] + 1):
        token.check()
        ours_here, at_row = np.unique(rows[part], return_inverse=True)
        theirs_here, at_column = np.unique(columns[part], return_inverse=True)
        table = np.zeros((len(ours_here), len(theirs_here)))
        table[at_row, at_column] = scores[part]
        for row, column in zip(*linear_sum_assignment(table, maximize=True), strict=True):
            if table[row, column] > 0:
                moves[left[ours_here[row]]] = right[theirs_here[column]]
    return moves


def _line_matrix(
    left: Sequence[TreePath],
    right: Sequence[TreePath],
    read_left: MovedContent,
    read_right: MovedContent,
    token: CancelToken,
) -> tuple[csr_matrix, csr_matrix]:
    """Return a sparse (files, lines) matrix of 0 and 1 for each side: which lines occur in which file."""
    import numpy as np
    from scipy.sparse import csr_matrix

    numbers: dict[str, int] = {}
    sides: list[tuple[list[int], list[int]]] = []
    for paths, read in ((left, read_left), (right, read_right)):
        starts, columns = [0], []
        for path in paths:
            token.check()
            columns += [numbers.setdefault(line, len(numbers)) for line in telling_lines(read(path))]
            starts.append(len(columns))
        sides.append((starts, columns))
    used = np.zeros(len(numbers) + 1, np.int64)
    for _, columns in sides:
        used += np.bincount(np.array(columns, np.int64), minlength=len(used))
    telling = used <= max(_MAX_FILES_OF_LINE, 2)
    made = []
    for (starts, columns), paths in zip(sides, (left, right), strict=True):
        data = telling[columns].astype(np.float64) if columns else np.zeros(0)
        matrix = csr_matrix((data, columns, starts), shape=(len(paths), len(used)))
        matrix.eliminate_zeros()
        made.append(matrix)
    return made[0], made[1]


def telling_lines(data: bytes) -> list[str]:
    """Return the distinct lines with content, without indentation; none for a binary file."""
    text = read_text(data)
    if text is None:
        return []
    return list(dict.fromkeys(line.strip() for line in text.text.split("\n") if any(map(str.isalnum, line))))


def _name(path: str) -> str:
    return path.rsplit("/", 1)[-1].casefold()


def _folder(path: str) -> str:
    return path.rpartition("/")[0]
