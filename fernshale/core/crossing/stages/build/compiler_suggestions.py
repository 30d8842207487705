"""Rules with the suggestions of the tools: one that agrees with a rule raises its confidence, others become rules themselves."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from fernshale.core.base.confidence import (
    SHARE_NEXT_TO_CANDIDATES,
    SHARE_OF_DOUBT,
    SUGGESTED_ALONE,
    SUGGESTED_AMONG_OTHERS,
    SUGGESTED_ELSEWHERE,
    SUGGESTED_SPELLING,
)
from fernshale.core.base.languages import language_of
from fernshale.core.base.texts import english
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import CALL, MISSING, PRIVATE, is_undeclared_call, last_name
from fernshale.core.build.suggestions import accessors_of, arguments_of, elsewhere_of, hints_of
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.drift.names.name_parts import parts_of
from fernshale.core.fix.rules import (
    CallRule,
    GetterRule,
    KeywordRule,
    MoveRule,
    RenameRule,
    ReorderRule,
    Replacement,
    Rule,
)
from fernshale.core.inference.release_lookup import declared


def with_hints(rules: LegRules, causes: Sequence[Cause], release: Path | None) -> LegRules:
    """`rules`, and a set of their own for suggestions none of them has.

    `release` is the folder of the new release, None if it is not here. Tools compare letters, so a suggestion that is of another
    kind there than what the code uses is no proposal.
    """
    hinted = {_key(rule): rule for cause in causes for rule in _hinted_rules(cause, release)}
    if not hinted:
        return rules
    fuller = _fuller_changes(rules)
    sets = tuple(
        replace(group, rules=tuple(_shared(rule, hinted, fuller) for rule in group.rules)) for group in rules.sets
    )
    known = {_key(rule) for group in sets for rule in group.rules}
    guessed: dict[str, float] = {}
    for rule in (rule for group in sets for rule in group.rules if isinstance(rule, RenameRule | KeywordRule)):
        guessed[rule.old] = max(rule.confidence, guessed.get(rule.old, 0.0))
    own = tuple(_next_to_candidate(rule, guessed.get(rule.old)) for key, rule in hinted.items() if key not in known)
    return replace(rules, sets=sets).with_further("the tool that found the error", own)


def _next_to_candidate(rule: Replacement, guess: float | None) -> Replacement:
    """A suggestion next to the best candidate of the comparison, which has looked at more than letters."""
    if guess is None:
        return rule
    worth = rule.confidence * SHARE_NEXT_TO_CANDIDATES
    return replace(rule, confidence=worth if rule.confidence == SUGGESTED_SPELLING else min(worth, guess * 0.9))


def _key(rule: Rule) -> tuple[object, ...]:
    """What two rules have in common that change the same names in the same way."""
    return rule.kind, rule.symbols, rule.new_name or rule.id


def _fuller_changes(rules: LegRules) -> Mapping[tuple[str, str], float]:
    """The confidence of the rules that change a name and its arguments as well, by the old and the new name."""
    found: dict[tuple[str, str], float] = {}
    for rule in (rule for group in rules.sets for rule in group.rules if isinstance(rule, ReorderRule | CallRule)):
        new = rule.new if isinstance(rule, ReorderRule) else rule.new.partition("(")[0]
        key = last_name(rule.call), last_name(new) if new else ""
        found[key] = max(rule.confidence, found.get(key, 0.0))
    return found


def _shared(
    rule: Rule, hinted: Mapping[tuple[object, ...], Replacement], fuller: Mapping[tuple[str, str], float]
) -> Rule:
    hint = hinted.get(_key(rule))
    if rule.confidence >= 1 or hint is None:
        return rule
    # A tool suggests a name. Where the arguments change as well, the name alone would compile and mean something else.
    if fuller.get((last_name(hint.old), last_name(hint.new)), 0.0) > rule.confidence:
        return rule
    why = english("{why}; the tool suggests {new} as well", why=rule.why, new=hint.new)
    return replace(rule, why=why, confidence=1 - (1 - rule.confidence) * SHARE_OF_DOUBT)


def _is_of_another_kind(cause: Cause, name: str, release: Path | None) -> bool:
    """Whether the code calls a name, and the suggested one is nothing to call."""
    is_call = any(is_undeclared_call(error.diagnostic.message) for error in cause.errors)
    if release is None or not is_call:
        return False
    found = declared(release, name, language_of(cause.errors[0].place.file))
    return bool(found) and not any(item.is_callable or (item.kind == "macro" and item.parameters) for item in found)


def _hinted_rules(cause: Cause, release: Path | None) -> Iterator[Replacement]:
    """Rules that replace the missing name, or the name of an argument, by the suggested one."""
    if cause.kind in MISSING and cause.scope:
        for place in elsewhere_of(cause):
            old = f"{cause.scope}::{cause.symbol}"
            why = english("suggested instead: {place}, which has the same name", place=place)
            yield MoveRule(f"hint-{old}-{place}", why, old=old, new=place, named=True, confidence=SUGGESTED_ELSEWHERE)
    if cause.kind in (*MISSING, PRIVATE):
        for getter in accessors_of(cause):
            why, id = (
                english("the compiler says that {getter}() gives it", getter=getter),
                f"hint-{cause.symbol}-{getter}",
            )
            yield GetterRule(id, why, old=cause.symbol, new=getter, named=True, confidence=SUGGESTED_ELSEWHERE)
    hints = hints_of(cause) if cause.kind in (*MISSING, CALL) else ()
    hints = tuple(name for name in hints if not _is_of_another_kind(cause, name, release))
    olds = arguments_of(cause) if cause.kind == CALL else {cause.symbol}
    if len(olds) != 1:
        return
    (old,) = olds
    call = cause.symbol if cause.kind == CALL else ""
    for new in hints:
        is_spelling = "".join(parts_of(old)) == "".join(parts_of(new))
        worth = SUGGESTED_SPELLING if is_spelling else SUGGESTED_ALONE if len(hints) == 1 else SUGGESTED_AMONG_OTHERS
        why = (
            english("suggested instead: {new}, which only differs in spelling", new=new)
            if is_spelling
            else english("suggested instead: {new}", new=new)
        )
        id = "-".join(part for part in ("hint", call, old, new) if part)
        if call:
            yield KeywordRule(id, why, call=call, old=old, new=new, named=True, confidence=worth)
        else:
            yield RenameRule(id, why, old=old, new=new, named=True, confidence=worth)
