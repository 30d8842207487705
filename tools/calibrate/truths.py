"""Truths of a pair of releases: old names with the successor that a release itself states, and names it removed for good.

What states a successor is withheld from the comparison: deprecation texts, documentation that points elsewhere, and the bodies
of forwarders. So the comparison is measured as on a library that says nothing.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

from fernshale.core.drift.release_symbols import ReleaseSymbols, languages_of, list_sources
from fernshale.core.drift.stated.removals import Removals
from fernshale.core.drift.stated.replacements import ReleaseNames, find_replacement, forwards_to, made_alias
from fernshale.core.drift.symbols import CONTAINER, Symbol

SymbolPath = tuple[str, ...]
_OF_ARGUMENT = re.compile(r"(?i)\b(?:argument|parameter|keyword|option|overload)s?\b")
# Facts that have the same names, or the same successor.
_MAX_ALIKE = 4
_POINTER = re.compile(r"(?i)\b(?:use|see|instead|replaced|renamed|deprecated|alias|since|favou?r)\b")


@dataclass(frozen=True)
class Fact:
    """A statement of a release: `old` is called `new`. Both are full paths, in the first and in the last release."""

    old: SymbolPath
    new: SymbolPath
    said: str


def find_facts(releases: Sequence[Sequence[Symbol]], folder: Path) -> tuple[Fact, ...]:
    """What some releases of a library state about names of the first, as names of the last. `folder` is that of the last."""
    stated: dict[_Key, tuple[_Key, str]] = {}
    for symbols in releases:
        for key, target in stated_by(symbols).items():
            stated.setdefault(key, target)
    last = ReleaseNames(releases[-1])
    for symbol in releases[0]:
        if key_of(symbol) not in stated and (said := _removals(folder).of(symbol.name)):
            found = find_replacement(said, symbol, last)
            if found is not None and found.is_whole:
                stated[key_of(symbol)] = key_of(found.symbol), said
    by_key: dict[_Key, list[Symbol]] = defaultdict(list)
    for symbol in releases[-1]:
        by_key[key_of(symbol)].append(symbol)
    facts = {}
    for symbol in releases[0]:
        answer, why = _follow(key_of(symbol), stated)
        answers = {item.path for item in by_key.get(answer, ())} if why else set()
        if answers and symbol.path not in answers and symbol.kind != "constructor":
            # Of several the one in the module most like the old one's.
            facts[symbol.path] = Fact(
                symbol.path, max(sorted(answers), key=lambda path: _shared(path, symbol.path)), why
            )
    return _without_repeated([facts[path] for path in sorted(facts)])


@dataclass(frozen=True)
class Case:
    """Two releases without their statements: as if the successors were new and the old names were missing now."""

    old: tuple[Symbol, ...]
    new: tuple[Symbol, ...]
    successors: dict[SymbolPath, SymbolPath]


def make_case(old: Sequence[Symbol], new: Sequence[Symbol], facts: Sequence[Fact]) -> Case:
    """What the comparison is measured with: it must find each fact without the statement."""
    successors = {fact.old: fact.new for fact in facts}
    targets = set(successors.values())
    by_key = {key_of(item) for item in new if item.path in targets}
    stated = {key_of(item) for item in old if item.deprecated or "obsolete" in item.marks}
    renamed = {key_of(item) for item in old if item.path in successors}
    was_there = {item.path for item in old if key_of(item) in by_key and item.path not in successors}
    stayed = {item.path for item in new if key_of(item) in renamed and item.path not in targets}
    return Case(
        tuple(_withheld(item, key_of(item) in stated) for item in old if not _is_below(item.path, was_there)),
        tuple(_withheld(item, False) for item in new if item.path in targets or not _is_below(item.path, stayed)),
        successors,
    )


def _is_below(path: SymbolPath, removed: Collection[SymbolPath]) -> bool:
    return any(path[:end] in removed for end in range(len(path), 0, -1))


_Key = tuple[str, str]


def key_of(symbol: Symbol) -> _Key:
    """A name as users know it: with its class, without the module, which may differ between releases."""
    return (symbol.scope[-1] if symbol.scope and symbol.kind in _MEMBERS else "", symbol.name)


_MEMBERS = ("method", "field", "enumerator", "constructor")


@cache
def _removals(folder: Path) -> Removals:
    return Removals(ReleaseSymbols(folder, (), frozenset(list_sources(folder, languages_of("")))))


def is_right(path: SymbolPath, right: SymbolPath) -> bool:
    """Whether it is the same name of the same class or module; a class in another module is the same for users."""
    return path[-1] == right[-1] and path[-2:-1] == right[-2:-1]


def visible(symbols: Sequence[Symbol]) -> tuple[Symbol, ...]:
    """The symbols that users of a release can name."""
    return tuple(item for item in symbols if not item.is_hidden)


def stated_by(symbols: Sequence[Symbol]) -> dict[_Key, tuple[_Key, str]]:
    """What one release states: old name to new name, where nothing but the name changes."""
    names = ReleaseNames(symbols)
    overloads: dict[SymbolPath, list[Symbol]] = defaultdict(list)
    for item in symbols:
        overloads[item.path].append(item)
    found: dict[_Key, tuple[_Key, str]] = {}
    for listed in overloads.values():
        item = listed[0]
        if (alias := made_alias(item)) and (target := names.find_only(alias, item)) is not None:
            found[key_of(item)] = key_of(target), "an alias"
            continue
        # A text about one of several overloads, or about an argument, is not about the name.
        if not all(each.deprecated or "obsolete" in each.marks for each in listed) or _OF_ARGUMENT.search(
            item.deprecated
        ):
            continue
        said = find_replacement(item.deprecated, item, names) if item.deprecated else None
        forwarded = forwards_to(item, names)
        if said is not None and said.is_whole and _is_alike(item, said.symbol):
            found[key_of(item)] = key_of(said.symbol), " ".join(item.deprecated.split())[:160]
        elif forwarded is not None and forwarded[1] and _is_alike(item, forwarded[0]):
            found[key_of(item)] = key_of(forwarded[0]), "it passes on to it"
    return found


def _is_alike(old: Symbol, new: Symbol) -> bool:
    """Return whether one may replace the other with nothing but the name changed."""
    if "constructor" in (old.kind, new.kind) or (old.kind in CONTAINER) != (new.kind in CONTAINER):
        return False
    return old.is_callable == new.is_callable or "macro" in (old.kind, new.kind)


def _without_repeated(facts: Sequence[Fact]) -> tuple[Fact, ...]:
    """The facts without those of a name that many classes have, or of a successor that stands for many names."""
    names = Counter((fact.old[-1], fact.new[-1]) for fact in facts)
    targets = Counter(fact.new for fact in facts)
    return tuple(
        fact for fact in facts if names[fact.old[-1], fact.new[-1]] <= _MAX_ALIKE and targets[fact.new] <= _MAX_ALIKE
    )


def _follow(key: _Key, stated: dict[_Key, tuple[_Key, str]]) -> tuple[_Key, str]:
    seen, said = [key], ""
    while seen[-1] in stated:
        target, text = stated[seen[-1]]
        if target in seen:
            return key, ""
        said = said or text
        seen.append(target)
    return seen[-1], said


def _shared(one: SymbolPath, other: SymbolPath) -> int:
    return sum(a == b for a, b in zip(one, other, strict=False))


def _withheld(symbol: Symbol, is_stated: bool) -> Symbol:
    """The symbol without what it says about a successor; of one that has a successor in its own release, without its body."""
    doc = "" if _POINTER.search(symbol.doc) else symbol.doc
    return replace(
        symbol, deprecated="", doc=doc, words=() if is_stated else symbol.words, value="" if is_stated else symbol.value
    )
