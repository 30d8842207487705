"""Match symbols removed from a release to added ones: candidates by similarity, the best overall by assignment.

First containers (classes, enums), then their members and free symbols, with the scopes mapped so far; a second pass uses parts
of names that were renamed together. Only pairs that share a feature (a scope, a rare part of the name, a file, words of the
body) are compared, so the work grows with the number of symbols, not of pairs. Method: sparse minimum-cost assignment (Jonker
and Volgenant, 1987) over log odds, per connected block.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from fernshale.core.base.confidence import CALLED_TWIN, MEMBERS_AND_USES_OF_OTHER, MEMBERS_OF_OTHER, SWAPPED_PART, TWIN
from fernshale.core.base.texts import english
from fernshale.core.base.work import CancelToken
from fernshale.core.drift.candidate_search import Side, keys_of, nearest_symbols
from fernshale.core.drift.members import Members, neighbour_names
from fernshale.core.drift.names.name_parts import Rarity, changed_parts, parts_of, words_of_text
from fernshale.core.drift.pair_weights import PairWeigher, WeighedPairs
from fernshale.core.drift.signal_weights import WeightTable, fitted_weights
from fernshale.core.drift.similarity import (
    INNER,
    Signal,
    Swap,
    World,
    doc_text,
    find_signals,
    swapped_words,
)
from fernshale.core.drift.symbols import CONTAINER, Symbol
from fernshale.core.drift.type_exchange import TypeExchange, names_in_type, type_names

if TYPE_CHECKING:
    from fernshale.core.drift.pair_weights import Floats, Integers

Path = tuple[str, ...]
ByPath = Mapping[Path, Sequence[Symbol]]
# Called with each weighed pair, old and new, and its signals.
Observer = Callable[[Symbol, Symbol, Sequence[Signal]], None]
# Maximum number of candidates to weigh in full; `_MAX_CANDIDATES` is the maximum to return.
_MAX_WEIGHED = 60
# A release in which everything changed is not weighed pair by pair for minutes: fewer candidates each then.
_MAX_PAIRS = 100_000
_MIN_WEIGHED = 16
_MAX_CANDIDATES = 5
# Of a longer part of a name, the rest without the first letter is looked for as well: `hpaned` and `paned`.
_MIN_PART = 5
# So many names from one place make another one worth looking into, and so many such places.
_MIN_MOVES = 2
_MAX_MOVES = 3
# How many names must have lost or gained the same part, so that another name is changed by it.
_MIN_SWAPS = 3
# So many members, and declarations, make a type that stayed the successor of one that went.
_MIN_MOVED = 2
# With fewer parameters, two functions that take the same ones may have nothing in common.
_MIN_TWIN_PARAMETERS = 2
# Minimum probability of a candidate whose scope and parts are followed.
_MIN_PROBABLE = 0.5
_MIN_SAME_CLASS = 0.4
# Minimum score of a candidate to be listed.
_MIN_SCORE = 0.003
# Minimum probability of a candidate to be returned.
_MIN_CHANCE = 0.002
# Blocks of the assignment with at most so many cells are solved as a whole table.
_MAX_DENSE = 250_000
# How often a new symbol that another old one has the better claim on took in this one, too.
_SHARE_OF_TAKEN = 0.35


@dataclass(frozen=True, slots=True)
class ReleaseSides:
    """All symbols of two releases, used to find common and rare features, and those that only one of them has."""

    old: Sequence[Symbol]
    new: Sequence[Symbol]
    gone: Sequence[Symbol]
    fresh: Sequence[Symbol]


def sides_of(olds: ByPath, news: ByPath) -> ReleaseSides:
    """The two sides of a comparison, from all symbols by path. Constructors go with their classes."""
    gone, fresh = (
        [
            main_declaration(group)
            for path, group in mine.items()
            if path not in others and group[0].kind != "constructor"
        ]
        for mine, others in ((olds, news), (news, olds))
    )
    old, new = ([item for group in side.values() for item in group] for side in (olds, news))
    return ReleaseSides(old, new, gone, fresh)


def main_declaration(group: Sequence[Symbol]) -> Symbol:
    """Of symbols of one path the one that is declared there: a function or type rather than a value or field of its name."""
    return max(group, key=lambda item: item.is_callable or item.kind in CONTAINER)


def declared_by_path(symbols: Iterable[Symbol]) -> dict[Path, list[Symbol]]:
    """Symbols by their paths; those of one path are overloads, or a declaration and its value."""
    groups: dict[Path, list[Symbol]] = defaultdict(list)
    for item in symbols:
        groups[item.path].append(item)
    return groups


@dataclass(frozen=True, slots=True)
class Probe:
    """Other weights to match with, and a function that is called with each pair of the last pass."""

    table: WeightTable
    observe: Observer


@dataclass(frozen=True, slots=True)
class SymbolCandidate:
    """A possible replacement of an old symbol. `score` is its probability, 0..1, given all other candidates. `written` is the
    text to write in place of the old name, if it is not just the new name.

    `signatures` are a function's parameters, see `fix.call_acceptance`. `holder` is the path of its outermost class. `call` is
    what to write in place of a call of the old function, where the release's own code shows it (see `stated.passed_on`), and
    `imports` the line that imports a name in it from elsewhere.
    """

    symbol: Symbol
    score: float
    evidence: tuple[str, ...]
    written: str = ""
    signatures: tuple[str, ...] = ()
    holder: tuple[str, ...] = ()
    call: str = ""
    imports: str = ""


@dataclass(frozen=True)
class Matches:
    """Candidates by the old symbol's path, best first; `chosen` are the pairs of the assignment. `reach` are the names of all
    members of a class of the old release, including inherited ones."""

    candidates: Mapping[Path, tuple[SymbolCandidate, ...]]
    chosen: Mapping[Path, Symbol]
    scopes: Mapping[Path, Path]
    types: Mapping[str, str]
    reach: Callable[[Path], frozenset[str]]

    def scope_of(self, scope: Path) -> Path:
        """Where an old scope went."""
        return _mapped(scope, self.scopes)

    def likelihood_of(self, scope: Path) -> float:
        """Return the probability that an old scope became `scope_of` it: the minimum over the enclosing scopes, 0..1."""
        parts = (scope[:depth] for depth in range(1, len(scope) + 1))
        return min(
            (
                item.score
                for part in parts
                for item in self.candidates.get(part, ())
                if item.symbol.path == self.scopes.get(part)
            ),
            default=1.0,
        )


def match_symbols(
    sides: ReleaseSides,
    moved_files: Mapping[str, str],
    token: CancelToken,
    probe: Probe | None = None,
    renamed: Mapping[Path, Symbol] | None = None,
) -> Matches:
    """Return candidates for each removed symbol among the added ones.

    `renamed` are the new symbols for paths that the new release keeps as other names for them. `probe` is for calibration.
    """
    table, observe = (probe.table, probe.observe) if probe else (fitted_weights(), None)
    gone, fresh = sides.gone, sides.fresh
    work = _Work(sides.old, sides.new, moved_files, table, renamed or {})
    work.learn({})
    containers = Side(
        [item for item in gone if item.kind in CONTAINER], work.words, work.docs, work.old_members, work.old_order
    )
    into = Side(
        [item for item in fresh if item.kind in CONTAINER], work.words, work.docs, work.new_members, work.new_order
    )
    by_container = PairWeigher(containers, into, table)
    first = work.match(by_container, token)
    work.learn(first)
    rest = [
        item for item in gone if item.kind not in CONTAINER and _mapped(item.path, work.scopes) not in work.new_paths
    ]
    taken = {_mapped(item.path, work.scopes) for item in gone}
    given = {item.path for item in work.chosen.values()}
    # A function may have become a class that is called like one.
    free = [item for item in fresh if item.path not in taken and (item.kind not in CONTAINER or item.path not in given)]
    members = Side(rest, work.words, work.docs, work.old_members, work.old_order)
    onto = Side(free, work.words, work.docs, work.new_members, work.new_order)
    by_member = PairWeigher(members, onto, table)
    work.learn({**first, **work.match(by_member, token)})
    # Twice: the second pass knows the parts that were renamed together.
    second = {
        **work.match(by_container, token, observe, with_evidence=True),
        **work.match(by_member, token, observe, with_evidence=True),
    }
    second = work.calibrated(second)
    work.learn(second)
    second = work.with_kept_types(gone, second)
    second = work.with_twins(gone, work.with_swapped(gone, second))
    return Matches(second, dict(work.chosen), dict(work.scopes), dict(work.types), work.old_members.reach)


@dataclass
class _Work:
    """Knowledge gained while matching; one pass learns for the next."""

    old: Sequence[Symbol]
    new: Sequence[Symbol]
    moved_files: Mapping[str, str]
    table: WeightTable
    renamed: Mapping[Path, Symbol] = field(default_factory=dict)
    scopes: dict[Path, Path] = field(default_factory=dict)
    types: dict[str, str] = field(default_factory=dict)
    swaps: Counter[Swap] = field(default_factory=Counter)
    chosen: dict[Path, Symbol] = field(default_factory=dict)
    paired: dict[str, str] = field(default_factory=dict)
    exchanged: Counter[tuple[str, str]] = field(default_factory=Counter)
    moves: Counter[tuple[object, object]] = field(default_factory=Counter)

    def __post_init__(self) -> None:
        self.names = Rarity(item.name for item in (*self.old, *self.new))
        self.words = Rarity(word for item in (*self.old, *self.new) for word in item.words)
        self.docs = Rarity({doc_text(item) for item in (*self.old, *self.new)}, words_of_text)
        self.new_paths = {item.path for item in self.new if not item.is_hidden}
        self.stayed = Counter(path[:-1] for path in {item.path for item in self.old} & self.new_paths)
        self.old_members, self.new_members = Members(self.old), Members(self.new)
        self.old_order, self.new_order = neighbour_names(self.old), neighbour_names(self.new)
        self.paired = {item.name: item.name for item in self.old}
        self.unique = _once(self.old) & _once(self.new)
        self.exchange = TypeExchange(self.old, self.new)
        self.files = {item.path: item.file for item in self.old}
        there = {item.path: item.file for item in self.new}
        both = ((file, there[path]) for path, file in self.files.items() if path in there)
        self.stayed_elsewhere = Counter(pair for pair in both if pair[0] != pair[1])

    @property
    def world(self) -> World:
        scopes, types, files = self.scopes, self.types, self.moved_files
        return World(
            self.names, self.words, lambda scope: _mapped(scope, scopes), lambda type_: types.get(type_, type_),
            lambda file: files.get(file, file), self.swaps, self.paired, self.unique,
            bases_of=self.new_members.line, exchanged=self.exchanged, moves=self.moves,
            chosen={path: symbol.path for path, symbol in self.chosen.items()},
        )  # fmt: skip

    def match(
        self, weigher: PairWeigher, token: CancelToken, observe: Observer | None = None, *, with_evidence: bool = False
    ) -> dict[Path, tuple[SymbolCandidate, ...]]:
        """The candidates of each old symbol of a weigher, best first. `with_evidence`: with the reasons in words."""
        old, new = weigher.old, weigher.new
        world = replace(self.world, sole=_sole(old, new, self.scopes))
        successors: dict[str, list[str]] = defaultdict(list)
        for was, becomes in self.exchanged:
            successors[was].append(becomes)
        moved = self._moved_to()
        most = max(_MIN_WEIGHED, min(_MAX_WEIGHED, _MAX_PAIRS // max(1, len(old.traits))))
        wanted = [
            keys_of(trait.symbol, world.scope_of(trait.symbol.scope), world.file_of(trait.symbol.file), trait.reach)
            | {("type", world.type_of(name)) for name in type_names(trait.symbol)}
            | {("owner", name) for item in trait.symbol.parameters for name in names_in_type(item.type)}
            | {("name", "".join(parts_of(name))) for name in successors.get(trait.symbol.name, ())}
            | {("scope", place) for place in moved.get(trait.symbol.scope, ())}
            | {("file", place) for place in moved.get(trait.symbol.file, ())}
            | {("part", part[1:]) for part in parts_of(trait.symbol.name) if len(part) > _MIN_PART}
            for trait in old.traits
        ]
        weigher.begin(world)
        near = list(nearest_symbols(wanted, new, most, token))
        token.check()
        if observe is not None:
            for trait, numbers in zip(old.traits, near, strict=True):
                for other in (new.traits[number] for number in numbers):
                    observe(trait.symbol, other.symbol, find_signals(trait, other, world))
        pairs = weigher.weigh(near)
        token.check()
        return self._decide(weigher, pairs, with_evidence=with_evidence)

    def _decide(
        self, weigher: PairWeigher, pairs: WeighedPairs, *, with_evidence: bool
    ) -> dict[Path, tuple[SymbolCandidate, ...]]:
        """Scores against all rivals on either side, and the assignment."""
        import numpy as np

        old, new = weigher.old.traits, weigher.new.traits
        rows, numbers = pairs.rows, pairs.numbers
        weights = np.exp(np.minimum(30.0, pairs.odds))
        claims, whole = np.bincount(numbers, weights), 1.0 + np.bincount(rows, weights)
        # Several old symbols may have one successor, so a rival for the new one counts half; and a pair that is probable by
        # itself stays possible, however good its rival is.
        scores = np.maximum(
            weights / (whole[rows] + 0.5 * (claims[numbers] - weights)), _SHARE_OF_TAKEN * weights / whole[rows]
        )
        assigned = _assign(pairs)
        result: dict[Path, tuple[SymbolCandidate, ...]] = {trait.symbol.path: () for trait in old}
        possible = np.flatnonzero(scores >= _MIN_SCORE)
        listed: dict[int, list[tuple[bool, float, int]]] = defaultdict(list)
        for row, number, score in zip(
            rows[possible].tolist(), numbers[possible].tolist(), scores[possible].tolist(), strict=True
        ):
            listed[row].append((number != assigned.get(row) and score < 0.5, -score, number))
        for row, found in listed.items():
            result[old[row].symbol.path] = tuple(
                SymbolCandidate(
                    new[number].symbol, round(-score, 3), weigher.words(row, number) if with_evidence else ()
                )
                for _, score, number in sorted(found)[:_MAX_CANDIDATES]
            )
        return result

    def learn(self, found: Mapping[Path, tuple[SymbolCandidate, ...]]) -> None:
        """Learn from probable pairs: mapped scopes, and replaced parts of names."""
        probable = {
            path: listed[0].symbol for path, listed in found.items() if listed and _is_probable(path, listed[0])
        }
        self.chosen = {**self.renamed, **probable}
        self.swaps = Counter()
        for path, symbol in self.chosen.items():
            if path[-1] != symbol.name:
                self.swaps[changed_parts(path[-1], symbol.name)] += 1
                self.paired[path[-1]] = symbol.name
            if symbol.kind in CONTAINER:
                self.scopes[path] = symbol.path
                if path[-1] != symbol.name:
                    self.types[path[-1]] = symbol.name
        self._learn_scopes()
        self._learn_moves()
        self.exchanged = self.exchange.count(self.chosen)

    def with_swapped(
        self, gone: Sequence[Symbol], found: Mapping[Path, tuple[SymbolCandidate, ...]]
    ) -> dict[Path, tuple[SymbolCandidate, ...]]:
        """Add matches with existing symbols to old symbols without a probable successor: names that differ only by parts that
        were replaced elsewhere."""
        by_parts: dict[tuple[Path, str, frozenset[str]], Symbol] = {}
        for item in self.new:
            if not item.is_hidden:
                by_parts.setdefault((item.scope, item.kind, frozenset(parts_of(item.name))), item)
        often = [(swap, times) for swap, times in self.swaps.most_common() if times >= _MIN_SWAPS]
        result = dict(found)
        for symbol in gone:
            listed = result.get(symbol.path, ())
            # The signs of an operator are no part of its name.
            if (listed and listed[0].score >= SWAPPED_PART) or not symbol.name.isidentifier():
                continue
            parts = frozenset(parts_of(symbol.name))
            scopes = dict.fromkeys((_mapped(symbol.scope, self.scopes), symbol.scope))
            for (lost, come), times in often:
                if not parts.issuperset(lost):
                    continue
                there = (by_parts.get((scope, symbol.kind, parts.difference(lost).union(come))) for scope in scopes)
                other = next(
                    (item for item in there if item is not None and (lost or come or _is_same_word(item, symbol))), None
                )
                if other is not None:
                    rest = [
                        replace(item, score=round(item.score * (1 - SWAPPED_PART), 3))
                        for item in listed
                        if item.symbol != other
                    ]
                    why = swapped_words((lost, come), times) or english(
                        "{times} others are written in the same other way now", times=times
                    )
                    swapped = SymbolCandidate(other, SWAPPED_PART, (why,))
                    result[symbol.path] = (swapped, *rest)[:_MAX_CANDIDATES]
                    break
        return result

    def with_kept_types(
        self, gone: Sequence[Symbol], found: Mapping[Path, tuple[SymbolCandidate, ...]]
    ) -> dict[Path, tuple[SymbolCandidate, ...]]:
        """Add a type that stayed as candidate for a removed type without a probable successor: most members of the removed one are
        members of the other now. It is more certain if declarations use the other instead, too."""
        kept = {item.path: item for item in self.new if item.kind in CONTAINER and not item.is_hidden}
        into: dict[Path, Counter[Path]] = defaultdict(Counter)
        for path, symbol in self.chosen.items():
            if symbol.scope in kept and path[-1] == symbol.name:
                into[path[:-1]][symbol.scope] += 1
        uses = self.exchange.count(self.chosen, of_kept=True)
        result = dict(found)
        for symbol in gone:
            listed = result.get(symbol.path, ())
            homes = into.get(symbol.path)
            if symbol.kind not in CONTAINER or homes is None or (listed and listed[0].score >= MEMBERS_OF_OTHER):
                continue
            (home, times) = homes.most_common(1)[0]
            other, total = kept[home], len(self.old_members.own(symbol.path))
            if times < _MIN_MOVED or 2 * times <= total or other.name == symbol.name:
                continue
            used = uses[symbol.name, other.name]
            score = MEMBERS_AND_USES_OF_OTHER if used >= _MIN_MOVED else MEMBERS_OF_OTHER
            words = [
                english(
                    "{times} of its {total} members are members of {full} now",
                    times=times,
                    total=total,
                    full=other.full,
                )
            ]
            words += [english("{used} declarations have {name} instead", used=used, name=other.name)] if used else []
            rest = tuple(
                replace(item, score=round(item.score * (1 - score), 3)) for item in listed if item.symbol != other
            )
            result[symbol.path] = (SymbolCandidate(other, score, tuple(words)), *rest)[:_MAX_CANDIDATES]
            self.scopes[symbol.path], self.types[symbol.name] = other.path, other.name
            self.chosen[symbol.path] = other
        return result

    def with_twins(
        self, gone: Sequence[Symbol], found: Mapping[Path, tuple[SymbolCandidate, ...]]
    ) -> dict[Path, tuple[SymbolCandidate, ...]]:
        """Add existing functions as candidates for removed ones without a probable successor: in the same scope, with the same
        parameters and a similar name. A function that the removed one called gets a higher score."""
        old_paths = {item.path for item in self.old}
        stayed: dict[tuple[Path, tuple[str, ...]], list[Symbol]] = defaultdict(list)
        for item in self.new:
            if (
                item.is_callable
                and not item.is_hidden
                and item.path in old_paths
                and len(item.given) >= _MIN_TWIN_PARAMETERS
            ):
                stayed[item.scope, tuple(each.name for each in item.given)].append(item)
        result = dict(found)
        for symbol in gone:
            listed = result.get(symbol.path, ())
            if not symbol.is_callable or (listed and listed[0].score >= TWIN):
                continue
            key = _mapped(symbol.scope, self.scopes), tuple(each.name for each in symbol.given)
            ours = set(parts_of(symbol.name))
            alike = [item for item in stayed.get(key, ()) if _share_most_parts(ours, set(parts_of(item.name)))]
            if len(alike) != 1:
                continue
            (twin,) = alike
            score = CALLED_TWIN if twin.name in symbol.words else TWIN
            rest = tuple(
                replace(item, score=round(item.score * (1 - score), 3)) for item in listed if item.symbol != twin
            )
            more = (english("the old function called it"),) if score == CALLED_TWIN else ()
            words = (english("{name} takes the same arguments and existed before", name=twin.name), *more)
            result[symbol.path] = (SymbolCandidate(twin, score, words), *rest)[:_MAX_CANDIDATES]
        return result

    def calibrated(self, found: Mapping[Path, tuple[SymbolCandidate, ...]]) -> dict[Path, tuple[SymbolCandidate, ...]]:
        """The candidates with probabilities in place of scores, without those that are as good as impossible."""
        chance = self.table.probability_of
        judged = {
            path: tuple(replace(item, score=round(chance(item.score), 3)) for item in listed)
            for path, listed in found.items()
        }
        return {path: tuple(item for item in listed if item.score >= _MIN_CHANCE) for path, listed in judged.items()}

    def _moved_to(self) -> dict[object, list[object]]:
        """The scopes and files that several names of a scope or a file went to, by that one; not more than a few."""
        found: dict[object, list[object]] = defaultdict(list)
        for (was, now), times in self.moves.most_common():
            if times >= _MIN_MOVES and len(found[was]) < _MAX_MOVES:
                found[was].append(now)
        return found

    def _learn_moves(self) -> None:
        """Count what went from one scope or file to another one; names that stayed count for files as well."""
        self.moves = Counter[tuple[object, object]](self.stayed_elsewhere)
        for path, symbol in self.chosen.items():
            if path[:-1] != symbol.scope:
                self.moves[path[:-1], symbol.scope] += 1
            if (file := self.files.get(path)) is not None and file != symbol.file:
                self.moves[file, symbol.file] += 1

    def _learn_scopes(self) -> None:
        """A namespace or module of which most went to one other place went there, unless as much stayed."""
        homes: dict[Path, Counter[Path]] = defaultdict(Counter)
        for path, symbol in self.chosen.items():
            if path[:-1] and path[:-1] != symbol.scope:
                homes[path[:-1]][symbol.scope] += 1
        for scope, into in homes.items():
            best, times = into.most_common(1)[0]
            is_most = times >= 3 and times * 2 > sum(into.values()) + self.stayed[scope]
            if is_most and scope not in self.scopes:
                self.scopes.setdefault(scope, best)


def _assign(pairs: WeighedPairs) -> dict[int, int]:
    """Assign rows to columns with the maximum sum of log odds; pairs below a probability of one half are left out."""
    import numpy as np
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    likely = np.flatnonzero(pairs.odds > 0)
    if not len(likely):
        return {}
    rows, columns, gains = pairs.rows[likely], pairs.numbers[likely], pairs.odds[likely]
    height, width = int(rows.max()) + 1, int(columns.max()) + 1
    # Blocks without a pair between them are independent, and most of them are small.
    places = rows, height + columns
    graph = coo_matrix((np.ones(len(rows)), places), shape=(height + width, height + width))
    _, block = connected_components(graph, directed=False)
    order = np.argsort(block[rows], kind="stable")
    ends = np.flatnonzero(np.diff(block[rows][order], append=-1)) + 1
    assigned: dict[int, int] = {}
    for start, end in zip((0, *ends[:-1].tolist()), ends.tolist(), strict=True):
        at = order[start:end]
        if end == start + 1:
            assigned[int(rows[at[0]])] = int(columns[at[0]])
        else:
            assigned.update(_assign_block(rows[at], columns[at], gains[at]))
    return assigned


def _assign_block(rows: Integers, columns: Integers, gains: Floats) -> dict[int, int]:
    """Assign the rows of one connected block. Each may stay alone, at no gain."""
    import numpy as np
    from scipy.optimize import linear_sum_assignment
    from scipy.sparse import csr_matrix
    from scipy.sparse.csgraph import min_weight_full_bipartite_matching

    ours, row = np.unique(rows, return_inverse=True)
    theirs, column = np.unique(columns, return_inverse=True)
    height, width = len(ours), len(theirs)
    if height * width <= _MAX_DENSE:
        table = np.zeros((height, width))
        table[row, column] = gains
        found = linear_sum_assignment(table, maximize=True)
        return {int(ours[at]): int(theirs[to]) for at, to in zip(*found, strict=True) if table[at, to] > 0}
    alone = np.arange(height)  # a column of its own for each row
    places = np.concatenate((row, alone)), np.concatenate((column, width + alone))
    matrix = csr_matrix((np.concatenate((gains, np.full(height, 1e-6))), places), shape=(height, width + height))
    found = min_weight_full_bipartite_matching(matrix, maximize=True)
    return {int(ours[at]): int(theirs[to]) for at, to in zip(*found, strict=True) if to < width}


def _share_most_parts(one: set[str], other: set[str]) -> bool:
    return 2 * len(one & other) >= len(one | other)


def _is_same_word(one: Symbol, other: Symbol) -> bool:
    """Return whether two names are spelling variants of one."""
    return "".join(parts_of(one.name)) == "".join(parts_of(other.name))


def _once(symbols: Sequence[Symbol]) -> set[str]:
    """Return the names that exist only once outside classes."""
    paths = {item.path for item in symbols if item.kind not in INNER}
    counts = Counter(path[-1] for path in paths)
    return {name for name, times in counts.items() if times == 1}


def _sole(old: Side, new: Side, scopes: Mapping[Path, Path]) -> set[tuple[Path, Path]]:
    """Return the pairs of symbols that are the only ones of their kind removed from, and added to, one scope."""
    gone: dict[tuple[Path, str], list[Path]] = defaultdict(list)
    come: dict[tuple[Path, str], list[Path]] = defaultdict(list)
    for item in {trait.symbol.path: trait.symbol for trait in old.traits}.values():
        gone[_mapped(item.scope, scopes), item.kind].append(item.path)
    for item in {trait.symbol.path: trait.symbol for trait in new.traits}.values():
        come[item.scope, item.kind].append(item.path)
    pairs = ((paths, come.get(place, ())) for place, paths in gone.items() if place[0])
    return {(paths[0], others[0]) for paths, others in pairs if len(paths) == len(others) == 1}


def _is_probable(path: Path, best: SymbolCandidate) -> bool:
    """Whether a candidate is followed: a class of the same name elsewhere also where it is a little less probable than not, since
    nothing but its members can tell."""
    least = _MIN_SAME_CLASS if best.symbol.kind in CONTAINER and best.symbol.name == path[-1] else _MIN_PROBABLE
    return best.score >= least


def _mapped(path: Path, scopes: Mapping[Path, Path]) -> Path:
    """A path after its longest renamed beginning."""
    for end in range(len(path), 0, -1):
        if path[:end] in scopes:
            return (*scopes[path[:end]], *path[end:])
    return path
