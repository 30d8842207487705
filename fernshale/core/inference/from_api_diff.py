"""Derive fix rules from the API changes of a leg.

Each change with a known replacement becomes a rule, with the confidence of its candidate. Values that no signature contains (a
new argument, the body of a method) are taken from the new release's own code, and never get a high confidence.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeVar

from fernshale.core.base.confidence import (
    AUTOMATIC_FROM,
    CALL_REMOVED,
    GETTER,
    IMPORTED_FROM_OTHER_MODULE,
    OLD_DEFINITION,
    PARAMETER_INSERTED,
    PARAMETER_REPLACED,
    REORDERED,
    SAME_POSITION,
    SHARE_OTHER_KIND,
    SHARE_OTHER_TYPE,
)
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.languages import C_FAMILY, ENDINGS, NAMED_ARGUMENTS, SCRIPTS, language_of
from fernshale.core.base.log import LOGGER
from fernshale.core.base.texts import english
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.declarations import plain_type, renamed_type
from fernshale.core.drift.matching import SymbolCandidate
from fernshale.core.drift.names.cpp_types import types_of
from fernshale.core.drift.names.name_parts import parts_of
from fernshale.core.drift.names.reexports import front_names, shown_path
from fernshale.core.drift.names.rust_crates import shown_names, written_path
from fernshale.core.drift.names.script_packages import rank_of, script_packages_of
from fernshale.core.drift.parameter_order import by_place, new_order
from fernshale.core.drift.release_symbols import included
from fernshale.core.drift.stated.stated_calls import shown_types
from fernshale.core.drift.symbols import CONTAINER, Parameter, Symbol, went_into_class
from fernshale.core.drift.value_equality import NO_VALUE
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.rule_file import RuleSet
from fernshale.core.fix.rules import (
    GetterRule,
    HeaderRule,
    ImportRule,
    KeywordRule,
    MoveRule,
    PatternRule,
    ReimportRule,
    RenameRule,
    ReorderRule,
    RewriteRule,
    Rule,
)
from fernshale.core.inference.accessors import accessor_rules
from fernshale.core.inference.call_forms import (
    CallForm,
    Lookup,
    call_form,
    call_rule,
    form_as_shown,
    has_other_object,
)
from fernshale.core.inference.class_imports import import_of, script_import
from fernshale.core.inference.class_marks import mark_rules
from fernshale.core.inference.inlined_fields import inlined_rules
from fernshale.core.inference.joined_calls import joined_rules
from fernshale.core.inference.new_arguments import Defaults, argument_rules, usual_defaults
from fernshale.core.inference.overrides import member_rules, override_rules, renamed_override, rule_id
from fernshale.core.inference.release_lookup import makers, members
from fernshale.core.inference.silent_results import lost_result, silent_result

_RUST = ENDINGS["rust"]
# Languages in which a module shows what others define, by names of its own.
_REEXPORTING = (*PYTHON, *_RUST)
# Minimum candidate score for a rule to be worth checking, and the number of other candidates of a symbol to offer.
_MIN_SCORE = 0.15
_MAX_OTHER_CANDIDATES = 2
# The value of a symbol is not kept beyond so many characters.
_LONGEST_VALUE = 200

_AnyKind = TypeVar("_AnyKind", bound=Rule)


def reorder_rule(old: Symbol, new: Symbol, id: str, name: str, why: str, confidence: float) -> ReorderRule:
    """Return the rule that reorders the arguments of calls, and renames the function to `name`."""
    order = new_order(old, new)
    wanted = new.given[: len(order)]
    title = english("{name}({wanted}), each at its place", name=name, wanted=", ".join(item.name for item in wanted))
    return ReorderRule(
        id, why, title=title, call=old.called, new=name if name != old.called else "", order=order,
        fill=tuple(_passed_default(item, new) for item, was in zip(wanted, order, strict=True) if not was),
        names=tuple(item.name for item in by_place(old)),
        of=".".join(old.scope) if old.kind == "method" else "", confidence=confidence, named=True,
        wants=tuple(plain_type(item.type) for at, (item, was) in enumerate(zip(wanted, order, strict=True), 1) if was != at),
    )  # fmt: skip


def _passed_default(parameter: Parameter, of: Symbol) -> str:
    """What a call passes for a parameter that it omits otherwise; "" if that is not known."""
    if of.file.endswith(SCRIPTS):
        return "undefined"
    return parameter.default if parameter.default not in NO_VALUE else ""


def guess_rules(changes: Sequence[ApiChange], old: Path, new: Path, title: str, known: Collection[str]) -> RuleSet:
    """Derive rules from `changes`; none for symbols that have rules from better sources (`known`).

    `old` and `new` are the releases' folders; the new one's code shows how to use new APIs.
    """
    rules: dict[str, Rule] = {}
    successors = {
        item.old.name: item.candidates[0]
        for item in changes
        if item.kind in ("renamed", "deprecated")
        and item.old is not None
        and item.old.kind in CONTAINER
        and item.candidates
    }
    types = {name: found.symbol.name for name, found in successors.items()}
    certain = {name: types[name] for name, found in successors.items() if found.score >= AUTOMATIC_FROM}
    leg = _Leg(
        old,
        new,
        frozenset(item.symbol.path for item in changes if item.kind == "added"),
        types,
        certain,
        {
            item.old.name
            for item in changes
            if item.kind in ("removed", "renamed") and item.old is not None and item.old.kind in CONTAINER
        }.difference(certain),
        {
            item.old.path: item.new.path
            for item in changes
            if item.kind in ("renamed", "moved") and item.old and item.new and item.old.kind in CONTAINER
        },
        usual_defaults(changes),
    )
    goes: set[str] = set()
    for change in changes:
        if change.symbol.name not in known:
            for rule in _made(_rules_of(change, leg), change.symbol.full):
                # A rule never has a higher confidence than the match it rests on.
                rule = replace(rule, confidence=min(rule.confidence, change.match))
                # A method that several classes lost is one statement to leave out.
                if isinstance(rule, RewriteRule) and rule.removes_statements:
                    if rule.pattern in goes:
                        continue
                    goes.add(rule.pattern)
                _add(rules, rule)
    imported = list(_made(_import_rules(changes, old, new), "imports"))
    for rule in imported:
        rules.setdefault(rule.id, rule)
    for shown_by_code in (
        *_made(mark_rules(old, new), "marks"),
        *_made(joined_rules(changes), "joined calls"),
        *_made(inlined_rules(changes, old, new, types), "inlined fields"),
        *_made(accessor_rules(changes, new), "accessors"),
    ):
        rules.setdefault(shown_by_code.id, shown_by_code)
    by_names = {rule.old for rule in imported}
    for shown in (*_made(_header_rules(changes), "headers"), *_made(_shown_rules(changes), "shown names")):
        if isinstance(shown, HeaderRule) and shown.old in by_names:
            continue  # its names have rules of their own, which know where each one is
        if shown.old not in known and re.split(r"::|\.", shown.old)[-1] not in known:
            rules.setdefault(shown.id, shown)
    return RuleSet(title, tuple(rules.values()), new)


def _made(rules: Iterable[_AnyKind], about: str) -> Iterator[_AnyKind]:
    """Yield `rules` up to one that cannot be made: declarations that nobody thought of cost their own proposals, not the crossing.

    The error goes to the program's log.
    """
    try:
        yield from rules
    except FernshaleError:
        raise
    except Exception:
        LOGGER.exception("no rules for %s", about)


def _add(rules: dict[str, Rule], rule: Rule) -> None:
    """Add a rule. Of two rules with one id, keep the first, unless they match different code: each overload has its own."""
    number, id = 1, rule.id
    while isinstance(rule, RewriteRule) and id in rules and rules[id].subjects[-1] != rule.pattern:
        number += 1
        id = f"{rule.id}-{number}"
    rules.setdefault(id, replace(rule, id=id))


@dataclass(frozen=True, slots=True)
class _Leg:
    """The folders of both releases, the paths of added symbols, the new names of renamed types, of all and of those that are
    certain, the types that went without a certain successor, the new paths of classes, and the usual defaults."""

    before: Path
    after: Path
    added: Collection[tuple[str, ...]]
    types: Mapping[str, str]
    certain_types: Mapping[str, str]
    lost_types: Collection[str]
    classes: Mapping[tuple[str, ...], tuple[str, ...]]
    defaults: Defaults

    def members_of(self, name: str, near: Symbol) -> Sequence[Symbol]:
        """The public members of a class of the new release."""
        return members(self.after, name, language_of(near.file))

    def makers_of(self, name: str, near: Symbol) -> Sequence[Symbol]:
        """The public functions of the new release that make an object of a class."""
        return makers(self.after, name, language_of(near.file))

    def form(self, old: Symbol, new: Symbol) -> CallForm | None:
        """How to write a call of `old` as one of `new`, if more changes than its name."""
        return call_form(old, new, self.types, Lookup(self.members_of, self.makers_of))

    def doubtful_result(self, old: Symbol, new: Symbol) -> str:
        """The type of a function's result if code that uses the result may not do so with the new one; "" otherwise."""
        return silent_result(old, new) or lost_result(old, new, self.lost_types)

    def full_name(self, name: str, scope: tuple[str, ...]) -> str:
        """The full name of a type of the new release, as it is where that has none."""
        return types_of(self.after).full_name(name, scope)


def _rules_of(change: ApiChange, leg: _Leg) -> Iterator[Rule]:
    old, now = change.old, change.new
    if change.kind in ("renamed", "moved", "removed", "deprecated") and old is not None and old.kind != "constructor":
        accessor = _accessor(change) if not old.is_callable else None
        if accessor is not None:
            yield accessor
        for number, candidate in enumerate(change.candidates[: 1 + _MAX_OTHER_CANDIDATES]):
            if accessor is not None and candidate.symbol.name in (accessor.new, accessor.setter):
                continue
            if candidate.score >= _MIN_SCORE:
                yield from _follow(old, candidate, number, leg)
        if change.kind == "removed" and old.is_callable and _gives_nothing(old):
            yield _without_call(old)
        if change.kind == "removed" and old.kind == "macro" and _is_whole_macro(old):
            yield _own_definition(old)
    elif change.kind == "removed" and old is not None:
        yield from _factory(change)
    elif change.kind == "signature" and old is not None and now is not None:
        if not old.is_callable and now.is_callable:
            if old.kind == "field" and "(" not in old.returns:  # a value that could be called is not read by a call
                yield _getter(change, old, now, leg.added)
        elif old.is_callable and now.is_callable:
            for candidate in change.candidates:
                why = "; ".join((change.what, *candidate.evidence))
                yield call_rule(old, form_as_shown(candidate), rule_id(old, "passed"), why, candidate.score)
            if not has_other_object(old, now, leg.types) and not change.candidates:
                yield from argument_rules(change, leg.after, leg.defaults)
                yield from _other_arguments(change, old, now, leg)
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
        kept = [was for was in new_order(old, now) if was]
        confidence = PARAMETER_INSERTED if kept == sorted(kept) else REORDERED
        rule = reorder_rule(old, now, rule_id(old, "order"), old.called, change.what, confidence)
        yield rule
        if rule.call != old.name:
            # A derived class calls the constructor by its own name, which exists in all classes.
            named = rf"\b{re.escape(old.called)}\b"
            yield replace(rule, id=f"{rule.id}-{old.name}", call=old.name, diagnostic=named)
    elif change.kind == "must-implement" and now is not None:
        yield from member_rules(change, now, leg.full_name)
    elif (
        change.kind == "no-longer-overrides"
        and old is not None
        and now is not None
        and old.name != now.name
        and old.scope
        and now.scope
    ):
        yield renamed_override(change, old, now)


def _is_shown(old: str, before: Path, new: str, after: Path) -> bool:
    """Return whether a folder of both releases re-exports first one name and then the other, wherever they are defined."""
    return not set(front_names(before).get(old, ())).isdisjoint(front_names(after).get(new, ()))


def _follow(old: Symbol, candidate: SymbolCandidate, number: int, leg: _Leg) -> Iterator[Rule]:
    """A name that is another one now, in the same place or elsewhere."""
    id = rule_id(old, f"{number + 1}" if number else "")
    new, score = candidate.symbol, candidate.score
    why = "; ".join(candidate.evidence[:3]) or english("the two releases compared")
    now = candidate.written or _from_there(old, new)
    imports, line = _needed_import(old, candidate, leg.after)
    if candidate.call:
        shown = replace(candidate, call=_with_paths(candidate.call, new, leg.after))
        yield call_rule(old, form_as_shown(shown), id, why, score)
        return
    is_on_object = (old.kind == "field" and "static" not in old.marks) or (old.kind == "method" and old.needs_object)
    if is_on_object and new.kind in (*CONTAINER, "constant") and not new.file.endswith(C_FAMILY):
        return  # what takes its place is not written behind the object
    if old.kind == "enumerator" and new.needs_object:
        return  # a value is not what does something with an object
    if old.kind == "field" and is_on_object and new.kind in ("function", "macro"):
        return  # it is called with the object
    if old.is_callable and new.is_callable:
        # A name that only stands in another file has a change of its own for its arguments.
        form = leg.form(old, new) if old.path != new.path else None
        is_whole = form is not None and not form.lost and not form.unknown
        if form is not None and (is_whole or score * form.share >= _MIN_SCORE):
            yield call_rule(old, form, f"{id}-call", _with_what_is_missing(why, form), score)
        if form is not None and form.gathered is not None:
            score = score * SHARE_OTHER_KIND  # with the new name alone no call compiles
        if has_other_object(old, new, leg.types):
            if form is not None:
                return
            score, why = score * SHARE_OTHER_KIND, english("{why}; it is called on another object", why=why)
    if old.kind == new.kind == "field" and _is_other_type(old, new, leg.certain_types):
        score, why = score * SHARE_OTHER_TYPE, english("{why}; it is a {returns} now", why=why, returns=new.returns)
    if old.is_callable and new.kind == "class":
        # Called like a function, it returns something else than before.
        score, why = score * SHARE_OTHER_KIND, english("{name} is a class; {why}", name=new.name, why=why)
    if old.is_callable and new.is_callable and old.name != now and new_order(old, new):
        # With only the new name it would compile, but mean something else.
        words = english("{why}; takes its arguments at other places", why=why)
        yield reorder_rule(old, new, f"{id}-order", now, words, score)
        score, why = score * SHARE_OTHER_KIND, words
    stays = _stays_in_class(old, new, leg.classes)
    changes_class = old.is_of_class and not stays and (new.is_of_class or new.kind in ("function", "constant"))
    is_member = old.kind in ("method", "field") or (old.kind == "enumerator" and stays and old.name != new.name)
    if (is_member and not changes_class) or old.scope == new.scope:
        # The name alone may be another's, too: it is changed where a tool names it.
        if old.name != now:
            of = ".".join(old.scope) if is_member else ""
            yield RenameRule(
                id, why, old=old.name, new=now, of=of, confidence=score, named=True,
                signatures=candidate.signatures, imports=imports if imports in re.split(r"::|\.", now) else "", text=line,
                result=leg.doubtful_result(old, new),
            )  # fmt: skip
    elif old.full != new.full:
        from_, to = _written_by_users(old, new, leg)
        # A name that users write in the same module of Rust is only renamed.
        if to != from_ and not (new.file.endswith(_RUST) and _holder_of(from_) == _holder_of(to)):
            holder = _holder_of(to) if new.file.endswith(PYTHON) and new.is_of_class else ""
            title = f"{from_} → {to}"
            # A name that scripts import is followed in files whose import is reported.
            is_imported = old.file.endswith(SCRIPTS) and not old.scope
            yield MoveRule(
                id, why, title=title, old=from_, new=to, holder=holder, confidence=score, named=is_imported,
                signatures=candidate.signatures, imports=imports, text=line, result=leg.doubtful_result(old, new),
            )  # fmt: skip
        # Python needs an import of the class, next to that of the function or in its place.
        with_class = new.file.endswith(PYTHON) and went_into_class(old, new) and new.scope[:-1] != old.scope
        is_at_hand = now != new.name and not with_class
        if (
            old.name != now
            and not changes_class
            and (is_at_hand or _is_shown(old.name, leg.before, new.scope[-1] if with_class else new.name, leg.after))
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


def _stays_in_class(old: Symbol, new: Symbol, classes: Mapping[tuple[str, ...], tuple[str, ...]]) -> bool:
    """Whether two static members or values are of one class, which may have another path now (`classes`)."""
    are_members = (old.is_of_class and new.is_of_class) or old.kind == new.kind == "enumerator"
    return are_members and classes.get(old.scope, old.scope) == new.scope


def _with_paths(call: str, new: Symbol, after: Path) -> str:
    """A call in Rust with the types that it names written as users without an import of them write them."""
    if not new.file.endswith(_RUST):
        return call
    for type_ in shown_types(call):
        paths = sorted("::".join(shown) for shown in shown_names(after) if shown[-1] == type_)
        if paths and type_ not in new.scope:
            shortest: str = min(paths, key=len)
            call = re.sub(rf"(?<![\w.:$]){type_}(?=::)", shortest, call)
    return call


def _written_by_users(old: Symbol, new: Symbol, leg: _Leg) -> tuple[str, str]:
    """The qualified names of two symbols as users write them, where the release shows them under other paths than their own."""
    if new.file.endswith(PYTHON):
        return old.full, ".".join(shown_path(new, leg.after))
    paths = written_path(old.path, leg.before), written_path(new.path, leg.after)
    if new.file.endswith(_RUST) and paths[0] and paths[1]:
        return "::".join(paths[0]), "::".join(paths[1])
    return old.full, new.full


def _holder_of(name: str) -> str:
    """The qualified name without its last part."""
    return re.sub(r"(?:^|::|\.)\w+$", "", name)


def _needed_import(old: Symbol, candidate: SymbolCandidate, after: Path) -> tuple[str, str]:
    """Return the class that contains the new name but not the old one, and its import line, "" if that depends on the file.
    For scripts it is the outermost name of any kind; for Rust also a function that belongs to no type any more."""
    new, holder = candidate.symbol, candidate.holder
    if new.file.endswith(SCRIPTS) and old.file.endswith(SCRIPTS) and (old.scope or new.scope):
        name = new.path[0]
        return (name, script_import(name, new.file, after)) if name != old.path[0] else ("", "")
    if new.file.endswith(_RUST) and old.is_of_class and not holder:
        return new.name, ""
    if not holder or new.file.endswith(PYTHON) or old.path[: len(holder)] == holder:
        return "", ""
    return import_of(holder, new.file, old.file)


def _from_there(old: Symbol, new: Symbol) -> str:
    """Return how to write a new symbol in place of the old name: an enumeration value with its owner, if that is next to the
    old one; a static function with its class."""
    if went_into_class(old, new):
        return new.mark.join(new.path[-2:])
    depth = len(old.scope)
    is_inside = (
        new.kind in ("enumerator", "field", "constant") and len(new.scope) > depth and new.scope[:depth] == old.scope
    )
    return new.mark.join(new.path[depth:]) if is_inside else new.name


def _import_rules(changes: Sequence[ApiChange], before: Path, after: Path) -> Iterator[ReimportRule]:
    """Yield rules that import names of scripts from another module, one for each pair of modules."""
    groups: dict[tuple[str, str, float, int], set[str]] = {}
    for change in changes:
        if change.kind == "imported-from" and change.symbol.file.endswith(SCRIPTS):
            for number, item in enumerate(change.candidates):
                pair = change.symbol.scope[0], item.symbol.scope[0]
                groups.setdefault((*pair, item.score, number), set()).add(change.symbol.name)
    for module, home, name in _homes_of_renamed(changes, before, after):
        groups.setdefault((module, home, IMPORTED_FROM_OTHER_MODULE, 0), set()).add(name)
    for (old, new, score, number), names in groups.items():
        listed = sorted(names)
        why = english("{new} exports {listed}; {old} does not any more", new=new, listed=", ".join(listed[:3]), old=old)
        id = "-".join(("drift-import", old, new, *([str(number + 1)] if number else [])))
        yield ReimportRule(id, why, old=old, new=new, names=tuple(listed), confidence=score, named=True)


def _homes_of_renamed(changes: Sequence[ApiChange], before: Path, after: Path) -> Iterator[tuple[str, str, str]]:
    """Yield old module, new module and new name for each renamed export that another module exports now."""
    renamed = {
        change.old.name: change.candidates[0].symbol.name
        for change in changes
        if change.kind in ("renamed", "deprecated") and change.old is not None and change.candidates
        if change.old.file.endswith(SCRIPTS) and not change.old.scope
    }
    if not renamed:
        return
    new = script_packages_of(after)
    for module, name in script_packages_of(before).exported:
        now = renamed.get(name)
        homes = sorted((at for at, _ in new.by_name.get(now, ())), key=rank_of) if now else []
        if now and homes and (module, now) not in new.exported:
            yield module, homes[0], now


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
        why = english("what stood in {old} stands in {new}", old=old, new=new)
        confidence = min(0.95, 0.6 + 0.15 * times, match[old, new])
        if not old.endswith(C_FAMILY):
            # Each name is imported separately, and each may have moved elsewhere.
            confidence *= times / counted.total()
        yield HeaderRule(f"drift-header-{old}", why, old=old, new=new, confidence=confidence, named=True)


def _shown_rules(changes: Sequence[ApiChange]) -> Iterator[MoveRule]:
    """Yield rules for names that a Python package or a Rust crate no longer re-exports, wherever they are now."""
    for change in changes:
        if change.kind == "imported-from" and change.old is not None and change.old.file.endswith(_REEXPORTING):
            (best,) = change.candidates
            names = change.old.full, best.symbol.full
            yield MoveRule(
                f"drift-shown-{names[0]}", "; ".join(best.evidence), title=" → ".join(names), old=names[0], new=names[1],
                holder=".".join(best.holder), confidence=best.score, signatures=best.signatures,
            )  # fmt: skip


def _factory(change: ApiChange) -> Iterator[Rule]:
    """A constructor that was closed, with a function that makes one instead."""
    assert change.old is not None
    class_ = change.old.scope[-1]
    for candidate in change.candidates[:1]:
        maker = candidate.symbol.mark.join(candidate.symbol.path[-2:])
        forms = [(f"new {class_}($$args)", f"{maker}($$args)")]
        if change.old.file.endswith(C_FAMILY):
            maker, class_ = candidate.symbol.full, change.old.full.rpartition("::")[0]
            forms = [(f"{class_} $name($$args);", f"auto $name = {maker}($$args);")]
            forms += [(f"{front} {class_}($$args)", f"{front} {maker}($$args)") for front in ("=", "return")]
        elif change.old.file.endswith(PYTHON):
            forms = [(f"{class_}($$args)", f"{maker}($$args)")]
        for pattern, replacement in forms:
            yield RewriteRule(
                rule_id(change.old), english("{type} is made by {maker} now", type=class_, maker=maker),
                title=f"{class_}(…) → {maker}(…)",
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


def _accessor(change: ApiChange) -> GetterRule | None:
    """Derive the rule for a field that was replaced by a getter and a setter of its name."""
    field, listed = change.old, change.candidates
    if field is None or field.kind not in ("field", "constant"):
        return None
    own = _parts_without(field.name)
    of_name = [item for item in listed if item.symbol.is_callable and _parts_without(item.symbol.name) == own]
    reads = next((item for item in of_name if not _needed(item.symbol)), None)
    if reads is None or reads.symbol.scope[-1:] != field.scope[-1:]:
        return None
    writes = next((item for item in of_name if len(_needed(item.symbol)) == 1), None)
    # Both together are the successor.
    score = min(GETTER, reads.score + (writes.score if writes is not None else 0.0))
    why = "; ".join(reads.evidence[:3]) or change.what
    return GetterRule(
        rule_id(field), why, old=field.name, new=reads.symbol.name, setter=writes.symbol.name if writes else "",
        of=".".join(field.scope), confidence=score, named=True,
    )  # fmt: skip


def _is_other_type(old: Symbol, new: Symbol, types: Mapping[str, str]) -> bool:
    """Whether two fields have different types, as far as both are known."""
    both = bool(old.returns and new.returns)
    return both and renamed_type(old.returns, types) != plain_type(new.returns)


def _needed(symbol: Symbol) -> Sequence[Parameter]:
    return [item for item in symbol.given if not item.default]


def _parts_without(name: str) -> Sequence[str]:
    """The parts of a name without the words of accessors."""
    parts = parts_of(name)
    return parts[1:] if len(parts) > 1 and parts[0] in ("get", "set", "is", "has") else parts


def _other_arguments(change: ApiChange, old: Symbol, new: Symbol, leg: _Leg) -> Iterator[Rule]:
    """Derive the rule for removed arguments, or for several arguments that became one object."""
    form = leg.form(old, new) if old.name == new.name else None
    if form is not None and (form.lost or not form.unknown):
        part = "fewer" if form.lost else "gathered"
        yield call_rule(old, form, rule_id(old, part), _with_what_is_missing(change.what, form), 1.0)


def _with_what_is_missing(why: str, form: CallForm) -> str:
    """Return a reason, with the arguments that a person has to check in the new call."""
    lost = [english("the object") if name == "it" else name for name in form.lost]
    parts = [english("the new call does not pass {lost}", lost=", ".join(lost))] if lost else []
    parts += [english("fill in {unknown} yourself", unknown=", ".join(form.unknown))] if form.unknown else []
    return "; ".join((why, *parts))


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
        why = english("{name} of {full} is {name2} now", name=item.name, full=old.full, name2=now.name)
        yield KeywordRule(
            rule_id(old, item.name), why, call=old.called, old=item.name, new=now.name,
            confidence=SAME_POSITION if is_same else PARAMETER_REPLACED, named=True,
        )  # fmt: skip


def _gives_nothing(symbol: Symbol) -> bool:
    """Return whether a call's result can be dropped without effect."""
    return symbol.returns in ("void", "None") or (
        not symbol.returns and bool(symbol.words) and "return" not in symbol.words
    )


def _is_whole_macro(old: Symbol) -> bool:
    """Whether the definition of a macro is known to its end, and is one line."""
    return 0 < len(old.value) < _LONGEST_VALUE and not set("\\\n") & set(old.value)


def _own_definition(old: Symbol) -> Rule:
    """Derive the rule that keeps a removed macro by defining it in the files that use it."""
    given = f"({', '.join(item.name for item in old.parameters)})" if old.parameters else ""
    line = f"#define {old.name}{given} {old.value.strip()}"
    why = english("the old release defined it so; check that {code} still means the same", code=old.value.strip())
    return ImportRule(
        rule_id(old, "kept"), why, title=line, old=old.name, text=line, confidence=OLD_DEFINITION, named=True
    )


def _without_call(old: Symbol) -> Rule:
    """Derive the rule that removes a call without replacement, if it is a statement."""
    front = "$it." if old.kind == "method" else f"{old.full.rpartition(old.name)[0]}"
    end = ";" if old.file.endswith((*C_FAMILY, ".cs", ".java", ".rs", ".ts", ".js")) else ""
    why = english("{full} is not there any more, and nothing that looks like it", full=old.full)
    return RewriteRule(
        rule_id(old, "goes"), why, title=english("calls of {name} go", name=old.name), pattern=f"{front}{old.name}($$args){end}",
        replacement="", confidence=CALL_REMOVED, named=True,
    )  # fmt: skip


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
