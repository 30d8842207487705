"""The probability that a symbol of the new release replaces one of the old, with the evidence in words.

Each signal changes the log odds by its value times its weight (logistic regression); `weights.toml` has the weights, fitted to
pairs of releases of libraries that state their renames themselves. Signals without information (a body of two words, a function
without parameters) have no value and add nothing.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.names.name_parts import (
    Bag,
    Rarity,
    are_opposite,
    changed_parts,
    cosine,
    parts_of,
    shared_start,
    words_of_text,
)
from fernshale.core.drift.parsing.source import plain_doc
from fernshale.core.drift.signal_weights import WeightTable
from fernshale.core.drift.symbols import CONTAINER, Symbol
from fernshale.core.drift.type_exchange import names_in_type

_PLAIN_VALUES = frozenset(
    ("", "0", "1", "-1", "None", "null", "nil", "true", "false", "True", "False", '""', "''", "[]", "{}")
)
# Symbols that can be gathered into an enumeration.
_VALUES = ("enumerator", "constant", "macro")
# Minimum log odds of a signal to be shown as evidence.
_MIN_ODDS_TO_SAY = 0.25
# The beginning of evidence texts about two symbols' scopes.
SAME_SCOPE = "both are in"
# The parts of a name that were put in the place of others.
Swap = tuple[tuple[str, ...], tuple[str, ...]]
# Members of classes, whose names often recur.
INNER = ("method", "field", "enumerator", "constructor")
_PLAIN_TYPES = frozenset(("", "void", "None", "bool", "int", "-> None"))


@dataclass(frozen=True)
class Traits:
    """A symbol with derived values.

    `rarity` is of the words of bodies, `doc_rarity` of those of documentation. `members` are the names it contains, `reach` those
    including inherited ones, `before` and `after` its neighbours in the file.
    """

    symbol: Symbol
    rarity: Rarity
    doc_rarity: Rarity
    members: frozenset[str] = frozenset()
    reach: frozenset[str] = frozenset()
    before: str = ""
    after: str = ""

    @cached_property
    def bag(self) -> Bag:
        own = self.symbol.name
        return Bag((word for word in self.symbol.words if word != own), self.rarity)

    @cached_property
    def doc(self) -> Bag:
        """The words of the documentation; empty if it is too short to say anything."""
        return Bag(words_of_text(doc_text(self.symbol)), self.doc_rarity)

    @cached_property
    def returns(self) -> str:
        return plain_type(self.symbol.returns)

    @cached_property
    def types(self) -> tuple[str, ...]:
        return tuple(plain_type(item.type) for item in self.symbol.parameters)


def doc_text(symbol: Symbol) -> str:
    """The beginning of the documentation that is compared, "" if it is too short to say anything."""
    return plain_doc(symbol.doc)[:300] if len(symbol.doc) >= 24 else ""


class Signal(NamedTuple):
    """One observation about a pair: its name in the table of weights, its value, and what it says in words, "" if nothing."""

    name: str
    value: float
    words: str = ""


class NameComparison(NamedTuple):
    """What two names say alone: how alike they are, 0..1, the signals of that, and the parts that differ."""

    alike: float
    signals: tuple[Signal, ...]
    swap: Swap


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
    scopes. `bases_of` gives the scopes that a scope of the new release inherits from.
    `exchanged` counts how often declarations that stayed, or were matched, have a new type in place of an old one, by names.
    `compared` keeps what pairs of names say alone: they recur in many classes and in the second pass.
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
    bases_of: Callable[[tuple[str, ...]], Collection[tuple[str, ...]]] = lambda _: ()
    exchanged: Mapping[tuple[str, str], int] = field(default_factory=dict)
    compared: dict[tuple[str, str], NameComparison] = field(default_factory=dict)


def sum_up(signals: Iterable[Signal], table: WeightTable) -> SymbolEvidence:
    """The log odds of some signals, and the words of those that speak for the pair."""
    weights, odds = table.weights, table.prior
    words = []
    for name, value, said in signals:
        part = weights[name] * value
        odds += part
        if said and part > _MIN_ODDS_TO_SAY:
            words.append((part, said))
    words.sort(key=lambda item: -item[0])
    return SymbolEvidence(odds, tuple(said for _, said in words))


def find_signals(old: Traits, new: Traits, world: World) -> list[Signal]:
    """What speaks for and against `new` replacing `old`."""
    found: list[Signal] = []

    def add(name: str, value: float, words: str = "") -> None:
        found.append(Signal(name, value, words))

    _weigh_name(old.symbol, new.symbol, world, add)
    _weigh_place(old.symbol, new.symbol, world, add)
    if old.symbol.kind in CONTAINER:
        _weigh_members(old, new, add)
        if times := world.exchanged.get((old.symbol.name, new.symbol.name), 0):
            words = f"{times} declarations that had {old.symbol.name} have {new.symbol.name}"
            add("declarations exchanged the type", min(3.0, math.log2(1 + times)), words)
    else:
        _weigh_signature(old, new, world, add)
    _weigh_body(old, new, world, add)
    if old.symbol.kind != new.symbol.kind and not (old.symbol.is_callable and new.symbol.kind == "class"):
        add("other kind, called alike" if old.symbol.is_callable == new.symbol.is_callable else "other kind", 1.0)
    _weigh_neighbours(old, new, world, add)
    return found


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
        further = max(0, len(parts_of(max(old.name, new.name, key=len))) - 2)
        add("further parts of the class and its member", float(further))
        add(
            "name is that of the class and its member",
            1.0,
            f"{old.name} is {new.name} of {new.scope[-1]}" if _is_unfolded(old, new) else f"{new.name} says the same",
        )
        return
    compared = world.compared.get((old.name, new.name))
    if compared is None:
        compared = world.compared[old.name, new.name] = _compare_names(old.name, new.name, world.names)
    if compared.alike == 1.0:
        # The same name in another scope; common names weigh less.
        rare = max((world.names.weight(part) for part in parts_of(old.name)), default=0.15)
        add("same name", 1.0, f"the name {old.name} stayed")
        add("rarity of the same name", rare)
        if old.name in world.unique and old.kind not in INNER and new.kind not in INNER:
            add("name is unique", 1.0, "nothing else has it")
        return
    for signal in compared.signals:
        add(*signal)
    together = world.swaps.get(compared.swap, 0) - 1
    if together > 0:
        words = swapped_words(compared.swap, together)
        add("others exchanged the same parts", min(2.4, math.log2(1 + together)), words)


def _compare_names(old: str, new: str, names: Rarity) -> NameComparison:
    alike = names.likeness(old, new)
    swap = changed_parts(old, new)
    signals = [Signal("likeness of the names", alike - 0.3, f"{old} and {new} are alike" if alike > 0.5 else "")]
    ours, theirs = parts_of(old), parts_of(new)
    if ours != theirs:
        length = max(len(ours), len(theirs), 1)
        signals.append(Signal("names begin alike", shared_start(ours, theirs) / length))
        signals.append(Signal("names end alike", shared_start(ours[::-1], theirs[::-1]) / length))
        if set(ours) < set(theirs) or set(theirs) < set(ours):
            signals.append(Signal("one name contains the other", 1.0))
    if are_opposite(*swap):
        signals.append(Signal("names say the opposite", 1.0))
    return NameComparison(alike, tuple(signals), swap)


def swapped_words(swap: Swap, times: int) -> str:
    """That others exchanged the same parts of their names, in words."""
    gone, come = ("".join(part) or "nothing" for part in swap)
    return f"{times} others went from {gone} to {come}" if gone != come else ""


def _weigh_place(old: Symbol, new: Symbol, world: World, add: _Add) -> None:
    scope = world.scope_of(old.scope)
    if new.scope == scope or (_is_unfolded(old, new) and new.scope[:-1] == scope):
        words = f"{SAME_SCOPE} {'.'.join(new.scope)}" if new.scope else ""
        add("same scope" if new.scope else "both without a scope", 1.0, words)
    elif new.scope[-1:] == scope[-1:] and scope:
        add("scope of the same name", 1.0, f"{SAME_SCOPE} a {scope[-1]}")
    elif _is_of_argument(old, new):
        add("owner is an argument", 1.0, f"its argument {new.scope[-1]} has it now")
    elif new.scope and new.scope in world.bases_of(scope):
        add("scope is a base", 1.0, f"{scope[-1]} inherits from {new.scope[-1]}")
    elif not (_is_unfolded(old, new) or _is_unfolded(new, old)):
        is_member = old.kind in INNER
        same = "same member in another class" if is_member else "same name in another scope"
        add("other scope" if old.name != new.name else same, 1.0)
    if (old.path, new.path) in world.sole:
        add("sole function" if old.is_callable else "sole symbol", 1.0, "nothing else went or came there")
    if world.file_of(old.file) == new.file:
        add("same file", 1.0, f"{SAME_SCOPE} {new.file}")


def _is_of_argument(old: Symbol, new: Symbol) -> bool:
    """Return whether a function became a method of one of its arguments."""
    return (
        new.kind == "method"
        and bool(new.scope)
        and any(new.scope[-1:] == tuple(names_in_type(item.type)[-1:]) for item in old.parameters)
    )


def _weigh_signature(old: Traits, new: Traits, world: World, add: _Add) -> None:
    ours, theirs = old.symbol.parameters, new.symbol.parameters
    types_before = old.types
    if _is_of_argument(old.symbol, new.symbol):
        # The argument is before the dot now.
        owner = new.symbol.scope[-1]
        at = next(at for at, item in enumerate(ours) if names_in_type(item.type)[-1:] == [owner])
        ours, types_before = (*ours[:at], *ours[at + 1 :]), (*types_before[:at], *types_before[at + 1 :])
    if old.symbol.is_callable and new.symbol.is_callable and (ours or theirs):
        shared, most = 0.0, max(len(ours), len(theirs))
        names = [item.name for item in theirs if item.name]
        types = list(new.types)
        for item, type_ in zip(ours, types_before, strict=True):
            now = world.type_of(type_)
            by_name = item.name in names
            by_type = bool(type_) and now in types
            shared += 1.0 if by_name and (by_type or not type_) else 0.6 if by_name or by_type else 0.0
            if by_name:
                names.remove(item.name)
            if by_type:
                types.remove(now)
        alike = shared / most
        words = "they take the same arguments" if alike > 0.8 else ""
        add("likeness of the parameters", (alike - 0.45) * min(1.0, 0.4 + most / 4), words)
    ours_back, theirs_back = world.type_of(old.returns), new.returns
    if ours_back and theirs_back:
        if ours_back != theirs_back:
            add("other result", 1.0)
        elif ours_back not in _PLAIN_TYPES:
            is_call = old.symbol.is_callable
            add("same result", 1.0, f"both give {new.symbol.returns}" if is_call else f"both are {new.symbol.returns}")
        else:
            add("same plain result", 1.0)
    values = old.symbol.value, new.symbol.value
    if values[0] and values[1] and not old.symbol.is_callable:
        if values[0] == values[1]:
            add(
                "same value" if values[0] not in _PLAIN_VALUES else "same plain value",
                1.0,
                f"both are {values[1]}" if len(values[1]) < 40 else "the same value",
            )
        else:
            add("other value", 1.0)


def _weigh_members(old: Traits, new: Traits, add: _Add) -> None:
    if old.symbol.bases and old.symbol.bases == new.symbol.bases:
        add("same bases", 1.0, f"both derive from {', '.join(new.symbol.bases)}")
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
        "likeness of the members",
        (0.5 * share + 0.5 * cover - 0.3) * min(1.0, small / 4),
        f"{shared} of {len(ours)} members are the same" if shared else "",
    )


def _weigh_body(old: Traits, new: Traits, world: World, add: _Add) -> None:
    if len(old.bag) >= 3 and len(new.bag) >= 3:
        alike = cosine(old.bag, new.bag)
        # Identical code is strong evidence, however short.
        length = min(1.0, min(len(old.bag), len(new.bag)) / (6 if alike > 0.97 else 14))
        add(
            "likeness of the code",
            (alike - 0.4) * length,
            "their code is nearly the same" if alike > 0.8 else "their code is alike" if alike > 0.55 else "",
        )
    if len(old.doc) and len(new.doc):
        # Declarations of one kind often differ in the rare words of their documentation only.
        alike = cosine(old.doc, new.doc)
        words = "their documentation says the same" if alike > 0.85 else ""
        add("likeness of the documentation", alike - 0.4, words)


def _weigh_neighbours(old: Traits, new: Traits, world: World, add: _Add) -> None:
    neighbours = [
        (mine, world.paired.get(mine, "") == other)
        for mine, other in ((old.before, new.before), (old.after, new.after))
    ]
    for mine, is_same in neighbours:
        if mine and is_same:
            add("same neighbour", 1.0)
    is_sole = old.symbol.kind == "enumerator" and (old.symbol.path, new.symbol.path) in world.sole
    if is_sole and all(is_same for _, is_same in neighbours):
        add("sole value at its place", 1.0, "it stands where that stood")
