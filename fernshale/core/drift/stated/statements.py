"""Replacements that releases state for a symbol, as candidates: deprecation texts, notes about removals, and aliases."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from fernshale.core.base.confidence import (
    FORWARDED,
    FORWARDED_WITH_CAST,
    PERHAPS_FORWARDED,
    SHARE_OTHER_KIND,
    STATED,
    STATED_WITH_MORE,
)
from fernshale.core.base.texts import english
from fernshale.core.drift.matching import SymbolCandidate
from fernshale.core.drift.stated.between import ReleaseBetween
from fernshale.core.drift.stated.passed_on import METAVARIABLE, passed_call
from fernshale.core.drift.stated.removals import Removals
from fernshale.core.drift.stated.replacements import ReleaseNames, find_replacement, forwards_to
from fernshale.core.drift.stated.stated_calls import stated_call
from fernshale.core.drift.symbols import CONTAINER, Symbol

# Minimum share, 0..1, of a candidate's score from likeness for which its statement and its likeness support each other.
_MIN_LIKENESS = 0.75
_VALUES = ("field", "constant", "enumerator")
# Minimum score of a statement that comes before all likeness, and of a candidate whose own replacement is meant.
_MIN_SURE = 0.5


@dataclass(frozen=True)
class Statements:
    """Where statements are found: `names` are the symbols of the new release, `removals` its notes, `between` earlier releases."""

    names: ReleaseNames
    removals: Removals
    between: tuple[ReleaseBetween, ...] = ()

    def added_to(
        self, found: Sequence[SymbolCandidate], symbol: Symbol, scope: tuple[str, ...]
    ) -> tuple[SymbolCandidate, ...]:
        """Return the candidates for an old symbol with the stated one first; `scope` is the new scope of its owner."""
        # A symbol of the same name may exist elsewhere, and be deprecated there, too.
        stayed = (
            item.symbol.deprecated
            for at, item in enumerate(found)
            if (not at and item.score >= _MIN_SURE) or item.symbol.name == symbol.name
        )
        top = (
            stated_candidate(symbol, scope, symbol.deprecated, english("the old release says"), self.names)
            or stated_candidate(
                symbol, scope, next(filter(None, stayed), ""), english("the new release says"), self.names
            )
            or _stated_removal(symbol, scope, self.removals, english("the new release"), self.names)
            or _passed_on(symbol, scope, self.names)
            or self._stated_between(symbol, scope)
            or _forwarded(symbol, self.names)
        )
        if top is None:
            return tuple(found)
        return self._first_of(with_call(top, symbol, scope, self.names), found, symbol)

    def _first_of(
        self, top: SymbolCandidate, found: Sequence[SymbolCandidate], symbol: Symbol
    ) -> tuple[SymbolCandidate, ...]:
        known = next((item for item in found if item.symbol.path == top.symbol.path), None)
        if known is not None:
            # A candidate that is both named by the text and very similar gets a higher score than by either. A forwarder with
            # the old name is no rival.
            same_name = next(
                (item.score for item in found if item.symbol.name == symbol.name and item.symbol.deprecated), 0.0
            )
            like = min(1.0, known.score / (1 - same_name)) if same_name < 1 else 0.0
            both = 1 - (1 - top.score) * (1 - like) if like >= _MIN_LIKENESS else 0.0
            score = round(max(top.score, known.score, both), 3)
            top = replace(top, score=score, evidence=(*top.evidence, *known.evidence))
        others = [item for item in found if item is not known]
        if top.score >= _MIN_SURE:
            rest = [replace(item, score=round(item.score * (1 - top.score), 3)) for item in others]
            return (top, *(item for item in rest if item.score >= 0.01))[:5]
        # An unsure statement and likeness are witnesses for one successor: at most one candidate is right.
        like = min(1.0, sum(item.score for item in others))
        total = 1 - top.score * like
        rest = [replace(item, score=round(item.score * (1 - top.score) / total, 3)) for item in others]
        listed = (replace(top, score=round(top.score * (1 - like) / total, 3)), *rest)
        return tuple(sorted((item for item in listed if item.score >= 0.01), key=lambda item: -item.score))[:5]

    def _stated_between(self, symbol: Symbol, scope: tuple[str, ...], first: int = 0) -> SymbolCandidate | None:
        """Return the replacement that a release between the two states, from the one with index `first` on.

        Where the new release does not have the replacement any more, a later one may state what replaced that.
        """
        for at in reversed(range(first, len(self.between))):
            release = self.between[at]
            if found := _stated_by(release, symbol, scope, self.names):
                return found
            step = _stated_by(release, symbol, scope, release.names)
            if step is not None and step.symbol.path != symbol.path:
                there = self.names.at(step.symbol.path)
                if there is not None:
                    return replace(step, symbol=there)
                if further := self._stated_between(step.symbol, step.symbol.scope, at + 1):
                    score = min(step.score, further.score)
                    return replace(further, score=score, evidence=(*step.evidence, *further.evidence))
        return None


def _stated_by(
    release: ReleaseBetween, symbol: Symbol, scope: tuple[str, ...], names: ReleaseNames
) -> SymbolCandidate | None:
    """Return the replacement, one of `names`, that a release between the two states for a symbol of the old one."""
    declared = release.declarations(symbol)
    for item in declared:
        found = (
            stated_candidate(
                item, scope, item.deprecated, english("{label}, in between, says", label=release.label), names
            )
            or _passed_on(item, scope, names)
            or _forwarded(item, names)
        )
        if found is not None:
            return for_parameters_of(found, item, symbol)
    if declared:
        return None
    return _stated_removal(symbol, scope, release.removals, english("{label}, in between,", label=release.label), names)


def for_parameters_of(candidate: SymbolCandidate, stated: Symbol, symbol: Symbol) -> SymbolCandidate:
    """A candidate whose call has the parameters of one declaration, for another one: with the names that are at their places
    there. A call of another number of parameters is none, and the new name alone is unsure."""
    if not candidate.call:
        return candidate
    if len(stated.given) != len(symbol.given):
        return replace(candidate, call="", score=min(candidate.score, STATED_WITH_MORE))
    names = {one.name: other.name for one, other in zip(stated.given, symbol.given, strict=True)}
    call = METAVARIABLE.sub(lambda found: f"${names.get(found[1], found[1])}", candidate.call)
    return replace(candidate, call=call)


def _stated_removal(
    symbol: Symbol, scope: tuple[str, ...], removals: Removals, who: str, names: ReleaseNames
) -> SymbolCandidate | None:
    return stated_candidate(
        symbol, scope, removals.of(symbol.name), english("{who} says of its removal", who=who), names
    )


def stated_candidate(
    symbol: Symbol, scope: tuple[str, ...], text: str, who: str, names: ReleaseNames
) -> SymbolCandidate | None:
    """Return the replacements that a text about a symbol names; `scope` is the new scope of its owner."""
    evidence = (english("{who}: {words}", who=who, words=short(text)),)
    if text and (call := stated_call(text, symbol, names)) is not None:
        return SymbolCandidate(call.target, STATED if call.is_whole else STATED_WITH_MORE, evidence, call=call.text)
    stated = find_replacement(text, symbol, names) if text else None
    if stated is None:
        return None
    score = STATED if stated.is_whole else STATED_WITH_MORE
    if stated.symbol.kind in CONTAINER and symbol.kind not in CONTAINER:
        # A constant of that name in the named type; else it is done by other means now.
        there = names.at((*stated.symbol.path, symbol.name)) if symbol.kind in _VALUES else None
        if there is not None and there.kind in _VALUES and not stated.written:
            stated = replace(stated, symbol=there, is_plain=False)
        else:
            score *= SHARE_OTHER_KIND
    is_member = symbol.kind in ("method", "field") and stated.symbol.kind in ("method", "field")
    if is_member and stated.is_plain and stated.symbol.scope[-1:] not in (symbol.scope[-1:], scope[-1:]):
        score *= SHARE_OTHER_KIND  # a member of that name, but nothing says that it is this one
    return SymbolCandidate(stated.symbol, score, evidence, stated.written)


def _passed_on(symbol: Symbol, scope: tuple[str, ...], names: ReleaseNames) -> SymbolCandidate | None:
    """Return the symbol that the body of a function calls in another form."""
    passed = passed_call(symbol, scope, names)
    if passed is None or passed.is_plain:
        return None
    return SymbolCandidate(
        passed.target, FORWARDED, (english("its body was only {code}", code=short(symbol.value)),), call=passed.text
    )


def _forwarded(symbol: Symbol, names: ReleaseNames) -> SymbolCandidate | None:
    """Return the symbol that another one is an alias of."""
    forwarded = forwards_to(symbol, names)
    if forwarded is None:
        return None
    # A function that calls another may also have done more; a similar name makes it certain.
    target, is_all = forwarded
    further = forwards_to(target, names) if "obsolete" in target.marks else None
    if further is not None:
        target, is_all = further[0], is_all and further[1]
    # A body that is one call of another function does more.
    is_sure = is_all or (not symbol.value and names.rarity.likeness(symbol.name, target.name) > 0.55)
    score = FORWARDED if is_sure else PERHAPS_FORWARDED
    score = FORWARDED_WITH_CAST if symbol.kind == "macro" and not is_all else score
    return SymbolCandidate(target, score, (english("it only passed on to {name}", name=target.name),))


def with_call(
    candidate: SymbolCandidate, symbol: Symbol, scope: tuple[str, ...], names: ReleaseNames
) -> SymbolCandidate:
    """Return the candidate with the call that `symbol` makes, if it is another one; `scope` is the new scope of its members."""
    if candidate.call:
        return candidate
    passed = passed_call(symbol, scope, names)
    if passed is None or passed.is_plain or passed.target.path != candidate.symbol.path:
        return candidate
    return replace(candidate, call=passed.text)


def short(text: str) -> str:
    """A quotation on one line, of at most 120 characters."""
    line = " ".join(text.split())
    return line if len(line) <= 120 else line[:119] + "…"
