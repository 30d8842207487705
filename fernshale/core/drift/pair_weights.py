"""The log odds of many pairs of symbols, from the signals of `similarity`.

Names, signatures and pairs of scopes recur in thousands of pairs, and code and documentation are the same in the next pass. What
such signals add to the odds is worked out once; the rest, about scopes, files and neighbours, is a few look-ups for each pair.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping, Sequence
from typing import NamedTuple

from fernshale.core.drift.candidate_search import Side
from fernshale.core.drift.signal_weights import WeightTable
from fernshale.core.drift.similarity import (
    INNER,
    UNFOLDING,
    NameComparison,
    Signal,
    Traits,
    World,
    body_signals,
    compare_names,
    is_called,
    is_of_argument,
    kind_signals,
    member_signals,
    neighbour_signals,
    place_signals,
    signature_signals,
    swap_signals,
)
from fernshale.core.drift.symbols import CONTAINER

# Minimum log odds of a signal to be shown as evidence.
_MIN_ODDS_TO_SAY = 0.25


class _Part(NamedTuple):
    """What some signals add to the log odds, and the words of those that speak for the pair, with their odds."""

    odds: float
    said: tuple[tuple[float, str], ...] = ()


class PairEvidence(NamedTuple):
    """The log odds of a pair, and the parts that they are made of."""

    odds: float
    parts: tuple[_Part, ...]

    @property
    def words(self) -> tuple[str, ...]:
        """The evidence in words, strongest first. Worked out when it is asked for: few of the pairs are shown."""
        said = [item for part in self.parts for item in part.said]
        return tuple(words for _, words in sorted(said, key=lambda item: -item[0]))


class PairWeigher:
    """Weighs pairs of two sides, in one world after another."""

    def __init__(self, old: Side, new: Side, table: WeightTable) -> None:
        self.old, self.new, self._table = old, new, table
        self._names: dict[Hashable, tuple[_Part, NameComparison]] = {}
        self._bodies: dict[tuple[int, int], _Part] = {}
        self._kinds: dict[tuple[str, str, bool], _Part] = {}
        numbers: dict[Hashable, int] = {}
        self._old_signatures, self._new_signatures = (
            [numbers.setdefault(trait.signature, len(numbers)) for trait in traits]
            for traits in (old.traits, new.traits)
        )
        self._signatures: dict[Hashable, _Part] = {}
        self._scopes: dict[Hashable, _Part] = {}

    def begin(self, world: World) -> None:
        """Weigh in another world: other scopes and types are mapped there."""
        self._world = world
        self._signatures.clear()
        self._scopes.clear()

    def weigh(self, row: int, near: Iterable[int]) -> dict[int, PairEvidence]:
        """The evidence that each of some new symbols replaces an old one; all by their numbers."""
        return {number: self._evidence(row, number) for number in near}

    def _evidence(self, row: int, number: int) -> PairEvidence:
        old, new = self.old.traits[row], self.new.traits[number]
        names, swap = self._weigh_names(old, new)
        place = self._weigh_place(old, new)
        members = self._weigh_members(row, number, old, new)
        bodies = self._weigh_bodies(row, number, old, new)
        kinds = self._weigh_kinds(old, new)
        near = self._part(neighbour_signals(old, new, self._world))
        odds = names.odds + swap.odds + place.odds + members.odds + bodies.odds + kinds.odds + near.odds
        return PairEvidence(self._table.prior + odds, (names, swap, place, members, bodies, kinds, near))

    def _weigh_names(self, old: Traits, new: Traits) -> tuple[_Part, _Part]:
        one, other = old.symbol, new.symbol
        key: tuple[Hashable, ...] = (one.name, other.name, one.kind in INNER or other.kind in INNER)
        if (one.kind, other.kind) in UNFOLDING or (other.kind, one.kind) in UNFOLDING:
            key += (one.kind, other.kind, one.scope[-1:], other.scope[-1:])
        known = self._names.get(key)
        if known is None:
            compared = compare_names(one, other, self._world)
            known = self._names[key] = self._part(compared.signals), compared
        return known[0], self._part(swap_signals(known[1], self._world))

    def _weigh_place(self, old: Traits, new: Traits) -> _Part:
        one, other = old.symbol, new.symbol
        is_sole = (one.path, other.path) in self._world.sole
        if is_sole or other.scope != self._world.scope_of(one.scope):
            return self._part(place_signals(old, other, self._world))
        # In the same scope, only the scope and the files count.
        key = other.scope, one.file, other.file
        known = self._scopes.get(key)
        if known is None:
            known = self._scopes[key] = self._part(place_signals(old, other, self._world))
        return known

    def _weigh_members(self, row: int, number: int, old: Traits, new: Traits) -> _Part:
        if old.symbol.kind in CONTAINER:
            return self._part(member_signals(old, new, self._world))
        key: Hashable = self._old_signatures[row], self._new_signatures[number]
        if is_of_argument(old, new.symbol):
            key = key, new.symbol.scope[-1]
        known = self._signatures.get(key)
        if known is None:
            known = self._signatures[key] = self._part(signature_signals(old, new, self._world))
        return known

    def _weigh_bodies(self, row: int, number: int, old: Traits, new: Traits) -> _Part:
        known = self._bodies.get((row, number))
        if known is None:
            known = self._bodies[row, number] = self._part(body_signals(old, new))
        return known

    def _weigh_kinds(self, old: Traits, new: Traits) -> _Part:
        key = old.symbol.kind, new.symbol.kind, is_called(old.symbol) == is_called(new.symbol)
        known = self._kinds.get(key)
        if known is None:
            known = self._kinds[key] = self._part(kind_signals(old.symbol, new.symbol))
        return known

    def _part(self, signals: Sequence[Signal]) -> _Part:
        if not signals:
            return _NOTHING
        weights: Mapping[str, float] = self._table.weights
        odds, said = 0.0, []
        for name, value, words in signals:
            part = weights[name] * value
            odds += part
            if words and part > _MIN_ODDS_TO_SAY:
                said.append((part, words))
        return _Part(odds, tuple(said))


_NOTHING = _Part(0.0)
