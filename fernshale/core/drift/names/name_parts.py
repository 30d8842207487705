"""Parts of names: the similarity of two names, and parts that a release renamed together."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from functools import cache, lru_cache

from fernshale.core.base.lazy_pattern import lazy_pattern

_OPPOSITE_WORDS = """get set|add remove|push pop|open close|begin end|start stop|show hide|enable disable|min max|first last|
    left right|top bottom|up down|horizontal vertical|read write|lock unlock|prev next|previous next|width height|row column|
    insert remove|append prepend|before after|input output|encode decode|load save|x y|true false|start end"""
_OPPOSITES = {
    one: other for pair in _OPPOSITE_WORDS.split("|") for one, other in (pair.split(), reversed(pair.split()))
}
_PART = lazy_pattern(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+|[^\W\d_]+")


@lru_cache(maxsize=100_000)
def parts_of(name: str) -> tuple[str, ...]:
    """`parseHTTPHeader_2` as `parse`, `http`, `header`, `2`."""
    return tuple(part.lower() for part in _PART.findall(name))


def shared_start(one: Sequence[str], other: Sequence[str]) -> int:
    """How many names both begin with."""
    for at, (mine, its) in enumerate(zip(one, other, strict=False)):
        if mine != its:
            return at
    return min(len(one), len(other))


def words_of_text(text: str) -> list[str]:
    """The words of a text, in small letters."""
    return [word.lower() for word in _PART.findall(text)]


class Rarity:
    """The weight of a part of a name, or of a word of a text: those in many weigh less. Weights are in 0.15..1."""

    def __init__(self, names: Iterable[str], words_of: Callable[[str], Sequence[str]] = parts_of) -> None:
        counts: Counter[str] = Counter()
        total = 0
        for name in names:
            counts.update(set(words_of(name)))
            total += 1
        scale = math.log(total + 2)
        self._weights = {part: max(0.15, 1 - math.log(seen + 1) / scale) for part, seen in counts.items()}

        self._totals: dict[str, float] = {}

    def weight(self, part: str) -> float:
        return self._weights.get(part, 1.0)

    def total(self, name: str) -> float:
        """The weight of all parts of a name."""
        known = self._totals.get(name)
        if known is None:
            known = self._totals[name] = sum(map(self.weight, parts_of(name)))
        return known

    def likeness(self, old: str, new: str) -> float:
        """Return the similarity of two names, 0..1."""
        return _name_likeness(old, new, self)


def _name_likeness(old: str, new: str, rarity: Rarity) -> float:
    """Compare by parts if they are significant, else by characters."""
    if old == new:
        return 1.0
    ours, theirs = parts_of(old), parts_of(new)
    if ours == theirs:
        return 0.97  # spelling variants
    pairs = _pair(ours, theirs)
    shared = 0.0
    for one, other, alike in pairs:
        shared += alike * (rarity.weight(one) + rarity.weight(other))
    whole = rarity.total(old) + rarity.total(new)
    by_parts = shared / whole if whole else 0.0
    return max(by_parts, 0.9 * _letters("".join(ours), "".join(theirs)))


@lru_cache(maxsize=100_000)
def changed_parts(old: str, new: str) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The parts that were put in the place of others, each side in order: (`ml`,), (`mere`,) of MlCanvas, MereCanvas."""
    ours, theirs = parts_of(old), parts_of(new)
    gone = tuple(part for part in ours if part not in theirs)
    come = tuple(part for part in theirs if part not in ours)
    return gone, come


def are_opposite(gone: Sequence[str], come: Sequence[str]) -> bool:
    """Return whether a part was exchanged for one that says the opposite: get and set, show and hide."""
    return any(_OPPOSITES.get(part, "") in come for part in gone)


def _pair(ours: tuple[str, ...], theirs: tuple[str, ...]) -> list[tuple[str, str, float]]:
    """Parts of one name with those of the other that are the same or nearly so."""
    free = list(theirs)
    pairs = []
    for part in ours:
        if part in free:
            free.remove(part)
            pairs.append((part, part, 1.0))
            continue
        # Forms of one word begin with the same letter.
        nearest, best = "", 0.0
        for other in free:
            if other[0] == part[0] and (alike := _nearly(part, other)) > best:
                nearest, best = other, alike
        if best:
            free.remove(nearest)
            pairs.append((part, nearest, best))
    return pairs


@lru_cache(maxsize=200_000)
def _nearly(one: str, other: str) -> float:
    """0.8 for forms of one word (plural, tense, abbreviation), 0 for different ones."""
    short, long = sorted((one, other), key=len)
    if len(short) >= 3 and long.startswith(short):
        return 0.8
    if len(short) >= 4:
        common = next((at for at, (a, b) in enumerate(zip(short, long, strict=False)) if a != b), len(short))
        if common >= max(4, len(long) - 3):
            return 0.8
    return 0.0


def _letters(one: str, other: str) -> float:
    # Below this two names share letters as any two words do.
    return max(0.0, (_similarity()(one, other) - 0.5) * 2)


@cache
def _similarity() -> Callable[[str, str], float]:
    from rapidfuzz.distance import Indel

    return Indel.normalized_similarity


class Bag:
    """Words as a vector: their frequencies, with rare words weighted more."""

    __slots__ = ("norm", "weights")

    def __init__(self, words: Iterable[str], rarity: Rarity) -> None:
        self.weights = {word: count * rarity.weight(word) for word, count in Counter(words).items()}
        self.norm = math.sqrt(sum(weight * weight for weight in self.weights.values()))

    def __len__(self) -> int:
        return len(self.weights)


def cosine(one: Bag, other: Bag) -> float:
    """How alike two bags of words are, 0..1."""
    if not one.norm or not other.norm:
        return 0.0
    small, large = (one, other) if len(one) < len(other) else (other, one)
    found = large.weights
    return sum(weight * found[word] for word, weight in small.weights.items() if word in found) / (
        one.norm * other.norm
    )
