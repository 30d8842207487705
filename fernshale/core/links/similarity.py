"""The similarity of old and new targets by their words.

Words are weighted by rarity (tf-idf; Salton and Buckley 1988), so that words shared by all assets of a kind count little.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from fernshale.core.links.targets import Thing

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class Likeness:
    """`cosine[i, j]` and `inside[i, j]` (the share of j's words, by weight, that i has) for old targets i and new targets j,
    0..1."""

    cosine: NDArray[np.float64]
    inside: NDArray[np.float64]

    def runner_up(self, i: int, j: int) -> float:
        """Return the maximum cosine of old target i with any new target other than j."""
        row = self.cosine[i]
        rest = max(row[:j].max(initial=0.0), row[j + 1 :].max(initial=0.0))
        return float(rest)


def compare_words(old: Sequence[Thing], new: Sequence[Thing]) -> Likeness:
    """The likeness of all pairs at once, by products of sparse matrices."""
    import numpy as np
    from scipy.sparse import csr_matrix

    counts = [Counter(thing.words) for thing in (*old, *new)]
    vocabulary: dict[str, int] = {}
    seen: Counter[str] = Counter()
    for each in counts:
        for word in each:
            vocabulary.setdefault(word, len(vocabulary))
        seen.update(each.keys())
    many = len(counts)
    rarity = {word: math.log((1 + many) / (1 + number)) + 0.05 for word, number in seen.items()}
    rows, columns, values = [], [], []
    for row, each in enumerate(counts):
        for word, number in each.items():
            rows.append(row)
            columns.append(vocabulary[word])
            values.append((1 + math.log(number)) * rarity[word])
    matrix = csr_matrix((values, (rows, columns)), shape=(many, max(1, len(vocabulary))), dtype=np.float64)
    length = np.sqrt(np.asarray(matrix.multiply(matrix).sum(axis=1)).ravel())
    first, second = matrix[: len(old)], matrix[len(old) :]
    product = np.asarray((first @ second.T).todense())
    scale = np.outer(length[: len(old)], length[len(old) :])
    cosine = np.divide(product, scale, out=np.zeros_like(product), where=scale > 0)
    there = (first != 0).astype(np.float64)
    weight = np.asarray(second.sum(axis=1)).ravel()
    held = np.asarray((there @ second.T).todense())
    inside = np.divide(held, weight[None, :], out=np.zeros_like(held), where=weight[None, :] > 0)
    return Likeness(np.clip(cosine, 0, 1), np.clip(inside, 0, 1))
