"""The log odds of many pairs of symbols, from the signals of `similarity`.

Names, signatures, places and code recur in thousands of pairs. What signals depend on is a number for each symbol, and pairs are
two arrays: each group of signals is worked out once for each combination of numbers that occurs, and its odds are spread to the
pairs.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Sequence
from typing import TYPE_CHECKING, Any, Literal, NamedTuple, TypeVar

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
    doc_text,
    is_called,
    is_of_argument,
    is_unfolded,
    kind_signals,
    member_signals,
    neighbour_signals,
    place_signals,
    scope_signal,
    signature_signals,
    swap_signals,
    value_of_moves,
)
from fernshale.core.drift.symbols import CONTAINER, Symbol

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Integers = NDArray[np.int64]
    Floats = NDArray[np.float64]
    Truths = NDArray[np.bool_]

_Found = TypeVar("_Found")
# Minimum log odds of a signal to be shown as evidence.
_MIN_ODDS_TO_SAY = 0.25


class WeighedPairs(NamedTuple):
    """Pairs of an old and a new symbol by their numbers, and their log odds, each of shape (pairs,)."""

    rows: Integers
    numbers: Integers
    odds: Floats


class _Names(NamedTuple):
    """What two names say, in any world; `is_unfolded`: one is the other with its class."""

    odds: float
    compared: NameComparison
    is_unfolded: bool


class PairWeigher:
    """Weighs pairs of two sides, in one world after another."""

    def __init__(self, old: Side, new: Side, table: WeightTable) -> None:
        self.old, self.new, self._table = old, new, table
        self._columns = _Columns(old.traits, new.traits)
        # Results by combination: of names, code and kinds for good, of signatures and places in the world in hand.
        self._names: dict[int, _Names] = {}
        self._unfolding: dict[int, _Names] = {}
        self._bodies: dict[int, float] = {}
        self._kinds: dict[int, float] = {}
        self._said_of_bodies: dict[tuple[int, int], list[Signal]] = {}

    def begin(self, world: World) -> None:
        """Weigh in another world: other scopes and types are mapped there."""
        self._world = world
        self._places = _Places(self._columns, self.old.traits, world)
        self._signatures: dict[int, float] = {}
        self._scopes: dict[int, float] = {}
        self._said: dict[tuple[int, int], list[Signal]] = {}

    def weigh(self, near: Sequence[Sequence[int]]) -> WeighedPairs:
        """The pairs of each old symbol with the new ones that are near, and the evidence that one replaces the other."""
        import numpy as np

        rows = np.repeat(np.arange(len(near), dtype=np.int64), [len(found) for found in near])
        numbers = np.fromiter((number for found in near for number in found), np.int64, len(rows))
        if not len(rows):
            return WeighedPairs(rows, numbers, np.zeros(0))
        pairs = _Pairs(rows, numbers)
        names, swap, is_unfolded = self._weigh_names(pairs)
        of_argument = self._find_of_argument(pairs)
        place = self._weigh_places(pairs, is_unfolded | of_argument)
        members = self._weigh_members(pairs, of_argument)
        odds = names + swap + place + members + self._weigh_bodies(pairs) + self._weigh_kinds(pairs)
        return WeighedPairs(rows, numbers, self._table.prior + (odds + self._weigh_neighbours(pairs)))

    def words(self, row: int, number: int) -> tuple[str, ...]:
        """The evidence for a pair in words, strongest first."""
        old, new, world = self.old.traits[row], self.new.traits[number], self._world
        one, other = self._columns.old, self._columns.new
        compared = compare_names(old.symbol, new.symbol, world)
        signals = [*compared.signals, *swap_signals(compared, world), *place_signals(old, new.symbol, world)]
        signals += neighbour_signals(old, new, world)
        if one.is_container[row]:
            signals += member_signals(old, new, world)
        elif is_of_argument(old, new.symbol):
            signals += signature_signals(old, new, world)
        else:
            key = int(one.signatures[row]), int(other.signatures[number])
            signals += self._said.get(key) or self._said.setdefault(key, signature_signals(old, new, world))
        bodies = int(one.bodies[row]), int(other.bodies[number])
        signals += self._said_of_bodies.get(bodies) or self._said_of_bodies.setdefault(bodies, body_signals(old, new))
        said = [(self._table.weights[name] * value, words) for name, value, words in signals if words]
        said = [item for item in said if item[0] > _MIN_ODDS_TO_SAY]
        return tuple(words for _, words in sorted(said, key=lambda item: -item[0]))

    def _traits(self, pairs: _Pairs, at: int) -> tuple[Traits, Traits]:
        return self.old.traits[pairs.rows[at]], self.new.traits[pairs.numbers[at]]

    def _weigh_names(self, pairs: _Pairs) -> tuple[Floats, Floats, Truths]:
        import numpy as np

        columns = self._columns
        is_inner = columns.old.is_inner[pairs.rows] | columns.new.is_inner[pairs.numbers]
        unfolds = columns.unfolds[columns.old.kinds[pairs.rows], columns.new.kinds[pairs.numbers]]
        names, swap = np.zeros(len(pairs.rows)), np.zeros(len(pairs.rows))
        unfolded = np.zeros(len(pairs.rows), np.bool_)

        def compare(at: int) -> _Names:
            one, other = (trait.symbol for trait in self._traits(pairs, at))
            compared = compare_names(one, other, self._world)
            is_one = is_unfolded(one, other) or is_unfolded(other, one)
            return _Names(self._odds(compared.signals), compared, is_one)

        for mask, ours, theirs, more, kept in (
            (~unfolds, columns.old.names, columns.new.names, is_inner, self._names),
            (unfolds, columns.old.full_names, columns.new.full_names, None, self._unfolding),
        ):
            places = np.flatnonzero(mask)
            keys = _combined(ours[pairs.rows[places]], theirs[pairs.numbers[places]])
            if more is not None:
                keys = keys * 2 + more[places]
            found, which = _by_key(keys, kept, lambda at, places=places: compare(places[at]))  # type: ignore[misc]
            names[places] = np.array([item.odds for item in found])[which] if found else 0.0
            together = [self._odds(swap_signals(item.compared, self._world)) for item in found]
            swap[places] = np.array(together)[which] if found else 0.0
            unfolded[places] = np.array([item.is_unfolded for item in found], np.bool_)[which] if found else False
        return names, swap, unfolded

    def _find_of_argument(self, pairs: _Pairs) -> Truths:
        """Which functions became a method of one of their arguments."""
        import numpy as np

        columns = self._columns
        result = np.zeros(len(pairs.rows), np.bool_)
        places = np.flatnonzero(columns.old.has_arguments[pairs.rows] & columns.new.is_owned_method[pairs.numbers])
        keys = _combined(columns.old.arguments[pairs.rows[places]], columns.new.owners[pairs.numbers[places]])

        def find(at: int) -> float:
            old, new = self._traits(pairs, places[at])
            return float(is_of_argument(old, new.symbol))

        result[places] = _spread(keys, {}, find) > 0
        return result

    def _weigh_places(self, pairs: _Pairs, is_special: Truths) -> Floats:
        """What scopes and files say. `is_special`: the scopes alone do not decide."""
        import numpy as np

        weights, columns, places = self._table.weights, self._columns, self._places
        scopes, there = places.scopes[pairs.rows], columns.new.scopes[pairs.numbers]
        is_same = scopes == there
        odds = np.where(columns.new.has_scope[pairs.numbers], weights["same scope"], weights["both without a scope"])
        odds[~is_same] = 0.0

        def weigh(at: int) -> float:
            old, new = self._traits(pairs, at)
            signal = scope_signal(old, new.symbol, self._world.scope_of(old.symbol.scope), self._world)
            return self._odds([signal]) if signal is not None else 0.0

        for at in np.flatnonzero(~is_same & is_special).tolist():
            odds[at] = weigh(at)
        rest = np.flatnonzero(~is_same & ~is_special)
        is_name = columns.old.names[pairs.rows[rest]] == columns.new.names[pairs.numbers[rest]]
        kinds = is_name * 2 + columns.old.is_inner[pairs.rows[rest]]
        keys = _combined(scopes[rest], there[rest]) * 4 + kinds
        odds[rest] = _spread(keys, self._scopes, lambda at: weigh(rest[at]))
        is_sole = places.sole[pairs.rows] == columns.new.paths[pairs.numbers]
        sole = np.where(columns.old.is_callable[pairs.rows], weights["sole function"], weights["sole symbol"])
        odds = odds + np.where(is_sole, sole, 0.0)
        is_file = places.files[pairs.rows] == columns.new.files[pairs.numbers]
        odds = odds + np.where(is_file, weights["same file"], 0.0)
        odds = odds + weights["others went to its scope"] * self._value_of_moves(pairs, "scopes", ~is_same)
        result: Floats = odds + weights["others went to its file"] * self._value_of_moves(pairs, "files", ~is_file)
        return result

    def _value_of_moves(self, pairs: _Pairs, of: Literal["scopes", "files"], is_other: Truths) -> Floats:
        """How much it says of each pair that others went from the place of the old symbol to that of the new one."""
        import numpy as np

        columns = self._columns
        values = np.zeros(len(pairs.rows))
        rest = np.flatnonzero(is_other)
        ours, theirs = getattr(columns.old, of)[pairs.rows[rest]], getattr(columns.new, of)[pairs.numbers[rest]]
        is_chosen = self._places.chosen[pairs.rows[rest]] == columns.new.paths[pairs.numbers[rest]]

        def weigh(at: int) -> float:
            old, new = (trait.symbol for trait in self._traits(pairs, rest[at]))
            place = (old.scope, new.scope) if of == "scopes" else (old.file, new.file)
            others = self._world.moves.get(place, 0) - int(is_chosen[at])
            return value_of_moves(others) if others > 0 else 0.0

        values[rest] = _spread(_combined(ours, theirs) * 2 + is_chosen, {}, weigh)
        return values

    def _weigh_members(self, pairs: _Pairs, of_argument: Truths) -> Floats:
        import numpy as np

        columns = self._columns
        odds = np.zeros(len(pairs.rows))
        is_container = columns.old.is_container[pairs.rows]
        for at in np.flatnonzero(is_container).tolist():
            odds[at] = self._odds(member_signals(*self._traits(pairs, at), self._world))

        def weigh(at: int) -> float:
            return self._odds(signature_signals(*self._traits(pairs, at), self._world))

        for at in np.flatnonzero(~is_container & of_argument).tolist():  # the owner counts as well
            odds[at] = weigh(at)
        rest = np.flatnonzero(~is_container & ~of_argument)
        keys = _combined(columns.old.signatures[pairs.rows[rest]], columns.new.signatures[pairs.numbers[rest]])
        odds[rest] = _spread(keys, self._signatures, lambda at: weigh(rest[at]))
        return odds

    def _weigh_bodies(self, pairs: _Pairs) -> Floats:
        keys = _combined(self._columns.old.bodies[pairs.rows], self._columns.new.bodies[pairs.numbers])
        return _spread(keys, self._bodies, lambda at: self._odds(body_signals(*self._traits(pairs, at))))

    def _weigh_kinds(self, pairs: _Pairs) -> Floats:
        keys = _combined(self._columns.old.ways[pairs.rows], self._columns.new.ways[pairs.numbers])

        def weigh(at: int) -> float:
            old, new = self._traits(pairs, at)
            return self._odds(kind_signals(old.symbol, new.symbol))

        return _spread(keys, self._kinds, weigh)

    def _weigh_neighbours(self, pairs: _Pairs) -> Floats:
        """What the symbols before and after them in their files say."""
        import numpy as np

        weights, old, new, places = self._table.weights, self._columns.old, self._columns.new, self._places
        rows, numbers = pairs.rows, pairs.numbers
        is_before = old.has_before[rows] & (places.before[rows] == new.before[numbers])
        is_after = old.has_after[rows] & (places.after[rows] == new.after[numbers])
        odds = weights["same neighbour"] * is_before + weights["same neighbour"] * is_after
        # At an end of the list, there is no neighbour on either side.
        is_first, is_last = (
            ~old.has_before[rows] & ~new.has_before[numbers],
            ~old.has_after[rows] & ~new.has_after[numbers],
        )
        is_sole = old.is_enumerator[rows] & (places.sole[rows] == new.paths[numbers])
        is_at_its_place = is_sole & (is_before | is_first) & (is_after | is_last)
        result: Floats = odds + np.where(is_at_its_place, weights["sole value at its place"], 0.0)
        return result

    def _odds(self, signals: Iterable[Signal]) -> float:
        weights = self._table.weights
        return sum((weights[name] * value for name, value, _ in signals), 0.0)


class _Pairs(NamedTuple):
    rows: Integers
    numbers: Integers


class _Numbers:
    """Numbers for values, the same for equal ones."""

    def __init__(self) -> None:
        self._of: dict[Hashable, int] = {}

    def of(self, value: Hashable) -> int:
        return self._of.setdefault(value, len(self._of))

    def all(self, values: Iterable[Hashable]) -> Integers:
        import numpy as np

        return np.fromiter(map(self.of, values), np.int64)


class _Side:
    """What signals depend on, for each symbol of a side: numbers that both sides share, and truths. Arrays of shape (symbols,)."""

    def __init__(self, traits: Sequence[Traits], numbers: _Shared) -> None:
        import numpy as np

        symbols = [trait.symbol for trait in traits]

        def truths(of: Callable[[Symbol], bool]) -> Truths:
            return np.fromiter(map(of, symbols), np.bool_, len(symbols))

        self.names = numbers.names.all(item.name for item in symbols)
        self.full_names = numbers.full_names.all((item.name, item.kind, item.scope[-1:]) for item in symbols)
        self.kinds = numbers.kinds.all(item.kind for item in symbols)
        self.ways = self.kinds * 2 + truths(is_called)
        self.scopes = numbers.scopes.all(item.scope for item in symbols)
        self.owners = numbers.owners.all(item.scope[-1:] for item in symbols)
        self.files = numbers.files.all(item.file for item in symbols)
        self.paths = numbers.paths.all(item.path for item in symbols)
        self.arguments = numbers.arguments.all(trait.argument_types for trait in traits)
        self.signatures = numbers.signatures.all(trait.signature for trait in traits)
        self.bodies = numbers.bodies.all(map(_body_of, symbols))
        self.before = numbers.names.all(trait.before for trait in traits)
        self.after = numbers.names.all(trait.after for trait in traits)
        self.has_before = np.fromiter((bool(trait.before) for trait in traits), np.bool_, len(traits))
        self.has_after = np.fromiter((bool(trait.after) for trait in traits), np.bool_, len(traits))
        self.has_arguments = np.fromiter((bool(trait.argument_types) for trait in traits), np.bool_, len(traits))
        self.has_scope = truths(lambda item: bool(item.scope))
        self.is_inner = truths(lambda item: item.kind in INNER)
        self.is_callable = truths(lambda item: item.is_callable)
        self.is_container = truths(lambda item: item.kind in CONTAINER)
        self.is_enumerator = truths(lambda item: item.kind == "enumerator")
        self.is_owned_method = truths(lambda item: item.kind == "method" and bool(item.scope))


class _Shared:
    """The numbers of values that both sides share."""

    def __init__(self) -> None:
        self.names, self.full_names, self.kinds, self.scopes = _Numbers(), _Numbers(), _Numbers(), _Numbers()
        self.owners, self.files, self.paths, self.arguments = _Numbers(), _Numbers(), _Numbers(), _Numbers()
        self.signatures, self.bodies = _Numbers(), _Numbers()


class _Columns:
    """Both sides as numbers. `unfolds[kind, kind]`: symbols of these kinds can be a name, and a class and its member."""

    def __init__(self, old: Sequence[Traits], new: Sequence[Traits]) -> None:
        import numpy as np

        self.numbers = _Shared()
        self.old, self.new = _Side(old, self.numbers), _Side(new, self.numbers)
        among = [(self.numbers.kinds.of(one), self.numbers.kinds.of(other)) for one, other in UNFOLDING]
        count = 1 + max(
            max(pair) for pair in (*among, *((int(n), 0) for side in (self.old, self.new) for n in side.kinds))
        )
        self.unfolds = np.zeros((count, count), np.bool_)
        for one, other in among:
            self.unfolds[one, other] = self.unfolds[other, one] = True


class _Places:
    """The scopes, files and neighbours of the old symbols in a world, by the numbers of the new side. `sole` is the only path that
    came where the symbol went, `chosen` the one that it was matched with, -1 without one."""

    def __init__(self, columns: _Columns, traits: Sequence[Traits], world: World) -> None:
        import numpy as np

        numbers = columns.numbers
        scope = _once(lambda scope: numbers.scopes.of(world.scope_of(scope)))
        file = _once(lambda file: numbers.files.of(world.file_of(file)))
        paired = _once(lambda name: numbers.names.of(world.paired.get(name, "")))
        sole: dict[Hashable, int] = {old: numbers.paths.of(new) for old, new in world.sole}

        def column(values: Iterable[int]) -> Integers:
            return np.fromiter(values, np.int64, len(traits))

        self.scopes = column(scope(trait.symbol.scope) for trait in traits)
        self.files = column(file(trait.symbol.file) for trait in traits)
        self.before = column(paired(trait.before) for trait in traits)
        self.after = column(paired(trait.after) for trait in traits)
        self.sole = column(sole.get(trait.symbol.path, -1) for trait in traits)
        chosen = {old: numbers.paths.of(new) for old, new in world.chosen.items()}
        self.chosen = column(chosen.get(trait.symbol.path, -1) for trait in traits)


def _once(work: Callable[[Any], int]) -> Callable[[Any], int]:
    known: dict[Any, int] = {}

    def get(value: Any) -> int:
        found = known.get(value)
        if found is None:
            found = known[value] = work(value)
        return found

    return get


def _body_of(symbol: Symbol) -> Hashable:
    """All that `body_signals` uses of a symbol."""
    return symbol.words, symbol.name if symbol.name in symbol.words else "", doc_text(symbol)


def _combined(ours: Integers, theirs: Integers) -> Integers:
    """One number for each combination of two."""
    return ours * _FAR + theirs


# More than there are numbers of anything; its square times a few fits into 63 bits.
_FAR = 1 << 28


def _spread(keys: Integers, kept: dict[int, float], work: Callable[[int], float]) -> Floats:
    """The value of each key, worked out once for each that occurs; see `_by_key`."""
    import numpy as np

    found, which = _by_key(keys, kept, work)
    values: Floats = np.array(found, np.float64)
    return values[which]


def _by_key(keys: Integers, kept: dict[int, _Found], work: Callable[[int], _Found]) -> tuple[list[_Found], Integers]:
    """The results of the keys that occur, and for each place which of them is its own. `work` gets one place of each new key."""
    import numpy as np

    unique, first, which = np.unique(keys, return_index=True, return_inverse=True)
    found = []
    for key, at in zip(unique.tolist(), first.tolist(), strict=True):
        known = kept.get(key)
        if known is None:
            known = kept[key] = work(at)
        found.append(known)
    return found, which
