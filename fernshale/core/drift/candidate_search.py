"""Find the new symbols that are worth comparing with an old one: those that share its rarest features.

A feature is a part of the name, a scope, a file, a type, a member, a word of the body. The sum over shared features is a product of
sparse matrices, so the work grows with the number of symbols that share a feature, not with the number of pairs.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence

from fernshale.core.base.work import CancelToken
from fernshale.core.drift.members import Members
from fernshale.core.drift.names.name_parts import Rarity, parts_of
from fernshale.core.drift.similarity import Traits
from fernshale.core.drift.symbols import Symbol
from fernshale.core.drift.type_exchange import type_names

Path = tuple[str, ...]
Key = tuple[str, object]
# Old symbols for which candidates are searched at a time.
_ROWS_AT_ONCE = 512
# Longer names may have their last two parts in common: `row_lamp_get_glow` and `row_light_get_glow`.
_MIN_PARTS_OF_END = 2
# Features of more symbols than this do not produce candidates.
_MAX_SYMBOLS_OF_KEY = {"part": 1000, "type": 300, "owner": 300, "name": 100_000, "scope": 100_000}
_MAX_SYMBOLS_OF_OTHER_KEYS = 100
# How near it brings two symbols that both have a key of this kind, per squared rarity.
_NEARNESS = {
    "name": 12_000, "end": 6_000, "scope": 4_000, "part": 4_000, "owner": 3_000, "type": 2_000, "member": 2_000, "parameter": 2_000,
    "file": 1_000, "word": 600,
}  # fmt: skip


class Side:
    """Symbols of one side by feature: parts of their names, scopes, files, words of bodies."""

    def __init__(
        self,
        symbols: Sequence[Symbol],
        words: Rarity,
        docs: Rarity,
        members: Members,
        order: Mapping[Path, tuple[str, str]],
    ) -> None:
        self.traits = [
            Traits(item, words, docs, members.own(item.path), members.reach(item.path), *order.get(item.path, ("", "")))
            for item in symbols
        ]
        self.by_key: dict[Key, list[int]] = defaultdict(list)
        for number, trait in enumerate(self.traits):
            keys = keys_of(trait.symbol, trait.symbol.scope, trait.symbol.file, trait.reach)
            types: set[Key] = {("type", name) for name in type_names(trait.symbol)}
            for key in keys | types | {("owner", name) for name in trait.symbol.scope[-1:]}:
                self.by_key[key].append(number)


def keys_of(symbol: Symbol, scope: Path, file: str, members: frozenset[str]) -> set[Key]:
    parts = parts_of(symbol.name)
    keys: set[Key] = {("part", part) for part in parts}
    keys |= {("name", "".join(parts)), ("scope", scope), ("file", file)}
    if len(parts) > _MIN_PARTS_OF_END:
        keys.add(("end", parts[-2:]))
    keys |= {("member", name) for name in members}
    keys |= {("word", word) for word in symbol.words}
    keys |= {("parameter", item.name) for item in symbol.parameters if len(item.name) > 3}
    return keys


def nearest_symbols(wanted: Sequence[Collection[Key]], new: Side, most: int, token: CancelToken) -> Iterator[list[int]]:
    """For each set of keys the numbers of at most `most` new symbols that share the rarest ones with it, nearest first."""
    import numpy as np
    from scipy.sparse import csr_matrix

    count = len(new.traits)
    columns, weights = [], []
    numbers: dict[Key, int] = {}
    ends = [0]
    for key, found in new.by_key.items():
        is_rare = len(found) <= _MAX_SYMBOLS_OF_KEY.get(key[0], _MAX_SYMBOLS_OF_OTHER_KEYS)
        if is_rare and (key[0] != "scope" or key[1]):
            # Whole numbers make the sum independent of the order.
            weight = int(_NEARNESS[key[0]] * math.log((count + 1) / len(found)) ** 2)
            numbers[key] = len(numbers)
            columns += found
            weights += [weight] * len(found)
            ends.append(len(columns))
    by_key = csr_matrix(
        (np.array(weights, np.int64), np.array(columns, np.int64), np.array(ends)), shape=(len(numbers), count)
    )
    for start in range(0, len(wanted), _ROWS_AT_ONCE):
        token.check()
        rows = [[numbers[key] for key in keys if key in numbers] for keys in wanted[start : start + _ROWS_AT_ONCE]]
        firsts = np.cumsum([0, *map(len, rows)])
        keys = np.array([number for row in rows for number in row], np.int64)
        shared = csr_matrix((np.ones(len(keys), np.int64), keys, firsts), shape=(len(rows), len(numbers))) @ by_key
        for row in range(len(rows)):
            part = slice(shared.indptr[row], shared.indptr[row + 1])
            # By weight, then in the order of the release.
            order = np.lexsort((shared.indices[part], -shared.data[part]))[:most]
            yield shared.indices[part][order].tolist()
