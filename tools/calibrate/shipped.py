"""The comparison as users have it, with all that the two releases state, on names whose successor they must find."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from calibrate.truths import Fact, SymbolPath, is_right, key_of, stated_by
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import ApiChange, compare
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.drift.stated.between import ReleaseBetween
from fernshale.core.drift.symbols import Symbol

# What tells users to write another name.
_FOLLOWED = ("renamed", "moved", "removed", "deprecated")


@dataclass(frozen=True)
class Found:
    """For one old name, whether one of the two releases states the successor, and its rank; 0 if it is not proposed.

    `place_with_between` is the rank where the releases between the two are at hand as well.
    """

    is_stated: bool
    place: int
    place_with_between: int


def find_as_shipped(
    folders: Sequence[Path], releases: Sequence[Sequence[Symbol]], facts: Sequence[Fact]
) -> tuple[Found, ...]:
    """What comparing the first and the last release proposes for the names that users have to change: those that the last one
    does not have, or calls deprecated and the first did not."""
    old, new = releases[0], releases[-1]
    stated = stated_by(old).keys() | stated_by(new).keys()
    known = {key_of(item) for item in new}
    warned = {key_of(item) for item in new if item.deprecated} - {key_of(item) for item in old if item.deprecated}
    keys = {item.path: key_of(item) for item in old}
    pair = read_pair(folders[0], folders[-1], "", Work())
    between = [_between(folders[0], folder) for folder in folders[1:-1]]
    compared = [_by_path(compare(pair, CancelToken(), given)) for given in ((), between)]
    found = []
    for fact in facts:
        key = keys[fact.old]
        if key not in known or key in warned:
            places = [_place(changes[fact.old], fact) for changes in compared]
            found.append(Found(key in stated, *places))
    return tuple(found)


def _between(old: Path, folder: Path) -> ReleaseBetween:
    return ReleaseBetween(folder.name, lambda: read_pair(old, folder, "", Work()).new)


def _by_path(changes: Sequence[ApiChange]) -> defaultdict[SymbolPath, list[ApiChange]]:
    found: defaultdict[SymbolPath, list[ApiChange]] = defaultdict(list)
    for change in changes:
        if change.old is not None and change.kind in _FOLLOWED:
            found[change.old.path].append(change)
    return found


def _place(changes: Sequence[ApiChange], fact: Fact) -> int:
    # A name that only stands in another file now is no answer.
    proposed = dict.fromkeys(
        candidate.symbol.path
        for change in changes
        for candidate in change.candidates
        if candidate.symbol.path[-2:] != fact.old[-2:]
    )
    return next((at for at, path in enumerate(proposed, 1) if is_right(path, fact.new)), 0)
