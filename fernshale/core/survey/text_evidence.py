"""Which release a folder's texts came from, where files were edited and equal no release any more.

The releases' files are compared as sets of lines and of short runs of tokens, so that an edit costs a few of them and a change of
indentation or line breaks only the lines. What all releases have says nothing about which one it is, but how much of it is missing
says how much was edited. What only some have is evidence for those: with an edited share e, a folder from such a release has it
with probability 1 - e, a folder from another one hardly ever. Features that stand in the same releases usually come from the same
change, so many of them count as the square root of their number. The result is a naive Bayes classifier with those weights.
"""

from __future__ import annotations

import math
import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import blake3

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import text_of
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.base.work import CancelToken

# How often a folder has, by chance, something that only other releases have.
_BY_CHANCE = 0.02
# The share of edits is not believed to be less or more than this.
_EDITED = (0.03, 0.9)
_TOKEN = lazy_pattern(r"\w+|[^\w\s]")
_RUN = 5
# How much is read for each release, bytes; small folders are those that need it.
_MAX_BYTES = 24 << 20


@dataclass(frozen=True, slots=True)
class FolderTexts:
    """How to read a file of the folder, and of a release; None where there is none."""

    mine: Callable[[TreePath], bytes | None]
    release: Callable[[str, TreePath], bytes | None]
    token: CancelToken


def folder_texts(mine: Path, releases: Mapping[str, Path], token: CancelToken) -> FolderTexts:
    """How to read a folder and releases that are folders of this machine."""

    def read(root: Path, path: TreePath) -> bytes | None:
        try:
            return on_disk(root, path).read_bytes()
        except (OSError, FernshaleError):
            return None

    return FolderTexts(lambda path: read(mine, path), lambda name, path: read(releases[name], path), token)


@dataclass(frozen=True, slots=True)
class TextEvidence:
    """The logarithm of how likely each release is (the best has 0), and the share of each release's features that the folder has.
    `telling` is the number of features that only some releases have."""

    likelihoods: tuple[float, ...]
    fits: tuple[float, ...]
    telling: int

    def probabilities(self, prior: Sequence[float]) -> list[float]:
        """The probability of each release; `prior` are weights."""
        logs = [value + math.log(weight) for value, weight in zip(self.likelihoods, prior, strict=True)]
        top = max(logs)
        shares = [math.exp(value - top) for value in logs]
        return [share / sum(shares) for share in shares]


def weigh_texts(paths: Iterable[TreePath], names: Sequence[str], texts: FolderTexts) -> TextEvidence:
    """Compare the files at `paths` with those of each release. Raises Cancelled."""
    totals = [0.0] * len(names)
    had, whole = [0] * len(names), [0] * len(names)
    telling = read = 0
    for path in paths:
        texts.token.check()
        mine, count = _features(texts.mine(path))
        theirs = []
        for name in names:
            features, size = _features(texts.release(name, path))
            theirs.append(features)
            count += size
        read += count
        for at, features in enumerate(theirs):
            had[at] += len(features & mine)
            whole[at] += len(features)
        telling += _weigh_file(mine, theirs, totals)
        if read > _MAX_BYTES * len(names):
            break
    top = max(totals, default=0.0)
    fits = tuple(part / of if of else 1.0 for part, of in zip(had, whole, strict=True))
    return TextEvidence(tuple(total - top for total in totals), fits, telling)


def _weigh_file(mine: frozenset[bytes], theirs: Sequence[frozenset[bytes]], totals: list[float]) -> int:
    """Add the evidence of one file to the totals; returns the number of features that distinguish releases."""
    holders: Counter[bytes] = Counter()
    for features in theirs:
        holders.update(features)
    everywhere = [feature for feature, count in holders.items() if count == len(theirs)]
    missing = sum(feature not in mine for feature in everywhere)
    edited = min(max((missing + 0.5) / (len(everywhere) + 1), _EDITED[0]), _EDITED[1])
    groups: dict[tuple[bool, ...], list[int]] = defaultdict(lambda: [0, 0])
    for feature, count in holders.items():
        if count < len(theirs):
            groups[tuple(feature in features for features in theirs)][feature in mine] += 1
    for pattern, (lacking, having) in groups.items():
        damping = 1 / math.sqrt(lacking + having)
        of_holder = having * math.log(1 - edited) + lacking * math.log(edited)
        of_other = having * math.log(_BY_CHANCE) + lacking * math.log(1 - _BY_CHANCE)
        for at, holds in enumerate(pattern):
            totals[at] += damping * (of_holder if holds else of_other)
    return sum(lacking + having for lacking, having in groups.values())


def _features(data: bytes | None) -> tuple[frozenset[bytes], int]:
    """The digests of a file's lines and token runs, and its size. A binary file is one feature, a missing one has none."""
    if data is None:
        return frozenset(), 0
    text = text_of(data)
    if text is None:
        return frozenset((blake3.blake3(data).digest(8), b"is there")), len(data)
    lines = (re.sub(r"\s+", " ", line.strip()) for line in text.splitlines())
    tokens = _TOKEN.findall(text)
    runs = (" ".join(tokens[at : at + _RUN]) for at in range(max(len(tokens) - _RUN + 1, 1)))
    found = {("l" + line).encode("utf-8", "surrogateescape") for line in lines if len(line) > 2}
    found |= {("t" + run).encode("utf-8", "surrogateescape") for run in runs}
    return frozenset((*found, b"is there")), len(data)
