"""Rules for results whose type changed: which member of the new type replaces a member of the old type."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace
from pathlib import Path

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.languages import language_of
from fernshale.core.base.work import CancelToken
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import MEMBER, last_name
from fernshale.core.crossing.project.scan import ProjectScan, engine_folder
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.matching import ReleaseSides, SymbolCandidate, match_symbols
from fernshale.core.drift.similarity import SAME_SCOPE
from fernshale.core.fix.rules import RenameRule, Rule
from fernshale.core.inference.release_lookup import members

_MIN_SCORE = 0.2
_MAX_CANDIDATES = 3
# How many times likelier it is that a member of one class became one of the other than that any two of a release belong together.
_LIKELIER = 8
# A change, with the type names before and after it.
_Given = tuple[ApiChange, Collection[str], Collection[str]]


def with_other_types(
    rules: LegRules, causes: Sequence[Cause], scan: ProjectScan, releases: tuple[str, str], token: CancelToken
) -> LegRules:
    """`rules`, and rules for members of types that changed. `releases` are the two releases of the leg.

    Raises Cancelled.
    """
    given = [(change, *types_given(change)) for change in rules.changes if change.kind == "signature"]
    lacking = [cause for cause in causes if cause.kind == MEMBER and cause.scope]
    if not given or not lacking:
        return rules
    try:
        folders = tuple(engine_folder(scan, release) for release in releases)
    except ProjectError:
        return rules
    further = (rule for cause in lacking for rule in _rules_of(cause, given, folders, token))
    return rules.with_further("the new type", further)


def gives_other(change: ApiChange, type_: str) -> bool:
    """Whether a change adds or removes a type in the result of a function or in a field."""
    before, after = types_given(change)
    return (type_ in before) != (type_ in after)


def types_given(change: ApiChange) -> tuple[Collection[str], Collection[str]]:
    """The type names in the result of a function or in a field, before and after."""
    if change.kind != "signature" or change.old is None or change.new is None:
        return (), ()
    before, after = (tuple(dict.fromkeys(re.findall(r"\w+", symbol.returns))) for symbol in (change.old, change.new))
    return before, after


def _rules_of(cause: Cause, given: Sequence[_Given], folders: Sequence[Path], token: CancelToken) -> Iterator[Rule]:
    now, language = last_name(cause.scope), language_of(cause.errors[0].place.file)
    for change, before, after in given:
        if now not in after or now in before:
            continue
        for was in before:
            listed = _successors(was, now, cause.symbol, language, folders, token) if was not in after else ()
            for number, item in enumerate(listed):
                # Their common class was only assumed.
                evidence = [words for words in item.evidence if not words.startswith(SAME_SCOPE)]
                why = "; ".join((change.what, *evidence[:3]))
                yield RenameRule(
                    "-".join(("given", was, now, cause.symbol, *([str(number + 1)] if number else []))), why,
                    old=cause.symbol, new=item.symbol.name, of=now, confidence=item.score, named=True,
                )  # fmt: skip
            if listed:
                return


def _successors(
    was: str, now: str, name: str, language: str, folders: Sequence[Path], token: CancelToken
) -> tuple[SymbolCandidate, ...]:
    """The members of one class that may replace a member of another, the most likely first."""
    ours, theirs = members(folders[0], was, language), members(folders[1], now, language)
    if not theirs or all(item.name != name for item in ours):
        return ()
    # As if the one class had become the other.
    scope = theirs[0].scope
    old = [replace(item, scope=scope) for item in ours]
    kept = {item.name for item in ours} & {item.name for item in theirs}
    gone = list({item.path: item for item in old if item.name not in kept}.values())
    fresh = list({item.path: item for item in theirs if item.name not in kept}.values())
    found = match_symbols(ReleaseSides(old, theirs, gone, fresh), {}, token).candidates.get((*scope, name), ())
    likely = (
        replace(item, score=round(item.score * _LIKELIER / (1 + item.score * (_LIKELIER - 1)), 3)) for item in found
    )
    return tuple(item for item in likely if item.score >= _MIN_SCORE and item.symbol.name.isidentifier())[
        :_MAX_CANDIDATES
    ]
