"""Types that declarations have in place of others: parameters, results, fields and bases of symbols that stayed or were matched.

When the declarations that used a type T all have U now, T became U, however different their names and members are.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.symbols import CONTAINER, Symbol

_NAME = lazy_pattern(r"[A-Za-z_]\w{2,}")
Path = tuple[str, ...]


def type_names(symbol: Symbol) -> frozenset[str]:
    """The names in the types of a declaration, those of the language included."""
    texts = (symbol.returns, *(item.type for item in symbol.parameters), *symbol.bases)
    return frozenset(name for text in texts for name in names_in_type(text))


def names_in_type(type_: str) -> list[str]:
    """The names in the text of a type, in order."""
    return _NAME.findall(type_) if type_ else []


class TypeExchange:
    """Counts which new types stand where a missing type stood."""

    def __init__(self, old: Sequence[Symbol], new: Sequence[Symbol]) -> None:
        there, here = ({item.name for item in side if item.kind in CONTAINER} for side in (old, new))
        self._gone, self._fresh, self._kept = there - here, here - there, here & there
        self._users = [item for item in old if not self._gone.isdisjoint(type_names(item))]
        self._new: dict[Path, list[Symbol]] = defaultdict(list)
        for item in new:
            self._new[item.path].append(item)

    def count(self, chosen: Mapping[Path, Symbol], *, of_kept: bool = False) -> Counter[tuple[str, str]]:
        """The number of declarations by the name of the missing type and of the new one; with `of_kept`, of one that both releases
        have. `chosen` are matched symbols."""
        into = self._kept if of_kept else self._fresh
        found: Counter[tuple[str, str]] = Counter()
        for user in self._users:
            target = chosen.get(user.path)
            others = self._new.get(target.path if target is not None else user.path, ())
            if len(others) == 1:
                found.update(set(self._of_pair(user, others[0], into)))
        return found

    def _of_pair(self, old: Symbol, new: Symbol, into: Collection[str]) -> Iterator[tuple[str, str]]:
        """The exchanged types of one declaration: at the same place, between texts that have as many names."""
        places = [(old.returns, new.returns), *zip(old.bases, new.bases, strict=False)]
        if len(old.parameters) == len(new.parameters):
            places += [(mine.type, now.type) for mine, now in zip(old.parameters, new.parameters, strict=True)]
        for mine, now in places:
            ours, theirs = names_in_type(mine), names_in_type(now)
            if len(ours) == len(theirs):
                yield from (
                    (one, other) for one, other in zip(ours, theirs, strict=True) if one in self._gone and other in into
                )
