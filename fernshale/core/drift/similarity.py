"""The probability that a symbol of the new release replaces one of the old, with the evidence in words.

Each signal changes the log odds by its value times its weight (logistic regression, see `pair_weights`). `weights.toml` has the
weights, fitted to pairs of releases of libraries that state their renames themselves. Signals without information (a body of
two words, a function without parameters) have no value and add nothing.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from fernshale.core.base.texts import english
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
from fernshale.core.drift.symbols import CONTAINER, Symbol
from fernshale.core.drift.type_exchange import names_in_type

_PLAIN_VALUES = frozenset(
    ("", "0", "1", "-1", "None", "null", "nil", "true", "false", "True", "False", '""', "''", "[]", "{}")
)
# Kinds whose name can be that of the other's scope and name together: see `is_unfolded`.
UNFOLDING = frozenset(
    (
        *((one, other) for one in ("enumerator", "constant", "macro") for other in ("enumerator", "field")),
        ("function", "method"),
    )
)
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
    def argument_types(self) -> frozenset[str]:
        """The names of the types of its parameters: the last one of each type as it is written."""
        return frozenset(name for item in self.symbol.parameters for name in names_in_type(item.type)[-1:])

    @cached_property
    def signature(self) -> tuple[object, ...]:
        """All that `signature_signals` uses of the symbol."""
        symbol = self.symbol
        named = tuple((item.name, item.type) for item in symbol.parameters)
        return symbol.is_callable, symbol.kind == "method", named, symbol.returns, symbol.value

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
    """What two names say alone: the signals, and the parts that differ; None for names that are the same or made in another way."""

    signals: tuple[Signal, ...]
    swap: Swap | None = None


_OTHER_KIND = Signal("other kind", 1.0)
_OTHER_KIND_CALLED_ALIKE = Signal("other kind, called alike", 1.0)
_OTHER_SCOPE = Signal("other scope", 1.0)
_SAME_MEMBER_ELSEWHERE = Signal("same member in another class", 1.0)
_SAME_NAME_ELSEWHERE = Signal("same name in another scope", 1.0)
_SOLE_FUNCTION = Signal("sole function", 1.0, "nothing else went or came there")
_SOLE_SYMBOL = Signal("sole symbol", 1.0, "nothing else went or came there")
_SAME_NEIGHBOUR = Signal("same neighbour", 1.0)
_SOLE_VALUE_AT_ITS_PLACE = Signal("sole value at its place", 1.0, "it stands where that stood")


@dataclass(frozen=True)
class World:
    """Knowledge about the two releases as a whole.

    `scope_of` maps old scopes to new ones, `name_of` renamed types to their new names, `file_of` moved files to new ones.
    `swaps` counts the replaced pairs of name parts. `paired` maps old to new names. `unique` are the names that occur once
    outside classes in either release. `sole` are the pairs of paths that are the only removed and the only added ones of their
    scopes. `bases_of` gives the scopes that a scope of the new release inherits from.
    `exchanged` counts how often declarations that stayed, or were matched, have a new type in place of an old one, by names.
    `moves` counts the matched names that went from an old scope to another one, and from a file to another one; `chosen` are the
    paths that were matched.
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
    moves: Mapping[tuple[object, object], int] = field(default_factory=dict)
    chosen: Mapping[tuple[str, ...], tuple[str, ...]] = field(default_factory=dict)


def find_signals(old: Traits, new: Traits, world: World) -> list[Signal]:
    """What speaks for and against `new` replacing `old`."""
    compared = compare_names(old.symbol, new.symbol, world)
    return [
        *compared.signals,
        *swap_signals(compared, world),
        *place_signals(old, new.symbol, world),
        *(member_signals(old, new, world) if old.symbol.kind in CONTAINER else signature_signals(old, new, world)),
        *body_signals(old, new),
        *kind_signals(old.symbol, new.symbol),
        *neighbour_signals(old, new, world),
    ]


def kind_signals(old: Symbol, new: Symbol) -> Sequence[Signal]:
    """What their kinds say."""
    if old.kind == new.kind or (old.is_callable and new.kind == "class"):
        return ()
    return (_OTHER_KIND_CALLED_ALIKE if is_called(old) == is_called(new) else _OTHER_KIND,)


def is_called(symbol: Symbol) -> bool:
    """Whether it is written like a function: a macro with small letters often is another name for one."""
    return symbol.is_callable or (symbol.kind == "macro" and not symbol.name.isupper())


def is_unfolded(one: Symbol, other: Symbol) -> bool:
    """Return whether the name of one equals the other's scope and name together: KIND_STONE and Kind::Stone, or a free function
    and a static one: tide_of_day and Tide::of_day."""
    return (
        (one.kind, other.kind) in UNFOLDING
        and bool(other.scope)
        and parts_of(one.name) == (*parts_of(other.scope[-1]), *parts_of(other.name))
    )


def compare_names(old: Symbol, new: Symbol, world: World) -> NameComparison:
    """What their names say alone, whatever else was matched. Depends on the names and kinds, and on `is_unfolded`."""
    if is_unfolded(old, new) or is_unfolded(new, old):
        # The more parts a name has, the less likely it is that another's are the same by chance.
        further = max(0, len(parts_of(max(old.name, new.name, key=len))) - 2)
        words = (
            english("{name} is {name2} of {scope}", name=old.name, name2=new.name, scope=new.scope[-1])
            if is_unfolded(old, new)
            else english("{name} says the same", name=new.name)
        )
        return NameComparison(
            (
                Signal("further parts of the class and its member", float(further)),
                Signal("name is that of the class and its member", 1.0, words),
            )
        )
    alike = world.names.likeness(old.name, new.name)
    if alike < 1.0:
        return _compare_names(old.name, new.name, alike)
    # The same name in another scope; common names weigh less.
    rare = max((world.names.weight(part) for part in parts_of(old.name)), default=0.15)
    signals = [
        Signal("same name", 1.0, english("the name {name} stayed", name=old.name)),
        Signal("rarity of the same name", rare),
    ]
    if old.name in world.unique and old.kind not in INNER and new.kind not in INNER:
        signals.append(Signal("name is unique", 1.0, "nothing else has it"))
    return NameComparison(tuple(signals))


def _compare_names(old: str, new: str, alike: float) -> NameComparison:
    swap = changed_parts(old, new)
    signals = [
        Signal(
            "likeness of the names",
            alike - 0.3,
            english("{name} and {now} are alike", name=old, now=new) if alike > 0.5 else "",
        )
    ]
    ours, theirs = parts_of(old), parts_of(new)
    if ours != theirs:
        length = max(len(ours), len(theirs), 1)
        signals.append(Signal("names begin alike", shared_start(ours, theirs) / length))
        signals.append(Signal("names end alike", shared_start(ours[::-1], theirs[::-1]) / length))
        # All parts of one are among those of the other, which has more.
        if bool(swap[0]) != bool(swap[1]):
            signals.append(Signal("one name contains the other", 1.0))
    if are_opposite(*swap):
        signals.append(Signal("names say the opposite", 1.0))
    return NameComparison(tuple(signals), swap)


def swap_signals(compared: NameComparison, world: World) -> Sequence[Signal]:
    """What other names say that changed in the same way."""
    together = world.swaps.get(compared.swap, 0) - 1 if compared.swap is not None else 0
    if together <= 0 or compared.swap is None:
        return ()
    words = swapped_words(compared.swap, together)
    return (Signal("others exchanged the same parts", min(2.4, math.log2(1 + together)), words),)


def swapped_words(swap: Swap, times: int) -> str:
    """That others exchanged the same parts of their names, in words."""
    gone, come = ("".join(part) or "nothing" for part in swap)
    return (
        english("{times} others went from {gone} to {come}", times=times, gone=gone, come=come) if gone != come else ""
    )


def place_signals(old: Traits, new: Symbol, world: World) -> list[Signal]:
    """What their scopes and files say."""
    one = old.symbol
    found = [scope_signal(old, new, world.scope_of(one.scope), world)]
    if (one.path, new.path) in world.sole:
        found.append(_SOLE_FUNCTION if one.is_callable else _SOLE_SYMBOL)
    if world.file_of(one.file) == new.file:
        found.append(Signal("same file", 1.0, english("both are in {scope}", scope=new.file)))
    is_chosen = world.chosen.get(one.path) == new.path
    if new.scope != world.scope_of(one.scope):
        there = ".".join(new.scope)
        found.append(
            _moves_signal("others went to its scope", world.moves.get((one.scope, new.scope), 0) - is_chosen, there)
        )
    if new.file != world.file_of(one.file):
        found.append(
            _moves_signal("others went to its file", world.moves.get((one.file, new.file), 0) - is_chosen, new.file)
        )
    return [signal for signal in found if signal is not None]


def _moves_signal(name: str, others: int, there: str) -> Signal | None:
    if others <= 0:
        return None
    words = english("{times} others are in {scope} now", times=others, scope=there) if there else ""
    return Signal(name, value_of_moves(others), words)


def value_of_moves(others: int) -> float:
    """How much it says that so many others went to the same place."""
    return min(3.0, math.log2(1 + others))


def scope_signal(old: Traits, new: Symbol, scope: tuple[str, ...], world: World) -> Signal | None:
    """What their scopes say. `scope` is what the old one's became."""
    one = old.symbol
    if new.scope == scope or (is_unfolded(one, new) and new.scope[:-1] == scope):
        words = english("both are in {scope}", scope=".".join(new.scope)) if new.scope else ""
        return Signal("same scope" if new.scope else "both without a scope", 1.0, words)
    if new.scope[-1:] == scope[-1:] and scope:
        return Signal("scope of the same name", 1.0, english("both are in a {scope}", scope=scope[-1]))
    if is_of_argument(old, new):
        return Signal("owner is an argument", 1.0, english("its argument {type} has it now", type=new.scope[-1]))
    if new.scope and new.scope in world.bases_of(scope):
        return Signal(
            "scope is a base", 1.0, english("{type} inherits from {base}", type=scope[-1], base=new.scope[-1])
        )
    if is_unfolded(one, new) or is_unfolded(new, one):
        return None
    if one.name != new.name:
        return _OTHER_SCOPE
    return _SAME_MEMBER_ELSEWHERE if one.kind in INNER else _SAME_NAME_ELSEWHERE


def is_of_argument(old: Traits, new: Symbol) -> bool:
    """Return whether a function became a method of one of its arguments."""
    return new.kind == "method" and bool(new.scope) and new.scope[-1] in old.argument_types


def signature_signals(old: Traits, new: Traits, world: World) -> list[Signal]:
    """What their parameters, results and values say. Depends on `Traits.signature` of both, on the types that are mapped, and on
    `is_of_argument` with the owner's name."""
    found = _parameter_signals(old, new, world)
    ours, theirs = world.type_of(old.returns), new.returns
    if ours and theirs:
        if ours != theirs:
            found.append(Signal("other result", 1.0))
        elif ours not in _PLAIN_TYPES:
            gives = new.symbol.returns
            words = (
                english("both give {type}", type=gives)
                if old.symbol.is_callable
                else english("both are {now}", now=gives)
            )
            found.append(Signal("same result", 1.0, words))
        else:
            found.append(Signal("same plain result", 1.0))
    before, now = old.symbol.value, new.symbol.value
    if before and now and not old.symbol.is_callable:
        if before != now:
            found.append(Signal("other value", 1.0))
        else:
            words = english("both are {now}", now=now) if len(now) < 40 else english("the same value")
            found.append(Signal("same value" if before not in _PLAIN_VALUES else "same plain value", 1.0, words))
    return found


def _parameter_signals(old: Traits, new: Traits, world: World) -> list[Signal]:
    ours, theirs, types_before = old.symbol.parameters, new.symbol.parameters, old.types
    if is_of_argument(old, new.symbol):
        # The argument is before the dot now.
        owner = new.symbol.scope[-1]
        at = next(at for at, item in enumerate(ours) if names_in_type(item.type)[-1:] == [owner])
        ours, types_before = (*ours[:at], *ours[at + 1 :]), (*types_before[:at], *types_before[at + 1 :])
    if not (old.symbol.is_callable and new.symbol.is_callable and (ours or theirs)):
        return []
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
    words = english("they take the same arguments") if alike > 0.8 else ""
    return [Signal("likeness of the parameters", (alike - 0.45) * min(1.0, 0.4 + most / 4), words)]


def member_signals(old: Traits, new: Traits, world: World) -> list[Signal]:
    """What the bases and members of two containers say, and the declarations that use them."""
    found = []
    if old.symbol.bases and old.symbol.bases == new.symbol.bases:
        found.append(Signal("same bases", 1.0, english("both derive from {bases}", bases=", ".join(new.symbol.bases))))
    # Members inherited by one count where the other declares them: they may have moved to a base.
    ours = old.members | (old.reach & new.members)
    theirs = new.members | (new.reach & old.members)
    if small := min(len(ours), len(theirs)):
        shared = len(ours & theirs)
        share = shared / len(ours | theirs)
        cover = shared / small
        value = (0.5 * share + 0.5 * cover - 0.3) * min(1.0, small / 4)
        words = english("{shared} of {number} members are the same", shared=shared, number=len(ours)) if shared else ""
        found.append(Signal("likeness of the members", value, words))
    if times := world.exchanged.get((old.symbol.name, new.symbol.name), 0):
        words = english(
            "{times} declarations that had {name} have {name2}",
            times=times,
            name=old.symbol.name,
            name2=new.symbol.name,
        )
        found.append(Signal("declarations exchanged the type", min(3.0, math.log2(1 + times)), words))
    return found


def body_signals(old: Traits, new: Traits) -> list[Signal]:
    """What their code and their documentation say, whatever else was matched."""
    found = []
    if len(old.bag) >= 3 and len(new.bag) >= 3:
        alike = cosine(old.bag, new.bag)
        # Identical code is strong evidence, however short.
        length = min(1.0, min(len(old.bag), len(new.bag)) / (6 if alike > 0.97 else 14))
        words = (
            english("their code is nearly the same")
            if alike > 0.8
            else english("their code is alike")
            if alike > 0.55
            else ""
        )
        found.append(Signal("likeness of the code", (alike - 0.4) * length, words))
    if len(old.doc) and len(new.doc):
        # Declarations of one kind often differ in the rare words of their documentation only.
        alike = cosine(old.doc, new.doc)
        words = english("their documentation says the same") if alike > 0.85 else ""
        found.append(Signal("likeness of the documentation", alike - 0.4, words))
    return found


def neighbour_signals(old: Traits, new: Traits, world: World) -> list[Signal]:
    """What the symbols before and after them in their files say."""
    paired = world.paired
    is_before = bool(old.before) and paired.get(old.before, "") == new.before
    is_after = bool(old.after) and paired.get(old.after, "") == new.after
    found = [_SAME_NEIGHBOUR] * (is_before + is_after)
    if old.symbol.kind == "enumerator" and (old.symbol.path, new.symbol.path) in world.sole:
        # At an end of the list, there is no neighbour on either side.
        ends = (not old.before and not new.before, not old.after and not new.after)
        if (is_before or ends[0]) and (is_after or ends[1]):
            found.append(_SOLE_VALUE_AT_ITS_PLACE)
    return found
