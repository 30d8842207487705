"""The choice of plugin releases as an integer program, solved exactly.

There is a binary variable for each candidate, for "this plugin is left out", for "it is replaced by its successors" and for
"this set has that version". The goals are ordered: leave out as few plugins as possible, then minimise risk, then changes, then
age; each goal is optimised before the next (lexicographic optimisation). Solver: HiGHS through SciPy (Huangfu and Hall, 2018,
"Parallelizing the dual revised simplex method").

Contradicting demands are found by divide and conquer over groups of constraints (Junker, 2004,
"QUICKXPLAIN: Preferred Explanations and Relaxations for Over-Constrained Problems").
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from fernshale.core.base.release import is_release, parse_release
from fernshale.core.route.candidates import CandidateTable, PluginCandidate, accepts
from fernshale.core.route.shelf import Shelf

if TYPE_CHECKING:
    import numpy as np

DemandKind = Literal["gets a release", "accepts", "needs", "in step"]


@dataclass(frozen=True, slots=True, order=True)
class Claim:
    """A demand as a group of constraints: plugin `id` is updated, its `accepts` range is respected, its requirement `needs` of
    `other`

    is met, or the set `other` has one version.
    """

    kind: DemandKind
    id: str
    other: str = ""


@dataclass(frozen=True, slots=True)
class ReleaseChoice:
    """A solution: the release of each plugin, the plugins replaced by successors, those left out, and the cost.

    `cost` is (left out, risk, changes, age): the four minimised quantities, in that order.
    """

    taken: dict[str, PluginCandidate]
    following: tuple[str, ...]
    left_out: tuple[str, ...]
    cost: tuple[int, int, int, int]


@dataclass(frozen=True, slots=True)
class _Row:
    """low <= sum of weight * variable <= high, as part of a claim (None: part of the problem's structure)."""

    claim: Claim | None
    terms: tuple[tuple[int, float], ...]
    low: float
    high: float


class _Rows:
    """Constraints as a sparse matrix over `size` yes-or-no variables."""

    def __init__(self, rows: Sequence[_Row], size: int) -> None:
        from scipy.sparse import csr_array

        terms = [(number, at, weight) for number, row in enumerate(rows) for at, weight in row.terms]
        lines, columns, weights = zip(*terms, strict=True) if terms else ((), (), ())
        self._size = size
        self._matrix = csr_array((weights, (lines, columns)), shape=(len(rows), size), dtype=float)
        self._low = [row.low for row in rows]
        self._high = [row.high for row in rows]

    def add(self, weights: np.ndarray, high: float) -> None:
        """Add a constraint: the sum of `weights` (one per variable) over the chosen variables is at most `high`."""
        import numpy as np
        from scipy.sparse import csr_array, vstack

        self._matrix = vstack([self._matrix, csr_array(weights.reshape(1, -1))], format="csr")
        self._low.append(-np.inf)
        self._high.append(high)

    def optimise(self, goal: np.ndarray) -> np.ndarray | None:
        """The choice, 0 or 1 for each variable, that makes `goal` least; None where none meets the constraints."""
        import numpy as np
        from scipy.optimize import Bounds, LinearConstraint, milp

        if self._size == 0:
            return np.zeros(0)
        result = milp(
            goal,
            constraints=LinearConstraint(self._matrix, self._low, self._high),
            integrality=np.ones(self._size),
            bounds=Bounds(0, 1),
            options={"mip_rel_gap": 0},
        )
        if result.x is None:
            return None
        chosen: np.ndarray = np.round(result.x)
        return chosen


class Program:
    """The variables and constraints for one field of candidates."""

    def __init__(self, field: CandidateTable, shelf: Shelf) -> None:
        self._field = field
        self._rows: list[_Row] = []
        self._size = 0
        self._candidates: dict[int, PluginCandidate] = {}
        self._of: dict[str, list[int]] = {}
        self._out: dict[str, int] = {}
        self._follow: dict[str, int] = {}
        self._successors: dict[str, tuple[str, ...]] = {}
        self._add_variables(shelf)
        self._add_presence()
        self._add_claims()

    def solve(self) -> ReleaseChoice:
        """The best choice; there always is one, since everything can be left out."""
        import numpy as np

        size = self._size
        goals = self._goals()
        found = np.zeros(size)
        cost: list[int] = []
        rows = _Rows(self._rows, size)
        for goal in goals:
            if goal.any() or not cost:
                best = rows.optimise(goal)
                assert best is not None, "leaving everything out satisfies all"
                found = best
            cost.append(round(float(goal @ found)))
            rows.add(goal, cost[-1] + 0.5)
        picked = {at for at in range(size) if found[at] > 0.5}
        taken = {item.id: item for at, item in self._candidates.items() if at in picked}
        following = tuple(id for id, at in self._follow.items() if at in picked)
        left_out = tuple(id for id, at in self._out.items() if at in picked)
        return ReleaseChoice(taken, following, left_out, (cost[0], cost[1], cost[2], cost[3]))

    def explain(self, id: str, choice: ReleaseChoice) -> tuple[Claim, ...]:
        """Return a minimal set of contradicting demands: that `id`, which the best choice leaves out, is updated, and that
        certain plugins

        in the best choice are.
        """
        import numpy as np

        size = self._size
        near = self._near(id)
        by_claim: dict[Claim, list[_Row]] = {}
        for row in self._rows:
            if row.claim is not None and row.claim.id in near:
                by_claim.setdefault(row.claim, []).append(row)
        for other in near & set(self._out) - (set(choice.left_out) - {id}):
            by_claim[Claim("gets a release", other)] = [_Row(None, ((self._out[other], 1.0),), 0, 0)]
        # The order decides which of several minimal sets is found; the plugin `id` comes before other plugins.
        claims = sorted(by_claim, key=lambda claim: (claim.kind == "gets a release", claim.id != id, claim))
        shape = [row for row in self._rows if row.claim is None]

        def holds(kept: Sequence[Claim]) -> bool:
            rows = _Rows([*shape, *(row for claim in kept for row in by_claim[claim])], size)
            return rows.optimise(np.zeros(size)) is not None

        return () if holds(claims) else tuple(sorted(_quick_explain(holds, [], [], claims)))

    # -- building

    def _add_variables(self, shelf: Shelf) -> None:
        for id in self._field.order:
            self._of[id] = []
            for item in self._field.of[id]:
                at = self._variable()
                self._candidates[at] = item
                self._of[id].append(at)
            if id in self._field.here:
                self._out[id] = self._variable()
                succession = shelf.succession(id)
                if succession and succession.to and id not in self._field.wishes.hold:
                    self._follow[id] = self._variable()
                    self._successors[id] = succession.to

    def _variable(self) -> int:
        self._size += 1
        return self._size - 1

    def _add_presence(self) -> None:
        """A plugin of the project is there in one release, or follows, or is left out; any other at most once."""
        wishes = self._field.wishes
        for id, variables in self._of.items():
            terms = [(at, 1.0) for at in variables]
            if id not in self._field.here:
                self._rows.append(_Row(None, tuple(terms), 0, 1))
                continue
            terms.append((self._out[id], 1.0))
            if id in self._follow:
                terms.append((self._follow[id], 1.0))
            self._rows.append(_Row(None, tuple(terms), 1, 1))
            if id in wishes.left_out:
                self._rows.append(_Row(None, ((self._out[id], 1.0),), 1, 1))
            elif id in wishes.hold:
                self._rows.append(_Row(None, ((self._out[id], 1.0),), 0, 0))

    def _add_claims(self) -> None:
        for at, item in self._candidates.items():
            if item.readiness == "nothing":
                self._rows.append(_Row(Claim("accepts", item.id), ((at, 1.0),), 0, 0))
            for need in item.needs:
                fitting = [
                    other
                    for other in self._of.get(need.id, [])
                    if accepts(need.accepts, self._candidates[other].version)
                ]
                terms = ((at, 1.0), *((other, -1.0) for other in fitting))
                self._rows.append(_Row(Claim("needs", item.id, need.id), terms, -len(fitting), 0))
        for id, at in self._follow.items():
            for other in self._successors[id]:
                terms = ((at, 1.0), *((to, -1.0) for to in self._of.get(other, [])))
                self._rows.append(_Row(None, terms, -len(terms), 0))
        self._add_sets()

    def _add_sets(self) -> None:
        held: dict[str, set[object]] = {}
        for item in self._candidates.values():
            if item.id in self._field.wishes.hold:
                held.setdefault(item.set, set()).add(_number(item))
        stands: dict[tuple[str, object], int] = {}
        for at, item in self._candidates.items():
            # Who holds two of a set at different versions has decided against the step.
            if not item.set or (item.id in self._field.wishes.hold and len(held[item.set]) > 1):
                continue
            version = _number(item)
            if (item.set, version) not in stands:
                stands[item.set, version] = self._variable()
            pair = ((at, 1.0), (stands[item.set, version], -1.0))
            self._rows.append(_Row(Claim("in step", item.id, item.set), pair, -1, 0))
        for name in sorted({name for name, _ in stands}):
            terms = tuple((at, 1.0) for (other, _), at in stands.items() if other == name)
            self._rows.append(_Row(None, terms, 0, 1))

    def _goals(self) -> list[np.ndarray]:
        import numpy as np

        left_out, risk, changes, age = (np.zeros(self._size) for _ in range(4))
        for at in self._out.values():
            left_out[at] = 1
        for at in self._follow.values():
            changes[at] = 1
        for id, variables in self._of.items():
            newest_first = sorted(variables, key=lambda at: _age_key(self._candidates[at]), reverse=True)
            for rank, at in enumerate(newest_first):
                item = self._candidates[at]
                risk[at] = item.risk
                changes[at] = not item.is_here
                age[at] = 0 if item.is_here else rank
            if id not in self._field.here:
                changes[variables] += 1  # one more plugin is more than another release of one
        return [left_out, risk, changes, age]

    def _near(self, id: str) -> set[str]:
        """Plugins tied to `id` by needs, sets and successions, itself included."""
        ties: dict[str, set[str]] = {}
        pairs = [(item.id, need.id) for item in self._candidates.values() for need in item.needs]
        pairs += [(item.id, f"set {item.set}") for item in self._candidates.values() if item.set]
        pairs += [(one, other) for one, others in self._successors.items() for other in others]
        for one, other in pairs:
            ties.setdefault(one, set()).add(other)
            ties.setdefault(other, set()).add(one)
        near, waiting = {id}, [id]
        while waiting:
            for other in ties.get(waiting.pop(), ()):
                if other not in near:
                    near.add(other)
                    waiting.append(other)
        return near


def _number(item: PluginCandidate) -> object:
    return parse_release(item.version) if is_release(item.version) else item.version


def _age_key(item: PluginCandidate) -> tuple[bool, object]:
    return (True, parse_release(item.version)) if is_release(item.version) else (False, item.version)


def _quick_explain(
    holds: Callable[[Sequence[Claim]], bool], base: list[Claim], added: list[Claim], claims: list[Claim]
) -> list[Claim]:
    if added and not holds(base):
        return []
    if len(claims) == 1:
        return claims
    middle = len(claims) // 2
    first, second = claims[:middle], claims[middle:]
    late = _quick_explain(holds, [*base, *first], first, second)
    early = _quick_explain(holds, [*base, *late], late, first)
    return [*early, *late]
