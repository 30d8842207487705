"""Run the comparison over a library without its statements, and record what it answers and which signals it had."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

from calibrate.truths import Case, is_right
from fernshale.core.base.work import CancelToken
from fernshale.core.drift.matching import Probe, declared_by_path, match_symbols, sides_of
from fernshale.core.drift.names.name_parts import Rarity
from fernshale.core.drift.signal_weights import WeightTable
from fernshale.core.drift.similarity import Signal
from fernshale.core.drift.symbols import Symbol


@dataclass(frozen=True)
class Answer:
    """What the comparison proposes for one old name. `place` is the rank of the right one, 0 if it is not among them.
    `plain_place` is the rank among the most similar names alone. `scores` are those of all proposals, and whether they are
    right. `is_absent`: the successor was taken out, so that any proposal is wrong."""

    place: int
    plain_place: int
    scores: tuple[tuple[float, bool], ...]
    is_absent: bool


# Of each old name the weighed pairs: the signals, and whether it is the right one.
Pairs = tuple[tuple[tuple[tuple[str, float], ...], bool], ...]


@dataclass(frozen=True)
class Measured:
    """The answers for one library, and the pairs of each old name to fit with."""

    name: str
    language: str
    answers: tuple[Answer, ...]
    pairs: tuple[Pairs, ...]


def measure(name: str, language: str, case: Case, table: WeightTable) -> Measured:
    """Compare the two releases of a case, once as they are and once without the successors."""
    answers, pairs = _run(case, table, is_absent=False)
    targets = set(case.successors.values())
    without = replace(case, new=tuple(item for item in case.new if item.path not in targets))
    none, further = _run(without, table, is_absent=True)
    return Measured(name, language, (*answers, *none), (*pairs, *further))


def _run(case: Case, table: WeightTable, *, is_absent: bool) -> tuple[tuple[Answer, ...], tuple[Pairs, ...]]:
    olds, news = declared_by_path(case.old), declared_by_path(case.new)
    sides = sides_of(olds, news)
    seen: dict[tuple[str, ...], list[tuple[tuple[tuple[str, float], ...], bool]]] = defaultdict(list)

    def observe(old: Symbol, new: Symbol, signals: Sequence[Signal]) -> None:
        if old.path in case.successors:
            values = tuple((signal.name, signal.value) for signal in signals)
            seen[old.path].append((values, is_right(new.path, case.successors[old.path])))

    found = match_symbols(sides, {}, CancelToken(), Probe(table, observe))
    rarity = Rarity(item.name for item in (*case.old, *case.new))
    known = {item.path for item in sides.gone}
    there = {item.path for item in sides.fresh}
    answers = []
    for old, new in case.successors.items():
        if old not in known or (new not in there and not is_absent):
            continue
        candidates = found.candidates.get(old, ())
        names = [item.symbol.path for item in candidates]
        moved = found.scope_of(old)
        if moved != old and moved in news:
            names = [moved, *names]  # it moved with its class
        scores = tuple((item.score, is_right(item.symbol.path, new)) for item in candidates)
        plain = [] if is_absent else sorted(there, key=lambda path: -rarity.likeness(old[-1], path[-1]))[:3]
        answers.append(Answer(_place(names, new), _place(plain, new), scores, is_absent))
    return tuple(answers), tuple(tuple(listed) for listed in seen.values())


def _place(names: Sequence[tuple[str, ...]], right: tuple[str, ...]) -> int:
    return next((at for at, name in enumerate(names, 1) if is_right(name, right)), 0)
