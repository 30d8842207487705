"""Match old targets to new ones.

Each pair gets several kinds of evidence; each has a weight, the probability that it alone is right, and together they are 1 -
Π(1 - weight). The pairs are chosen by the best assignment over all (the Hungarian method), and a score is lowered if a second
candidate is nearly as good.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.links.similarity import Likeness, compare_words
from fernshale.core.links.targets import Thing, is_name, name_parts
from fernshale.core.links.usage_votes import Votes

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

AUTOMATIC_SCORE = 0.9
GAP = 0.12
_MIN_SCORE = 0.2
MAX_CANDIDATES = 5
# A pair without evidence of this weight is a guess, however much weak evidence it has.
_STRONG = 0.7
_GUESS = 0.85
_NEVER = 0.985
# By how much the likest must be ahead of the next for its text to count in full; less alike than this, a shared name is chance.
_APART = 0.25
# Texts less similar than this are no evidence.
_MIN_COSINE = 0.35
# From this likeness on, another new target is a twin that a single vote does not decide against.
_MIN_TWIN = 0.5
# From this score on, a new target can be a part of an old one.
_RELATED = 0.3
# Of so many pairs of one kind all are compared; of more, only those with a file name or a text in common.
_PAIRS = 12_000_000


@dataclass(frozen=True, slots=True)
class TargetEvidence:
    """Why two may be the same: `weight` is the chance that this alone is right."""

    weight: float
    words: str
    # The only vote for it: one person's edit may have had another reason.
    is_single_vote: bool = False


# New names that someone wrote down, by old and new.
StatedRenames = Mapping[tuple[str, str], TargetEvidence]


@dataclass(frozen=True, slots=True)
class TargetCandidate:
    """A possible replacement of a missing reference; `score` is 0..1. `slots`: only for uses in these slots, () for all."""

    id: str
    score: float
    evidence: tuple[str, ...]
    slots: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Matching:
    """The candidates of each old target, best first, scored in comparison with each other.

    `family` are the new targets that are most similar to this old one, with the share of their content that it contained, 0..1:
    several, if it may have been split.
    """

    candidates: Mapping[str, list[TargetCandidate]]
    family: Mapping[str, Mapping[str, float]]


def match_things(old: Sequence[Thing], new: Sequence[Thing], clues: Clues, token: CancelToken) -> Matching:
    """Match removed targets to added ones."""
    if not old or not new:
        return Matching({}, {})
    evidence, inside = _evidence(old, new, clues, token)
    folders = _folders_moved(evidence)
    for (was, is_), found in evidence.items() if folders else ():
        share = folders.get((_folder(was.file), _folder(is_.file)), 0.0)
        if share and was.file.rpartition("/")[2] == is_.file.rpartition("/")[2]:
            found.append(
                TargetEvidence(
                    0.75 * share, tr("its folder is {folder} now", folder=_folder(is_.file) or tr("the top"))
                )
            )
    things = {(was.id, is_.id): found for (was, is_), found in evidence.items()}
    scores: dict[str, dict[str, float]] = defaultdict(dict)
    likeness: dict[str, dict[str, float]] = defaultdict(dict)
    nearest: dict[str, tuple[float, str]] = {}
    for (o, n), found in things.items():
        scores[o][n] = _together(found)
        likeness[o][n] = _together([item for item in found if not item.is_single_vote])
        nearest[n] = max(nearest.get(n, (0.0, "")), (sum(item.weight for item in found), o))
    chosen = _assign(scores, token)
    holder = {n: o for o, n in chosen.items()}
    # For unmatched old targets: the score by new target.
    wished: dict[str, list[float]] = defaultdict(list)
    for o in scores.keys() - chosen.keys():
        for n, score in scores[o].items():
            wished[n].append(score)
    result = {}
    for o in scores:
        listed = []
        for n in sorted(scores[o], key=lambda n: (n != chosen.get(o), -scores[o][n], n))[: MAX_CANDIDATES + 3]:
            judged = _judged(o, n, scores[o], holder, wished.get(n, ()), nearest[n][1])
            if _has_twin(n, things[o, n], likeness[o]):
                judged = min(judged, _GUESS)
            if judged >= _MIN_SCORE:
                best = sorted(things[o, n], key=lambda item: -item.weight)
                listed.append(TargetCandidate(n, round(judged, 2), tuple(item.words for item in best[:4])))
        result[o] = sorted(listed, key=lambda item: (item.id != chosen.get(o), -item.score))
    family: dict[str, dict[str, float]] = {}
    for n, (_, o) in nearest.items():
        if scores[o][n] >= _RELATED:
            family.setdefault(o, {})[n] = inside.get((o, n), 0.0)
    return Matching(result, family)


def _judged(
    o: str, n: str, scores: Mapping[str, float], holder: Mapping[str, str], wished: Sequence[float], nearest: str
) -> float:
    """Return the score of a pair compared with all others: `scores` are those of `o`, `holder` has the old target that a new
    one was assigned to."""
    score = scores[n]
    if n not in holder:
        return min(score, 0.8)
    if holder[n] != o:
        return min(score, 0.5)  # another one has a better claim to it
    if nearest != o:
        score = min(score, 0.8)  # its best match has an even better one
    free = (each for m, each in scores.items() if m not in holder)
    return _lowered(score, max((*free, *wished), default=0.0))


def _has_twin(n: str, evidence: Sequence[TargetEvidence], likeness: Mapping[str, float]) -> bool:
    """Return whether a single vote decides between `n` and another new target that is about as like the old one."""
    if not any(item.is_single_vote for item in evidence):
        return False
    return any(other != n and score >= _MIN_TWIN and score >= likeness[n] - GAP for other, score in likeness.items())


@dataclass(frozen=True, slots=True)
class Clues:
    """Evidence for which target became which, apart from the targets themselves: votes of their uses, known moves of files,
    and renames that someone wrote down. `usual` are digests that targets have which stayed: they distinguish nothing."""

    votes: Votes
    moved: Mapping[TreePath, TreePath]
    stated: StatedRenames
    usual: Collection[str] = ()


class _Counts:
    """How often the marks of targets occur: a rare one is stronger evidence. `usual` are digests that distinguish nothing."""

    def __init__(self, old: Sequence[Thing], new: Sequence[Thing], usual: Collection[str]) -> None:
        self.usual = usual
        self.old_digests = Counter(thing.digest for thing in old)
        self.new_digests = Counter(thing.digest for thing in new)
        self.companions = Counter(thing.companion for thing in new if thing.companion)
        self.names = Counter(_name(thing) for thing in new)


def _evidence(
    old: Sequence[Thing], new: Sequence[Thing], clues: Clues, token: CancelToken
) -> tuple[dict[tuple[Thing, Thing], list[TargetEvidence]], dict[tuple[str, str], float]]:
    """The evidence for all pairs that have any, and by the ids of each pair the share of the new one that the old one
    contains."""
    inside: dict[tuple[str, str], float] = {}
    votes, moved = clues.votes, clues.moved
    found: dict[tuple[Thing, Thing], list[TargetEvidence]] = {}
    counts = _Counts(old, new, clues.usual)
    by_id = {thing.id: thing for thing in new}
    kinds = {thing.kind for thing in (*old, *new)}
    for kind in kinds:
        # Targets of a named kind are compared with that kind and with those without a kind.
        first = [thing for thing in old if thing.kind == kind]
        second = [thing for thing in new if thing.kind in (kind, "") or not kind]
        if not first or not second:
            continue
        likeness = compare_words(first, second) if len(first) * len(second) <= _PAIRS else None
        for i, o in enumerate(first):
            if i % 50 == 0:
                token.check()
            ballot = votes.total(o.id)
            for j in _worth(likeness, i, o, second, ballot, moved):
                n = second[j]
                pieces = []
                if item := clues.stated.get((o.id, n.id)):
                    pieces.append(item)
                pieces += _by_file(o, n, moved, is_elsewhere=o.digest != n.digest and o.digest in counts.new_digests)
                cosine = float(likeness.cosine[i, j]) if likeness is not None else 0.0
                apart = cosine - likeness.runner_up(i, j) if likeness is not None and cosine > _MIN_COSINE else 0.0
                pieces += _by_text(o, n, counts, cosine, apart)
                pieces += _by_name(o, n, counts, cosine if likeness is not None and o.text and n.text else 1.0)
                if ballot and (given := ballot.get(n.id)):
                    pieces.append(_vote(given, sum(ballot.values()), votes.example[o.id, n.id]))
                if pieces:
                    found[o, n] = pieces
                    inside[o.id, n.id] = float(likeness.inside[i, j]) if likeness is not None else 0.0
            for id in ballot.keys() - {second[j].id for j in range(len(second))}:
                if id in by_id:
                    found[o, by_id[id]] = [_vote(ballot[id], sum(ballot.values()), votes.example[o.id, id])]
    return found, inside


def _worth(
    likeness: Likeness | None, i: int, o: Thing, new: Sequence[Thing], ballot: Mapping[str, int],
    moved: Mapping[TreePath, TreePath],
) -> Sequence[int]:  # fmt: skip
    """Return the indexes of the new targets to compare with an old one."""
    if likeness is None or len(new) <= 400:
        if likeness is not None:
            return range(len(new))
        name, goal = _name(o), moved.get(o.file)
        return [
            j
            for j, n in enumerate(new)
            if n.file == o.file or n.digest == o.digest or n.id in ballot or _name(n) == name or n.file == goal
        ]
    row = likeness.cosine[i]
    near = set(row.argsort()[-40:].tolist())
    name = _name(o)
    near |= {j for j, n in enumerate(new) if n.file == o.file or n.id in ballot or _name(n) == name}
    return sorted(near)


def _by_file(o: Thing, n: Thing, moved: Mapping[TreePath, TreePath], *, is_elsewhere: bool) -> list[TargetEvidence]:
    """`is_elsewhere`: another new target has the old one's content unchanged."""
    if o.file == n.file:
        if o.alone and n.alone and is_elsewhere:
            return [TargetEvidence(0.5, tr("{file} declares it now, and was changed", file=n.file))]
        if o.alone and n.alone:
            return [TargetEvidence(0.96, tr("{file} declares it now", file=n.file))]
        same = sum(bool(a) and a == b for a, b in zip(o.around, n.around, strict=True))
        if same:
            neighbour = next(a for a, b in zip(o.around, n.around, strict=True) if a and a == b)
            words = (
                tr("between the same two neighbours") if same == 2 else tr("next to {neighbour}", neighbour=neighbour)
            )
            return [TargetEvidence((0.0, 0.55, 0.8)[same], tr("is {words} in {file}", words=words, file=n.file))]
        return [TargetEvidence(0.3, tr("in the same file, {file}", file=n.file))]
    goal = moved.get(o.file)
    if goal == n.file and o.file != goal:
        return [
            TargetEvidence(0.94 if o.alone and n.alone else 0.6, tr("{before} is {now} now", before=o.file, now=n.file))
        ]
    return []


def _by_text(o: Thing, n: Thing, counts: _Counts, cosine: float, apart: float) -> list[TargetEvidence]:
    """`cosine` is the similarity of their words, 0 to 1, and `apart` how much more that is than of the next best pair."""
    found = []
    if o.companion and o.companion == n.companion:
        found.append(
            TargetEvidence(
                0.95 if counts.companions[n.companion] == 1 else 0.5,
                tr("the file next to it is the same, byte for byte"),
            )
        )
    enough = (len(o.words) >= 3 or not o.text) and o.digest not in counts.usual
    if o.digest == n.digest and enough:
        alone = counts.new_digests[n.digest] == 1 and counts.old_digests[o.digest] == 1
        found.append(
            TargetEvidence(
                0.95 if alone else 0.55, tr("says the same but for ids") if o.text else tr("has the same content")
            )
        )
    elif enough and cosine > _MIN_COSINE:
        # A similarity of one half is significant if all others are at a tenth, but not if all others are at one half.
        weight = cosine**3 + (cosine**2 - cosine**3) * min(1.0, max(0.0, apart / _APART))
        found.append(TargetEvidence(min(0.93, weight), tr("its text is {share:.0%} similar", share=cosine)))
    return found


def _by_name(o: Thing, n: Thing, counts: _Counts, cosine: float) -> list[TargetEvidence]:
    found = []
    if o.file != n.file and _name(o) == _name(n):
        alone = o.alone and n.alone and counts.names[_name(n)] == 1
        # Different targets often share a name if names are numbers, or one of a few words.
        weight = 0.8 if alone and cosine >= _APART and is_name(o.stem) else 0.5 if alone and cosine >= _APART else 0.25
        found.append(TargetEvidence(weight, tr("a file of the same name, {file}", file=n.file)))
    elif o.alone and n.alone and o.file != n.file and o.ending == n.ending:
        alike = _names_alike(o.stem, n.stem)
        if alike > 0.6:
            found.append(
                TargetEvidence(0.6 * alike**2, tr("{now} is called much like {before}", now=n.stem, before=o.stem))
            )
    if is_name(o.id) and is_name(n.id) and o.id != o.file:
        alike = _names_alike(o.id, n.id)
        if alike > 0.5:
            found.append(TargetEvidence(0.8 * alike**2, tr("the names are {alike:.0%} similar", alike=alike)))
    return found


def _vote(given: int, all_: int, example: TreePath) -> TargetEvidence:
    share = given / all_
    weight = (0.88 if given == 1 else 0.94 if given < 4 else 0.97) * share
    words = tr("stands in its place in {example}", example=example)
    more = tr(" and {other_places}", other_places=count(given - 1, "other place")) if given > 1 else ""
    return TargetEvidence(weight, words + more, is_single_vote=given == 1)


def _names_alike(one: str, other: str) -> float:
    """0..1: letters in a row, or the same words in any order."""
    from rapidfuzz import fuzz

    first, second = " ".join(name_parts(one)), " ".join(name_parts(other))
    letters = fuzz.ratio(one.lower(), other.lower())
    ratio = max(letters, fuzz.token_sort_ratio(first, second), 0.92 * fuzz.token_set_ratio(first, second))
    return float(ratio) / 100


def _together(found: Sequence[TargetEvidence]) -> float:
    left = 1.0
    for item in found:
        left *= 1 - item.weight
    score = min(_NEVER, 1 - left)
    return score if max((item.weight for item in found), default=0.0) >= _STRONG else min(score, _GUESS)


def _lowered(score: float, rival: float) -> float:
    """Lower a score if the next best is nearly equal: then neither is certain."""
    gap = score - rival
    if gap >= GAP:
        return score
    return min(score * (0.7 + 0.3 * max(gap, 0) / GAP), _GUESS)


def _assign(scores: Mapping[str, Mapping[str, float]], token: CancelToken) -> dict[str, str]:
    """Assign new targets to old ones with the maximum sum of scores."""
    import numpy as np
    from scipy.optimize import linear_sum_assignment
    from scipy.sparse import csr_matrix
    from scipy.sparse.csgraph import connected_components

    old = list(scores)
    new = sorted({n for others in scores.values() for n in others})
    column = {n: at for at, n in enumerate(new)}
    rows = [at for at, o in enumerate(old) for _ in scores[o]]
    columns = [len(old) + column[n] for o in old for n in scores[o]]
    size = len(old) + len(new)
    graph = csr_matrix((np.ones(len(rows)), (rows, columns)), shape=(size, size))
    # Groups without a common pair are assigned separately, which keeps each matrix small.
    _, label = connected_components(graph, directed=False)
    groups: dict[int, tuple[list[int], list[int]]] = {}
    for at in range(size):
        groups.setdefault(int(label[at]), ([], []))[at >= len(old)].append(at)
    chosen = {}
    for mine, theirs in groups.values():
        token.check()
        if not mine or not theirs:
            continue
        matrix: NDArray[np.float64] = np.zeros((len(mine), len(theirs)))
        place = {at: number for number, at in enumerate(theirs)}
        for row, at in enumerate(mine):
            for n, score in scores[old[at]].items():
                matrix[row, place[len(old) + column[n]]] = score
        for row, col in zip(*linear_sum_assignment(-matrix), strict=True):
            if matrix[row, col] >= _MIN_SCORE:
                chosen[old[mine[row]]] = new[theirs[col] - len(old)]
    return chosen


def _folders_moved(evidence: Mapping[tuple[Thing, Thing], Sequence[TargetEvidence]]) -> dict[tuple[str, str], float]:
    """Find moves of whole folders from high-confidence pairs: the share of a folder's files, 0..1."""
    went: Counter[tuple[str, str]] = Counter()
    all_: Counter[str] = Counter()
    for (o, n), found in evidence.items():
        if o.alone and n.alone and _together(found) >= AUTOMATIC_SCORE and _folder(o.file) != _folder(n.file):
            went[_folder(o.file), _folder(n.file)] += 1
            all_[_folder(o.file)] += 1
    return {pair: number / all_[pair[0]] for pair, number in went.items() if number >= 2}


def _folder(path: str) -> str:
    return path.rpartition("/")[0]


def _name(thing: Thing) -> tuple[str, str]:
    return thing.file.rpartition("/")[2].lower(), thing.kind
