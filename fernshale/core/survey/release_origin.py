"""Find the release that a folder came from, with a confidence, and the local changes in it.

The release with the most equal files is the best, if enough files tell it from the others. Where they do not, since all were edited
or respelled, lines and tokens decide (`text_evidence`). Releases with the same likelihood are tied. Files that equal another
release make the folder a mixture; files that only older releases have are leftovers.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from fernshale.core.base.release import is_release, parse_release, same_release
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.survey.release_index import ReleaseIndex
from fernshale.core.survey.text_evidence import FolderTexts, weigh_texts

if TYPE_CHECKING:
    import numpy as np

# So many files that equal one release and not the other decide between them without a look at their texts.
_ENOUGH = 4
# Prior odds of the release that the descriptor states, against another one.
_STATED = 8.0
# Releases whose likelihood differs by less than this factor are tied.
_TIE = 2.0
# Below this confidence, the release is only the nearest.
_SURE = 0.7
# At least so many more files must contradict the release in the descriptor before it is not believed.
_AGAINST = 3


@dataclass(frozen=True, slots=True)
class Rank:
    """A release and its match with the folder. `score` is the share of its files that the folder has, 0..1."""

    name: str
    score: float
    same_files: int


@dataclass(frozen=True, slots=True)
class Origin:
    """A folder compared with the release it came from; paths are relative to the folder, sorted.

    `respelled` files differ only in line ends or encoding, and count as `same`, too. `mixture` are files that equal
    another release, by its name; `leftovers` are files that only older releases had, by the last that had them.
    `confidence` is from 0 to 1; `telling` files, or lines and runs of tokens where files do not suffice, distinguish the release
    from the `runner_up`. `tied` are other releases that are as likely; `by_text` is whether lines and tokens decided.
    """

    name: str
    confidence: float
    score: float
    runner_up: str
    telling: int
    ranking: tuple[Rank, ...]
    same: tuple[TreePath, ...]
    edited: tuple[TreePath, ...]
    own: tuple[TreePath, ...]
    deleted: tuple[TreePath, ...]
    respelled: tuple[TreePath, ...]
    mixture: Mapping[str, tuple[TreePath, ...]]
    leftovers: Mapping[TreePath, str]
    tied: tuple[str, ...] = ()
    by_text: bool = False

    @property
    def words(self) -> str:
        """Where it came from, in words that say how sure that is."""
        if self.tied:
            return tr(
                "from {releases} or {tied}: their files do not distinguish them",
                releases=", ".join((self.name, *self.tied[:-1])),
                tied=self.tied[-1],
            )
        if self.confidence < _SURE:
            return tr("not certain; {name} is the closest", name=self.name)
        return tr("from {name}, {confidence:.0%} likely", name=self.name, confidence=min(self.confidence, 0.99))

    @property
    def edits(self) -> int:
        """Files edited, added and deleted locally."""
        return len(self.edited) + len(self.own) + len(self.deleted)


def find_origin(
    mine: Mapping[TreePath, int],
    index: ReleaseIndex,
    plain_of: Callable[[TreePath], int],
    stated: str = "",
    texts: FolderTexts | None = None,
) -> Origin | None:
    """Return the origin of a folder, None if there is no release to compare with.

    `mine` has the content of each file of the folder, as in the index; `plain_of` returns its plain content (0 if it
    cannot be read) and is only called for files that equal no release. `stated` is the release in the folder's
    descriptor; it is used unless clearly more files match another one. `texts` reads files where digests do not decide.
    """
    if not index.names:
        return None
    there, equal, alike = _compare(mine, index, plain_of)
    present = index.raw != 0
    same_files = equal.sum(axis=0)
    scores = same_files / present.sum(axis=0).clip(1)
    strange = len(mine) - (present & there[:, None]).sum(axis=0)
    order = sorted(range(len(index.names)), key=lambda at: (-scores[at], strange[at], _newest_first(index.names[at])))
    best = _believe(order, equal, index.names, stated)
    others = [at for at in order if at != best]
    rival = others[0] if others else best
    for_best, for_rival = _votes(best, rival, equal)
    # A file that equals one release and not the other hardly ever does so by chance.
    confidence = (for_best + 0.1) / (for_best + for_rival + 0.2) if others else 1.0
    tied: tuple[str, ...] = ()
    by_text = False
    sureness, telling = float(confidence * min(1.0, 2 * scores[best])), int(for_best + for_rival)
    # Files that equal one release, and others that equal another, are a mixture; then the descriptor says which is meant.
    is_stated = any(same_release(name, stated) for name in index.names) if stated else False
    is_mixture = is_stated and bool(for_best and for_rival)
    if texts is not None and others and not is_mixture and not (for_best >= _ENOUGH and for_rival == 0):
        judged = _judge(index, there, equal, texts, stated)
        order, sureness, telling, tied = judged.order, judged.confidence, judged.telling, judged.tied
        best, rival, *_ = order
        by_text = True
        others = order[1:]
    ranking = tuple(Rank(index.names[at], float(scores[at]), int(same_files[at])) for at in order)

    def paths(rows: np.ndarray) -> tuple[TreePath, ...]:
        return tuple(index.paths[at] for at in rows.nonzero()[0])

    in_best = present[:, best]
    mixture, leftovers = _others(best, [*others], there, equal, present, index)
    mixed = {path for group in mixture.values() for path in group}
    new = (path for path in paths(there & ~in_best) if path not in mixed and path not in leftovers)
    own = (*new, *(path for path in mine if path not in index.rows))
    edited = tuple(path for path in paths(there & in_best & ~equal[:, best]) if path not in mixed)
    return Origin(
        index.names[best],
        sureness,
        float(scores[best]),
        index.names[rival] if others else "",
        telling,
        ranking,
        paths(equal[:, best]),
        edited,
        tuple(sorted(own)),
        paths(in_best & ~there),
        paths(equal[:, best] & ~alike[:, best]),
        mixture,
        leftovers,
        tied,
        by_text,
    )


@dataclass(frozen=True, slots=True)
class _Judged:
    """What lines and tokens say: the releases, the likeliest first, and the names of those that are as likely as that."""

    order: list[int]
    confidence: float
    telling: int
    tied: tuple[str, ...]


def _judge(index: ReleaseIndex, there: np.ndarray, equal: np.ndarray, texts: FolderTexts, stated: str) -> _Judged:
    """Decide by the texts of all files that are not the same in every release."""
    import numpy as np

    differs = (index.plain != index.plain[:, :1]).any(axis=1)
    # The files of the folder are compared first, then those that it lacks.
    rows = np.flatnonzero(differs & there).tolist() + np.flatnonzero(differs & ~there).tolist()
    paths = [index.paths[row] for row in rows]
    evidence = weigh_texts(paths, index.names, texts)
    prior = [_STATED if stated and same_release(name, stated) else 1.0 for name in index.names]
    chances = evidence.probabilities(prior)
    order = sorted(range(len(chances)), key=lambda at: (-chances[at], _newest_first(index.names[at])))
    best = order[0]
    least = evidence.likelihoods[best] - math.log(_TIE)
    tied = [at for at in order[1:] if evidence.likelihoods[at] >= least]
    is_stated = prior[best] > 1.0
    confidence = chances[best] * min(1.0, 2 * evidence.fits[best])
    names = () if is_stated else tuple(index.names[at] for at in tied)
    return _Judged(order, confidence, evidence.telling, names)


def _compare(
    mine: Mapping[TreePath, int], index: ReleaseIndex, plain_of: Callable[[TreePath], int]
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Whether each path exists (paths,), and whether it is equal apart from line ends and encoding, and byte for byte
    (paths, releases); all bool."""
    import numpy as np

    raw = np.zeros(len(index.paths), np.uint64)
    rows = index.rows
    for path, content in mine.items():
        at = rows.get(path)
        if at is not None:
            raw[at] = content
    there = raw != 0
    alike = (index.raw == raw[:, None]) & there[:, None]
    plain = np.zeros_like(raw)
    hit = alike.any(axis=1)
    plain[hit] = index.plain[hit, alike[hit].argmax(axis=1)]
    for at in (there & ~hit).nonzero()[0]:
        plain[at] = plain_of(index.paths[at])
    equal = (index.plain == plain[:, None]) & (plain != 0)[:, None]
    return there, equal | alike, alike


def _votes(one: int, other: int, equal: np.ndarray) -> tuple[int, int]:
    """Count the files that match one release and not the other."""
    return int((equal[:, one] & ~equal[:, other]).sum()), int((equal[:, other] & ~equal[:, one]).sum())


def _believe(order: list[int], equal: np.ndarray, names: tuple[str, ...], stated: str) -> int:
    named = next((at for at in order if stated and same_release(names[at], stated)), None)
    if named is None:
        return order[0]
    for_best, for_named = _votes(order[0], named, equal)
    return order[0] if for_best > _AGAINST + 2 * for_named else named


def _others(
    best: int, others: list[int], there: np.ndarray, equal: np.ndarray, present: np.ndarray, index: ReleaseIndex
) -> tuple[dict[str, tuple[TreePath, ...]], dict[TreePath, str]]:
    mixture: dict[str, list[TreePath]] = {}
    leftovers: dict[TreePath, str] = {}
    in_best = present[:, best]
    for at in (there & ~equal[:, best]).nonzero()[0]:
        path = index.paths[at]
        holder = next((other for other in others if equal[at, other]), None)
        if in_best[at]:
            if holder is not None:
                mixture.setdefault(index.names[holder], []).append(path)
            continue
        older = [other for other in others if equal[at, other] and _is_older(index.names[other], index.names[best])]
        if older:
            leftovers[path] = max((index.names[other] for other in older), key=_age)
        elif holder is not None:
            mixture.setdefault(index.names[holder], []).append(path)
    return {name: tuple(paths) for name, paths in mixture.items()}, leftovers


def _is_older(name: str, than: str) -> bool:
    return is_release(name) and is_release(than) and parse_release(name) < parse_release(than)


def _age(name: str) -> tuple[bool, object]:
    return (True, parse_release(name)) if is_release(name) else (False, name)


def _newest_first(name: str) -> tuple[float, ...]:
    return tuple(-float(number) for number in parse_release(name).numbers) if is_release(name) else ()
