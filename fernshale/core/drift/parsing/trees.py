"""Reuse the syntax tree of one text for another: equal parts are not parsed again."""

from __future__ import annotations

from itertools import accumulate
from typing import TYPE_CHECKING

from rapidfuzz.distance import Indel

from fernshale.core.base.lazy_pattern import lazy_pattern

if TYPE_CHECKING:
    from tree_sitter import Tree

_LINE = lazy_pattern(rb"[^\n]*\n|[^\n]+")
# The maximum number of line pairs to compare: each takes some memory.
_MAX_PAIRS = 100_000_000


def moved_tree(tree: Tree, old: bytes, new: bytes) -> Tree | None:
    """Return the tree of `old` with the changed lines marked and all others moved to their positions in `new`; None if reuse
    does not pay."""
    texts = [_LINE.findall(data) for data in (old, new)]
    if len(texts[0]) * len(texts[1]) > _MAX_PAIRS:
        return None
    olds, news = ([0, *accumulate(map(len, lines))] for lines in texts)
    # The last first, so that earlier positions stay valid.
    for step in reversed(Indel.opcodes(*texts)):
        first, last, start, end = step.src_start, step.src_end, step.dest_start, step.dest_end
        if step.tag != "equal":
            at = olds[first]
            tree.edit(at, olds[last], at + news[end] - news[start], (first, 0), (last, 0), (first + end - start, 0))
        elif texts[0][first:last] != texts[1][start:end]:
            return None  # lines are compared by hash only
    return tree
