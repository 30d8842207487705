"""Derive fix rules from the API changes of a leg.

Each change with a known replacement becomes a rule, with the confidence of its candidate. Values that no signature contains (a
new argument, the body of a method) are taken from the new release's own code, and never get a high confidence.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.confidence import (
    ARGUMENT_DROPPED,
    CALL_REMOVED,
    COPIED_VALUE,
    GETTER,
    PARAMETER_REPLACED,
    REORDERED,
    SAME_POSITION,
    SHARE_OTHER_KIND,
    STILL_DEFINED,
)
from fernshale.core.base.languages import C_FAMILY, ENDINGS, NAMED_ARGUMENTS, SCRIPTS
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.matching import SymbolCandidate
from fernshale.core.drift.names.cpp_types import types_of
from fernshale.core.drift.names.python_packages import packages_of
from fernshale.core.drift.names.reexports import front_names, shown_path
from fernshale.core.drift.parameter_order import by_place, new_order
from fernshale.core.drift.release_symbols import included, languages_of, list_sources, read_bytes
from fernshale.core.drift.symbols import Symbol
from fernshale.core.fix.calls import find_calls
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.rule_file import RuleSet
from fernshale.core.fix.rules import (
    AddArgumentRule,
    GetterRule,
    HeaderRule,
    KeywordRule,
    MoveRule,
    PatternRule,
    RenameRule,
    ReorderRule,
    RewriteRule,
    Rule,
)
from fernshale.core.fix.tokens import tokenize
from fernshale.core.inference.overrides import member_rules, override_rules, renamed_override, rule_id

# Minimum candidate score for a rule to be worth checking, and the number of other candidates of a symbol to offer.
_MIN_SCORE = 0.15
_MAX_OTHER_CANDIDATES = 2
_OF_THE_CLASS = frozenset(("static", "staticmethod", "classmethod"))


def reorder_rule(old: Symbol, new: Symbol, id: str, name: str, why: str, confidence: float) -> ReorderRule:
    """Return the rule that reorders the arguments of calls, and renames the function to `name`."""
    order = new_order(old, new)
    wanted = new.given[: len(order)]
    title = f"{name}({', '.join(item.name for item in wanted)}), each at its place"
    return ReorderRule(
        id, why, title=title, call=old.called, new=name if name != old.called else "", order=order,
        fill=tuple(item.default for item, was in zip(wanted, order, strict=True) if not was),
        names=tuple(item.name for item in by_place(old)),
        of=".".join(old.scope) if old.kind == "method" else "", confidence=confidence, named=True,
    )  # fmt: skip


def guess_rules(changes: Sequence[ApiChange], old: Path, new: Path, title: str, known: Collection[str]) -> RuleSet:
    """Derive rules from `changes`; none for symbols that have rules from better sources (`known`).

    `old` and `new` are the releases' folders; the new one's code shows how to use new APIs.
    """
    rules: dict[str, Rule] = {}
    leg = _Leg(old, new, frozenset(item.symbol.path for item in changes if item.kind == "added"))
    goes: set[str] = set()
    for change in changes:
        if change.symbol.name not in known:
            for rule in _rules_of(change, leg):
                # A rule never has a higher confidence than the match it rests on.
                rule = replace(rule, confidence=min(rule.confidence, change.match))
                # A method that several classes lost is one statement to leave out.
                if isinstance(rule, RewriteRule) and rule.removes_statements:
                    if rule.pattern in goes:
                        continue
                    goes.add(rule.pattern)
                _add(rules, rule)
    for shown in (*_header_rules(changes), *_shown_rules(changes, old, new)):
        if shown.old not in known and re.split(r"::|\.", shown.old)[-1] not in known:
            rules.setdefault(shown.id, shown)
    return RuleSet(title, tuple(rules.values()), new)


def _add(rules: dict[str, Rule], rule: Rule) -> None:
    """Add a rule. Of two rules with one id, keep the first, unless they match different code: each overload has its own."""
    number, id = 1, rule.id
    while isinstance(rule, RewriteRule) and id in rules and rules[id].subjects[-1] != rule.pattern:
        number += 1
        id = f"{rule.id}-{number}"
    rules.setdefault(id, replace(rule, id=id))


@dataclass(frozen=True, slots=True)
class _Leg:
    """The folders of both releases, and the paths of added symbols."""

    before: Path
    after: Path
    added: Collection[tuple[str, ...]]

    def full_name(self, name: str, scope: tuple[str, ...]) -> str:
        """The full name of a type of the new release, as it is where that has none."""
        return types_of(self.after).full_name(name, scope)


def _rules_of(change: ApiChange, leg: _Leg) -> Iterator[Rule]:
    old, now = change.old, change.new
    if change.kind in ("renamed", "moved", "removed", "deprecated") and old is not None and old.kind != "constructor":
        for number, candidate in enumerate(change.candidates[: 1 + _MAX_OTHER_CANDIDATES]):
            if candidate.score >= _MIN_SCORE:
                yield from _follow(old, candidate, number, leg.before, leg.after)
        if change.kind == "removed" and old.is_callable and _gives_nothing(old):
            yield _without_call(old)
    elif change.kind == "removed" and old is not None:
        yield from _factory(change)
    elif change.kind == "signature" and old is not None and now is not None:
        if not old.is_callable and now.is_callable:
            yield _getter(change, old, now, leg.added)
        elif old.is_callable and now.is_callable:
            yield from _new_argument(change, old, now, leg.after)
            yield from _fewer_arguments(change, old, now)
            yield from _new_keywords(old, now)
            yield from override_rules(change, old, now, leg.full_name)
    elif change.kind == "wider" and old is not None and now is not None:
        yield from override_rules(change, old, now, leg.full_name)
    elif (
        change.kind == "reordered"
        and old is not None
        and now is not None
        and old.name == now.name
        and not change.is_silent
    ):
        # A second application would undo it, so a person has to confirm each place.
        rule = reorder_rule(old, now, rule_id(old, "order"), old.called, change.what, REORDERED)
        yield rule
        if rule.call != old.name:
            # A derived class calls the constructor by its own name, which exists in all classes.
            named = rf"\b{re.escape(old.called)}\b"
            yield replace(rule, id=f"{rule.id}-{old.name}", call=old.name, diagnostic=named)
    elif change.kind == "must-implement" and now is not None:
        yield from member_rules(change, now, leg.full_name)
    elif change.kind == "no-longer-overrides" and old is not None and now is not None and old.name != now.name:
        yield renamed_override(change, old, now)


def _is_shown(old: str, before: Path, new: str, after: Path) -> bool:
    """Return whether a folder of both releases re-exports first one name and then the other, wherever they are defined."""
    return not set(front_names(before).get(old, ())).isdisjoint(front_names(after).get(new, ()))


def _follow(old: Symbol, candidate: SymbolCandidate, number: int, before: Path, after: Path) -> Iterator[Rule]:
    """A name that is another one now, in the same place or elsewhere."""
    id = rule_id(old, f"{number + 1}" if number else "")
    new, score = candidate.symbol, candidate.score
    why = "; ".join(candidate.evidence[:3]) or "the two releases compared"
    now = candidate.written or _from_there(old, new)
    imports, line = _needed_import(old, candidate)
    if old.is_callable and new.kind == "class":
        # Called like a function, it returns something else than before.
        score, why = score * SHARE_OTHER_KIND, f"{new.name} is a class; {why}"
    if old.is_callable and new.is_callable and old.name != now and new_order(old, new):
        # With only the new name it would compile, but mean something else.
        words = f"{why}; takes its arguments at other places"
        yield reorder_rule(old, new, f"{id}-order", now, words, score)
        score, why = score * SHARE_OTHER_KIND, words
    if old.kind in ("method", "field") or old.scope == new.scope:
        # The name alone may be another's, too: it is changed where a tool names it.
        if old.name != now:
            of = ".".join(old.scope) if old.kind in ("method", "field") else ""
            yield RenameRule(
                id, why, old=old.name, new=now, of=of, confidence=score, named=True,
                signatures=candidate.signatures, imports=imports if imports in re.split(r"::|\.", now) else "", text=line,
            )  # fmt: skip
    elif old.full != new.full:
        to = ".".join(shown_path(new, after)) if new.file.endswith(PYTHON) else new.full
        if to != old.full:
            holder = to.rpartition(".")[0] if new.file.endswith(PYTHON) and _is_of_class(old, new) else ""
            title = f"{old.full} → {to}"
            yield MoveRule(
                id, why, title=title, old=old.full, new=to, holder=holder, confidence=score,
                signatures=candidate.signatures, imports=imports, text=line,
            )  # fmt: skip
        # Python needs an import of the class, next to that of the function or in its place.
        with_class = new.file.endswith(PYTHON) and _is_of_class(old, new) and new.scope[:-1] != old.scope
        is_at_hand = now != new.name and not with_class
        if old.name != now and (
            is_at_hand or _is_shown(old.name, before, new.scope[-1] if with_class else new.name, after)
        ):
            yield RenameRule(
                f"{id}-shown",
                why,
                old=old.name,
                new=now,
                confidence=score,
                named=True,
                signatures=candidate.signatures,
            )


def _needed_import(old: Symbol, candidate: SymbolCandidate) -> tuple[str, str]:
    """Return the class that contains the new name but not the old one, and its import line, "" if that depends on the file."""
    new, holder = candidate.symbol, candidate.holder
    if not holder or new.file.endswith(PYTHON) or old.path[: len(holder)] == holder:
        return "", ""
    if new.file.endswith(C_FAMILY):
        return holder[-1], f"#include <{included(new.file)}>" if new.file != old.file else ""
    if new.file.endswith(ENDINGS["java"]):
        return holder[-1], f"import {'.'.join(holder)};" if len(holder) > 1 else ""
    if new.file.endswith(ENDINGS["c#"]):
        return holder[-1], f"using {'.'.join(holder[:-1])};" if len(holder) > 1 else ""
    return holder[-1], ""


def _from_there(old: Symbol, new: Symbol) -> str:
    """Return how to write a new symbol in place of the old name: an enumeration value with its owner, if that is next to the
    old one; a static function with its class."""
    if _is_of_class(old, new):
        return new.mark.join(new.path[-2:])
    depth = len(old.scope)
    is_inside = (
        new.kind in ("enumerator", "field", "constant") and len(new.scope) > depth and new.scope[:depth] == old.scope
    )
    return new.mark.join(new.path[depth:]) if is_inside else new.name


def _is_of_class(old: Symbol, new: Symbol) -> bool:
    """Whether a function went into a class and needs no object of it."""
    return old.kind == "function" and new.kind == "method" and not new.marks.isdisjoint(_OF_THE_CLASS)


def _header_rules(changes: Sequence[ApiChange]) -> Iterator[HeaderRule]:
    """Yield rules for headers and script modules whose symbols moved to another one."""
    into: dict[str, Counter[str]] = {}
    match: dict[tuple[str, str], float] = {}
    for change in changes:
        if change.kind not in ("renamed", "moved") or change.old is None or change.new is None:
            continue
        if change.old.file.endswith((*C_FAMILY, *SCRIPTS)) and change.old.file != change.new.file:
            old, new = included(change.old.file), included(change.new.file)
            if old != new:
                into.setdefault(old, Counter())[new] += 1
                match[old, new] = max(match.get((old, new), 0.0), change.candidates[0].score)
    for old, counted in into.items():
        new, times = counted.most_common(1)[0]
        why = f"what stood in {old} stands in {new}"
        confidence = min(0.95, 0.6 + 0.15 * times, match[old, new])
        if not old.endswith(C_FAMILY):
            # Each name is imported separately, and each may have moved elsewhere.
            confidence *= times / counted.total()
        yield HeaderRule(f"drift-header-{old}", why, old=old, new=new, confidence=confidence, named=True)


def _shown_rules(changes: Sequence[ApiChange], before: Path, after: Path) -> Iterator[MoveRule]:
    """Yield rules for names that a Python package no longer re-exports, wherever they are now."""
    old, new = packages_of(before), packages_of(after)
    became = {
        change.old.path: change for change in changes if change.old is not None and change.kind in ("renamed", "moved")
    }
    for written, stands in old.shown.items():
        if new.has(written):
            continue
        change, member = became.get(stands), 0
        if change is not None and change.old is not None:
            best = change.candidates[0]
            where, score, why = best.symbol.path, best.score, best.evidence[0]
            is_called_no_more = change.old.is_callable and not best.symbol.is_callable
            member = 1 if _is_of_class(change.old, best.symbol) else 0
            if best.written or (best.symbol.kind in ("method", "field") and not member) or is_called_no_more:
                continue
        elif new.has(stands):
            where, score, why = (
                stands,
                STILL_DEFINED,
                f"{'.'.join(written[:-1])} shows it no more, and {'.'.join(stands)} stayed",
            )
        else:
            continue
        # A package re-exports classes, not their members.
        holder, inner = where[: len(where) - member], where[len(where) - member :]
        now = new.written(holder)
        # Where the package shows the new name, the name alone is another, which has a rule.
        if now is not None and not new.has((*written[:-1], now[-1])):
            names = ".".join(written), ".".join((*now, *inner))
            title = " → ".join(names)
            into = ".".join(now) if member else ""
            signatures = change.candidates[0].signatures if change is not None else ()
            yield MoveRule(
                f"drift-shown-{names[0]}", why, title=title, old=names[0], new=names[1], holder=into, confidence=score,
                signatures=signatures,
            )  # fmt: skip


def _factory(change: ApiChange) -> Iterator[Rule]:
    """A constructor that was closed, with a function that makes one instead."""
    assert change.old is not None
    class_ = change.old.scope[-1]
    for candidate in change.candidates[:1]:
        maker = candidate.symbol.mark.join(candidate.symbol.path[-2:])
        pattern, replacement = f"new {class_}($$args)", f"{maker}($$args)"
        if change.old.file.endswith(C_FAMILY):
            maker, class_ = candidate.symbol.full, change.old.full.rpartition("::")[0]
            pattern, replacement = f"{class_} $name($$args);", f"auto $name = {maker}($$args);"
        elif change.old.file.endswith(PYTHON):
            pattern = f"{class_}($$args)"
        yield RewriteRule(
            rule_id(change.old), f"{class_} is made by {maker} now", title=f"{class_}(…) → {maker}(…)",
            pattern=pattern, replacement=replacement, confidence=min(0.9, candidate.score),
        )  # fmt: skip


def _getter(change: ApiChange, old: Symbol, new: Symbol, added: Collection[tuple[str, ...]]) -> Rule:
    """Derive the rule for a field replaced by a getter, with the setter that was added, whatever the naming convention."""
    manners = (
        f"set_{old.name}",
        f"set{old.name[:1].upper()}{old.name[1:]}",
        f"Set{old.name[:1].upper()}{old.name[1:]}",
    )
    setter = next((name for name in manners if (*new.scope, name) in added), "")
    return GetterRule(
        rule_id(old), change.what, old=old.name, new=new.name, setter=setter, of=".".join(old.scope),
        confidence=GETTER, named=True,
    )  # fmt: skip


def _new_argument(change: ApiChange, old: Symbol, new: Symbol, folder: Path) -> Iterator[Rule]:
    """Derive the value of a new argument without a default: the one that the release's own code passes most often."""
    ours, theirs = [item.name for item in old.given], new.given
    added = [at for at, item in enumerate(theirs) if item.name not in ours]
    if len(theirs) != len(ours) + 1 or len(added) != 1 or theirs[added[0]].default:
        return
    at = added[0]
    passed = _passed(folder, old.called, len(theirs), at)
    if passed is None:
        return
    text, times = passed
    why = f"{old.full} wants {theirs[at].type} {theirs[at].name}; the release's own code passes {text}, {times} times"
    yield AddArgumentRule(
        rule_id(old), why, title=f"{old.called}(…) gets {text}", call=old.called, arguments=len(ours),
        position=at + 1, text=text, confidence=COPIED_VALUE,
    )  # fmt: skip


def _fewer_arguments(change: ApiChange, old: Symbol, new: Symbol) -> Iterator[Rule]:
    """Derive the rule for removed parameters, if the remaining ones are unchanged and in the same order."""
    ours = [(item.name, item.type) for item in old.given]
    theirs = iter([(item.name, item.type) for item in new.given])
    wanted = next(theirs, None)
    kept = []
    for at, item in enumerate(ours):
        if item == wanted:
            kept.append(at)
            wanted = next(theirs, None)
    if wanted is not None or len(kept) == len(ours) or not all(name for name, _ in ours):
        return
    metas = [f"${name}" for name in "abcdefghijkl"[: len(ours)]]
    if len(metas) < len(ours):
        return
    left = ", ".join(metas[at] for at in kept)
    gone = ", ".join(name for at, (name, _) in enumerate(ours) if at not in kept)
    yield RewriteRule(
        rule_id(old, "fewer"), change.what, title=f"{old.called}(…) without {gone}",
        pattern=f"{old.called}({', '.join(metas)})", replacement=f"{old.called}({left})", confidence=ARGUMENT_DROPPED,
    )  # fmt: skip


def _new_keywords(old: Symbol, new: Symbol) -> Iterator[Rule]:
    """Derive rules for renamed parameters that callers pass by keyword."""
    if not old.file.endswith(NAMED_ARGUMENTS):
        return
    ours, theirs = ({item.name for item in symbol.parameters} for symbol in (old, new))
    gone, come = (
        [item for item in mine.parameters if item.name not in other] for mine, other in ((old, theirs), (new, ours))
    )
    for item in gone:
        at = old.parameters.index(item)
        there = new.parameters[at] if at < len(new.parameters) and new.parameters[at] in come else None
        now = there or (come[0] if len(gone) == len(come) == 1 else None)
        if now is None or not (item.name.isidentifier() and now.name.isidentifier()):
            continue
        is_same = there is not None and plain_type(item.type) == plain_type(now.type) and item.default == now.default
        why = f"{item.name} of {old.full} is {now.name} now"
        yield KeywordRule(
            rule_id(old, item.name), why, call=old.called, old=item.name, new=now.name,
            confidence=SAME_POSITION if is_same else PARAMETER_REPLACED, named=True,
        )  # fmt: skip


def _gives_nothing(symbol: Symbol) -> bool:
    """Return whether a call's result can be dropped without effect."""
    return symbol.returns in ("void", "None") or (
        not symbol.returns and bool(symbol.words) and "return" not in symbol.words
    )


def _without_call(old: Symbol) -> Rule:
    """Derive the rule that removes a call without replacement, if it is a statement."""
    front = "$it." if old.kind == "method" else f"{old.full.rpartition(old.name)[0]}"
    end = ";" if old.file.endswith((*C_FAMILY, ".cs", ".java", ".rs", ".ts", ".js")) else ""
    why = f"{old.full} is not there any more, and nothing that looks like it"
    return RewriteRule(
        rule_id(old, "goes"), why, title=f"calls of {old.name} go", pattern=f"{front}{old.name}($$args){end}",
        replacement="", confidence=CALL_REMOVED, named=True,
    )  # fmt: skip


@lru_cache(maxsize=512)
def _passed(folder: Path, call: str, arguments: int, at: int) -> tuple[str, int] | None:
    """Return the argument that a release's code most often passes at one position, and how often; a name or literal that means
    the same elsewhere.

    Cached, since a release does not change.
    """
    found: Counter[str] = Counter()
    places = [*list_sources(folder, languages_of("")), *(f"examples/{path}" for path in _listed(folder / "examples"))]
    for path in places:
        text = read_bytes(f"{folder}/{path}").decode("utf-8", "replace")
        if call not in text:
            continue
        tokens = tokenize(text, path)
        for _, _, spans in find_calls(text, path, call):
            if len(spans) == arguments:
                first, last = spans[at]
                given = text[tokens[first].start : tokens[last - 1].end]
                if re.fullmatch(
                    r"[A-Za-z_]\w*(?:(?:::|\.)\w+)+|\d[\w.]*|\"[^\"]*\"|true|false|nullptr|None|True|False", given
                ):
                    found[given] += 1
    return found.most_common(1)[0] if found else None


def _listed(folder: Path) -> Sequence[str]:
    return list(list_sources(folder, languages_of(""))) if folder.is_dir() else ()


def symbols_named(rules: Sequence[Rule]) -> frozenset[str]:
    """The symbols that rules are about, by their last names."""
    names: set[str] = set()
    for rule in rules:
        for text in rule.symbols:
            names.update(re.split(r"::|\.", text)[-1:])
            names.add(text)
        if isinstance(rule, PatternRule):
            names.update(re.findall(r"[A-Za-z_]\w+", re.sub(r"\$\$?\w+", " ", rule.pattern)))
    return frozenset(names - {""})
