"""The probability that a symbol of the new release replaces one of the old, with the evidence in words.

Each feature changes the odds (a naive Bayes sum in log odds); the weights were set with releases of libraries whose own
deprecation texts state their renames. Features without information (a body of two words, a function without parameters) add
nothing.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from functools import cached_property

from rapidfuzz import fuzz

from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.names.name_parts import Bag, Rarity, changed_parts, cosine, parts_of
from fernshale.core.drift.parsing.source import plain_doc
from fernshale.core.drift.symbols import CONTAINER, Symbol

# Prior log odds of two symbols without further knowledge.
_PRIOR = -4.2
_PLAIN_VALUES = frozenset(
    ("", "0", "1", "-1", "None", "null", "nil", "true", "false", "True", "False", '""', "''", "[]", "{}")
)
# Symbols that can be gathered into an enumeration; and the weight of a name that was divided accordingly.
_VALUES = ("enumerator", "constant", "macro")
_UNFOLDED = 5.2
# The beginning of evidence texts about two symbols' scopes.
SAME_SCOPE = "both are in"
# The parts of a name that were put in the place of others.
Swap = tuple[tuple[str, ...], tuple[str, ...]]
# Members of classes, whose names often recur; and the weight of a name that is unique.
INNER = ("method", "field", "enumerator", "constructor")
_ALONE = 1.8
# The weight of being the only removed and the only added symbol of a kind in a class: for functions, for other symbols, and
# additionally for an enumeration's value at the same position.
_SOLE = 1.4
_SOLE_OTHER = 0.7
_SOLE_VALUE = 3.5
_PLAIN_TYPES = frozenset(("", "void", "None", "bool", "int", "-> None"))


@dataclass(frozen=True)
class Traits:
    """A symbol with derived values. `rarity` is of the words of bodies, `members` are the names it contains, `reach` those
    including inherited ones, `after` and `before` its neighbours in the file."""

    symbol: Symbol
    rarity: Rarity
    members: frozenset[str] = frozenset()
    reach: frozenset[str] = frozenset()
    before: str = ""
    after: str = ""

    @cached_property
    def bag(self) -> Bag:
        own = self.symbol.name
        return Bag((word for word in self.symbol.words if word != own), self.rarity)

    @cached_property
    def doc(self) -> str:
        return plain_doc(self.symbol.doc)[:300] if len(self.symbol.doc) >= 24 else ""

    @cached_property
    def returns(self) -> str:
        return plain_type(self.symbol.returns)

    @cached_property
    def types(self) -> tuple[str, ...]:
        return tuple(plain_type(item.type) for item in self.symbol.parameters)


@dataclass(frozen=True, slots=True)
class SymbolEvidence:
    """The evidence for a pair, strongest first, and the resulting log odds."""

    odds: float
    words: tuple[str, ...]


@dataclass(frozen=True)
class World:
    """Knowledge about the two releases as a whole.

    `scope_of` maps old scopes to new ones, `name_of` renamed types to their new names, `file_of` moved files to new ones.
    `swaps` counts the replaced pairs of name parts. `paired` maps old to new names. `unique` are the names that occur once
    outside classes in either release. `sole` are the pairs of paths that are the only removed and the only added ones of their
    scopes.
    """

    names: Rarity
    words: Rarity
    scope_of: Callable[[tuple[str, ...]], tuple[str, ...]]
    type_of: Callable[[str], str]
    file_of: Callable[[str], str]
    swaps: Mapping[Swap, int]
    paired: Mapping[str, str]
    unique: Collection[str] = ()
    sole: Collection[tuple[tuple[str, ...], tuple[str, ...]]] = ()


def weigh(old: Traits, new: Traits, world: World) -> SymbolEvidence:
    """Weigh the evidence that `new` replaces `old`."""
    found: list[tuple[float, str]] = []

    def add(odds: float, words: str = "") -> None:
        found.append((odds, words))

    _weigh_name(old.symbol, new.symbol, world, add)
    _weigh_place(old.symbol, new.symbol, world, add)
    if old.symbol.kind in CONTAINER:
        _weigh_members(old, new, add)
    else:
        _weigh_signature(old, new, world, add)
    _weigh_body(old, new, world, add)
    if old.symbol.kind != new.symbol.kind and not (old.symbol.is_callable and new.symbol.kind == "class"):
        add(-0.5 if old.symbol.is_callable == new.symbol.is_callable else -1.2)
    _weigh_neighbours(old, new, world, add)
    told = sorted((item for item in found if item[1] and item[0] > 0.25), key=lambda item: -item[0])
    return SymbolEvidence(_PRIOR + sum(odds for odds, _ in found), tuple(words for _, words in told))


_Add = Callable[..., None]


def _is_unfolded(one: Symbol, other: Symbol) -> bool:
    """Return whether the name of one equals the other's scope and name together: KIND_STONE and Kind::Stone, or a free function
    and a static one: tide_of_day and Tide::of_day."""
    is_value = one.kind in _VALUES and other.kind in ("enumerator", "field")
    is_call = one.kind == "function" and other.kind == "method"
    return (
        (is_value or is_call)
        and bool(other.scope)
        and parts_of(one.name) == (*parts_of(other.scope[-1]), *parts_of(other.name))
    )


def _weigh_name(old: Symbol, new: Symbol, world: World, add: _Add) -> None:
    if _is_unfolded(old, new) or _is_unfolded(new, old):
        # The more parts a name has, the less likely it is that another's are the same by chance.
        told = _UNFOLDED + 0.4 * max(0, len(parts_of(max(old.name, new.name, key=len))) - 2)
        add(
            told,
            f"{old.name} is {new.name} of {new.scope[-1]}" if _is_unfolded(old, new) else f"{new.name} says the same",
        )
        return
    alike = world.names.likeness(old.name, new.name)
    if alike == 1.0:
        # The same name in another scope; common names weigh less.
        rare = max((world.names.weight(part) for part in parts_of(old.name)), default=0.15)
        add(2.2 + 3.2 * rare, f"the name {old.name} stayed")
        if old.name in world.unique and old.kind not in INNER and new.kind not in INNER:
            add(_ALONE, "nothing else has it")
        return
    add(6.2 * (alike - 0.3), f"{old.name} and {new.name} are alike" if alike > 0.5 else "")
    swap = changed_parts(old.name, new.name)
    together = world.swaps.get(swap, 0) - 1
    if together > 0:
        add(min(2.6, 1.1 * math.log2(1 + together)), swapped_words(swap, together))


def swapped_words(swap: Swap, times: int) -> str:
    """That others exchanged the same parts of their names, in words."""
    gone, come = ("".join(part) or "nothing" for part in swap)
    return f"{times} others went from {gone} to {come}" if gone != come else ""


def _weigh_place(old: Symbol, new: Symbol, world: World, add: _Add) -> None:
    scope = world.scope_of(old.scope)
    if new.scope == scope or (_is_unfolded(old, new) and new.scope[:-1] == scope):
        words = f"{SAME_SCOPE} {'.'.join(new.scope)}" if new.scope else ""
        add(1.5 if new.scope else 0.4, words)
    elif new.scope[-1:] == scope[-1:] and scope:
        add(0.7, f"{SAME_SCOPE} a {scope[-1]}")
    elif not (_is_unfolded(old, new) or _is_unfolded(new, old)):
        add(-0.9)
    if (old.path, new.path) in world.sole:
        add(_SOLE if old.is_callable else _SOLE_OTHER, "nothing else went or came there")
    if world.file_of(old.file) == new.file:
        add(0.6, f"{SAME_SCOPE} {new.file}")


def _weigh_signature(old: Traits, new: Traits, world: World, add: _Add) -> None:
    ours, theirs = old.symbol.parameters, new.symbol.parameters
    if old.symbol.is_callable and new.symbol.is_callable and (ours or theirs):
        shared, told = 0.0, max(len(ours), len(theirs))
        names = [item.name for item in theirs if item.name]
        types = list(new.types)
        for item, type_ in zip(ours, old.types, strict=True):
            now = world.type_of(type_)
            by_name = item.name in names
            by_type = bool(type_) and now in types
            shared += 1.0 if by_name and (by_type or not type_) else 0.6 if by_name or by_type else 0.0
            if by_name:
                names.remove(item.name)
            if by_type:
                types.remove(now)
        alike = shared / told
        add(2.8 * (alike - 0.45) * min(1.0, 0.4 + told / 4), "they take the same arguments" if alike > 0.8 else "")
    ours_back, theirs_back = world.type_of(old.returns), new.returns
    if ours_back and theirs_back:
        if ours_back != theirs_back:
            add(-0.7)
        elif ours_back not in _PLAIN_TYPES:
            add(0.8, f"both give {new.symbol.returns}" if old.symbol.is_callable else f"both are {new.symbol.returns}")
        else:
            add(0.2)
    values = old.symbol.value, new.symbol.value
    if values[0] and values[1]:
        if values[0] == values[1]:
            add(
                1.6 if values[0] not in _PLAIN_VALUES else 0.3,
                f"both are {values[1]}" if len(values[1]) < 40 else "the same value",
            )
        else:
            add(-0.4)


def _weigh_members(old: Traits, new: Traits, add: _Add) -> None:
    if old.symbol.bases and old.symbol.bases == new.symbol.bases:
        add(0.5, f"both derive from {', '.join(new.symbol.bases)}")
    # Members inherited by one count where the other declares them: they may have moved to a base.
    ours = old.members | (old.reach & new.members)
    theirs = new.members | (new.reach & old.members)
    small = min(len(ours), len(theirs))
    if not small:
        return
    shared = len(ours & theirs)
    share = shared / len(ours | theirs)
    cover = shared / small
    add(
        5.5 * (0.5 * share + 0.5 * cover - 0.3) * min(1.0, small / 4),
        f"{shared} of {len(ours)} members are the same" if shared else "",
    )


def _weigh_body(old: Traits, new: Traits, world: World, add: _Add) -> None:
    if len(old.bag) >= 3 and len(new.bag) >= 3:
        alike = cosine(old.bag, new.bag)
        # Identical code is strong evidence, however short.
        told = min(1.0, min(len(old.bag), len(new.bag)) / (6 if alike > 0.97 else 14))
        add(
            6.5 * (alike - 0.4) * told,
            "their code is nearly the same" if alike > 0.8 else "their code is alike" if alike > 0.55 else "",
        )
    if old.doc and new.doc:
        alike = 1.0 if old.doc == new.doc else fuzz.token_set_ratio(old.doc, new.doc) / 100
        add(4.0 * (alike - 0.6), "their documentation says the same" if alike > 0.85 else "")


def _weigh_neighbours(old: Traits, new: Traits, world: World, add: _Add) -> None:
    neighbours = [
        (mine, world.paired.get(mine, "") == other)
        for mine, other in ((old.before, new.before), (old.after, new.after))
    ]
    for mine, is_same in neighbours:
        if mine and is_same:
            add(0.7, "")
    is_sole = old.symbol.kind == "enumerator" and (old.symbol.path, new.symbol.path) in world.sole
    if is_sole and all(is_same for _, is_same in neighbours):
        add(_SOLE_VALUE, "it stands where that stood")
