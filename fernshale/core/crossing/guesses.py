"""Fix rules out of the drift of a leg: what comparing the two releases' own sources says about how to follow.

Each change that has a way to follow becomes a rule, as sure as its candidate is. What needs a value that no signature tells
(a new argument, the body of a method) is taken from how the new release's own code does it, and never counts as sure.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.languages import NAMED_ARGUMENTS, SCRIPTS
from fernshale.core.drift.compare import Change
from fernshale.core.drift.fronts import front_names, shown_path
from fernshale.core.drift.joining import plain_type
from fernshale.core.drift.matching import Candidate
from fernshale.core.drift.order import new_order
from fernshale.core.drift.release import languages_of, list_sources, read_bytes
from fernshale.core.drift.symbols import Symbol
from fernshale.core.fix.calls import find_calls
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.rules import Rule, RuleSet, Where
from fernshale.core.fix.tokens import tokenize

_C_FAMILY = (".h", ".hpp", ".hh", ".hxx", ".inl", ".cpp", ".cc", ".c")
# From so many candidates' likelihood on a rule is worth a look, and so many others of one symbol are offered beside it.
_LEAST, _OTHERS = 0.15, 2
# What is filled in from others' code may be meant otherwise here.
_FILLED_IN = 0.6
_STUB = 0.5
_RETYPED, _LEFT_OUT = 0.8, 0.3
_OTHER_THING = 0.5
# What is not wanted any more is just left out; only a side effect of computing it could be missed.
_DROPPED = 0.92
# An argument that has another name in its place, and one that came for one.
_REORDERED = 0.8
_SAME_PLACE, _ONE_FOR_ANOTHER = 0.93, 0.7


def reorder_rule(old: Symbol, new: Symbol, id: str, name: str, why: str, sure: float) -> Rule:
    """Calls give their arguments in the order in which the new release wants them, to what is called `name` there."""
    order = new_order(old, new)
    listed = ", ".join(item.name for item in new.parameters[: len(order)])
    return Rule(
        id, "reorder", why, f"{name}({listed}) in this order", call=old.called, new=name if name != old.called else "",
        order=order, names=tuple(item.name for item in old.parameters[: len(order)]),
        of=".".join(old.scope) if old.kind == "method" else "", confidence=sure, named=True,
    )  # fmt: skip


def guess_rules(changes: Sequence[Change], old: Path, new: Path, title: str, known: Collection[str]) -> RuleSet:
    """Rules to follow `changes`; nothing for the symbols that better authorities (`known`) have rules for.

    `old` and `new` are the releases' folders; the new one's own code shows how new things are used.
    """
    rules: dict[str, Rule] = {}
    fulls = {item.new.name: item.new.full for item in changes if item.new is not None}
    for change in changes:
        if change.symbol.name not in known:
            for rule in _rules_of(change, old, new, fulls):
                rules.setdefault(rule.id, rule)
    for rule in _header_rules(changes):
        if rule.old not in known:
            rules.setdefault(rule.id, rule)
    return RuleSet(title, tuple(rules.values()), new)


def _rules_of(change: Change, before: Path, new: Path, fulls: Mapping[str, str]) -> Iterator[Rule]:
    old, now = change.old, change.new
    if change.kind in ("renamed", "moved", "removed", "deprecated") and old is not None and old.kind != "constructor":
        for number, candidate in enumerate(change.candidates[: 1 + _OTHERS]):
            if candidate.score >= _LEAST:
                yield from _follow(old, candidate, number, before, new)
        if change.kind == "removed" and old.is_callable and _gives_nothing(old):
            yield _without_call(old)
    elif change.kind == "removed" and old is not None and old.file.endswith(_C_FAMILY):
        yield from _factory(change)
    elif change.kind == "signature" and old is not None and now is not None:
        if not old.is_callable and now.is_callable:
            yield _getter(change, old, now)
        elif old.is_callable and now.is_callable:
            yield from _new_argument(change, old, now, new)
            yield from _fewer_arguments(change, old, now)
            yield from _new_keywords(old, now)
            yield from _new_types(change, old, now, fulls)
    elif change.kind == "reordered" and old is not None and now is not None and old.name == now.name and not change.is_silent:
        # Twice done it would be undone, so it takes a person's word, place by place.
        yield reorder_rule(old, now, f"drift-{_slug(old)}-order", old.called, change.what, _REORDERED)
    elif change.kind == "must-implement" and now is not None:
        yield from _member(change, now)
    elif change.kind == "no-longer-overrides" and old is not None and now is not None and old.name != now.name:
        why = f"{old.full} is {now.name} now; a class that still has {old.name} overrides nothing by it, and compiles"
        yield Rule(
            f"drift-override-{_slug(old)}", "rename", why, title=f"override {now.name}, not {old.name}", old=old.name,
            new=now.name, where=Where(derives=(old.scope[-1],)), silent=True, confidence=change.candidates[0].score,
        )  # fmt: skip


def _is_shown(old: str, before: Path, new: str, after: Path) -> bool:
    """Whether a folder of both releases shows the one name and then the other, wherever they stand."""
    return not set(front_names(before).get(old, ())).isdisjoint(front_names(after).get(new, ()))


def _follow(old: Symbol, candidate: Candidate, number: int, before: Path, after: Path) -> Iterator[Rule]:
    """A name that is another one now, in the same place or elsewhere."""
    id = f"drift-{_slug(old)}" + (f"-{number + 1}" if number else "")
    new, score = candidate.symbol, candidate.score
    why = "; ".join(candidate.evidence[:3]) or "the two releases compared"
    now = candidate.written or _from_there(old, new)
    if old.is_callable and new.kind == "class":
        # Called like a function it gives something else than before.
        score, why = score * _OTHER_THING, f"{new.name} is a class; {why}"
    if old.is_callable and new.is_callable and old.name != now and new_order(old, new):
        # With another name alone it would compile, and mean something else.
        words = f"{why}; takes its arguments in another order"
        yield reorder_rule(old, new, f"{id}-order", now, words, score)
        score, why = score * _OTHER_THING, words
    if old.kind in ("method", "field") or old.scope == new.scope:
        # The name alone may be another's, too: it is changed where a tool names it.
        if old.name != now:
            of = ".".join(old.scope) if old.kind in ("method", "field") else ""
            yield Rule(id, "rename", why, old=old.name, new=now, of=of, confidence=score, named=True)
    elif old.full != new.full:
        to = ".".join(shown_path(new, after)) if new.file.endswith(PYTHON) else new.full
        if to != old.full:
            yield Rule(id, "move", why, title=f"{old.full} → {to}", old=old.full, new=to, confidence=score)
        if old.name != now and (now != new.name or _is_shown(old.name, before, new.name, after)):
            yield Rule(f"{id}-shown", "rename", why, old=old.name, new=now, confidence=score, named=True)


def _from_there(old: Symbol, new: Symbol) -> str:
    """How a new value is written where the old one's name stood: over what holds it, where that stands beside the old one."""
    depth = len(old.scope)
    is_inside = new.kind in ("enumerator", "field", "constant") and len(new.scope) > depth and new.scope[:depth] == old.scope
    return new.mark.join(new.path[depth:]) if is_inside else new.name


def _header_rules(changes: Sequence[Change]) -> Iterator[Rule]:
    """Headers and modules of scripts whose symbols are found in another one now."""
    into: dict[str, Counter[str]] = {}
    for change in changes:
        if change.kind not in ("renamed", "moved") or change.old is None or change.new is None:
            continue
        if change.old.file.endswith((*_C_FAMILY, *SCRIPTS)) and change.old.file != change.new.file:
            old, new = _included(change.old.file), _included(change.new.file)
            if old != new:
                into.setdefault(old, Counter())[new] += 1
    for old, counted in into.items():
        new, times = counted.most_common(1)[0]
        why = f"what stood in {old} stands in {new}"
        sure = min(0.95, 0.6 + 0.15 * times)
        if not old.endswith(_C_FAMILY):
            # Each name is imported by itself, and each may have gone elsewhere.
            sure *= times / counted.total()
        yield Rule(f"drift-header-{old}", "header", why, old=old, new=new, confidence=sure, named=True)


def _included(file: str) -> str:
    """A header's path as it is included, behind the last folder that is called include; a script's as it is imported."""
    if file.endswith(SCRIPTS):
        return re.sub(r"(?:/index)?(?:\.d)?\.\w+\Z", "", file)
    return re.sub(r"^(?:.*/)?(?:include|inc)/", "", file)


def _factory(change: Change) -> Iterator[Rule]:
    """A constructor that was closed, with a function that makes one instead."""
    assert change.old is not None
    class_ = change.old.full.rpartition("::")[0]
    for candidate in change.candidates[:1]:
        yield Rule(
            f"drift-{_slug(change.old)}", "rewrite", f"{class_} is made by {candidate.symbol.full} now",
            title=f"{class_}(…) → {candidate.symbol.full}(…)", pattern=f"{class_} $name($$args);",
            replacement=f"auto $name = {candidate.symbol.full}($$args);", confidence=min(0.9, candidate.score),
        )  # fmt: skip


def _getter(change: Change, old: Symbol, new: Symbol) -> Rule:
    setter = f"set_{old.name}" if "_" in old.name or old.name.islower() else f"set{old.name[:1].upper()}{old.name[1:]}"
    return Rule(
        f"drift-{_slug(old)}",
        "getter",
        change.what,
        old=old.name,
        new=new.name,
        setter=setter,
        confidence=0.92,
        named=True,
    )


def _new_argument(change: Change, old: Symbol, new: Symbol, folder: Path) -> Iterator[Rule]:
    """One more argument without a default: what the release's own code passes there most."""
    ours, theirs = [item.name for item in old.parameters], list(new.parameters)
    added = [at for at, item in enumerate(theirs) if item.name not in ours]
    if len(theirs) != len(ours) + 1 or len(added) != 1 or theirs[added[0]].default:
        return
    at = added[0]
    passed = _passed(folder, old.name, len(theirs), at)
    if passed is None:
        return
    text, times = passed
    why = f"{old.full} wants {theirs[at].type} {theirs[at].name}; the release's own code passes {text}, {times} times"
    yield Rule(
        f"drift-{_slug(old)}", "add-argument", why, title=f"{old.name}(…) gets {text}", call=old.name, arguments=len(ours),
        position=at + 1, text=text, confidence=_FILLED_IN,
    )  # fmt: skip


def _fewer_arguments(change: Change, old: Symbol, new: Symbol) -> Iterator[Rule]:
    """Arguments that are not wanted any more, where those that stay are as they were and in their order."""
    ours = [(item.name, item.type) for item in old.parameters]
    theirs = iter([(item.name, item.type) for item in new.parameters])
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
    yield Rule(
        f"drift-{_slug(old)}-fewer", "rewrite", change.what, title=f"{old.name}(…) without {gone}",
        pattern=f"{old.name}({', '.join(metas)})", replacement=f"{old.name}({left})", confidence=_DROPPED,
    )  # fmt: skip


def _new_keywords(old: Symbol, new: Symbol) -> Iterator[Rule]:
    """Arguments that have another name in the same place, where callers give them by name."""
    if not old.file.endswith(NAMED_ARGUMENTS):
        return
    ours, theirs = ({item.name for item in symbol.parameters} for symbol in (old, new))
    gone, come = ([item for item in mine.parameters if item.name not in other] for mine, other in ((old, theirs), (new, ours)))
    for item in gone:
        at = old.parameters.index(item)
        there = new.parameters[at] if at < len(new.parameters) and new.parameters[at] in come else None
        now = there or (come[0] if len(gone) == len(come) == 1 else None)
        if now is None or not (item.name.isidentifier() and now.name.isidentifier()):
            continue
        is_same = there is not None and plain_type(item.type) == plain_type(now.type) and item.default == now.default
        why = f"{item.name} of {old.full} is {now.name} now"
        yield Rule(
            f"drift-{_slug(old)}-{item.name}", "keyword", why, call=old.called, old=item.name, new=now.name,
            confidence=_SAME_PLACE if is_same else _ONE_FOR_ANOTHER, named=True,
        )  # fmt: skip


def _new_types(change: Change, old: Symbol, new: Symbol, fulls: Mapping[str, str]) -> Iterator[Rule]:
    """A parameter of another type, wherever the function is declared or defined again: in overrides and their definitions."""
    changed = [at for at, (a, b) in enumerate(zip(old.parameters, new.parameters, strict=False)) if a.type != b.type]
    if len(old.parameters) != len(new.parameters) or len(changed) != 1 or not old.file.endswith(_C_FAMILY):
        return
    at = changed[0]
    before = old.parameters[at].type
    after = re.sub(r"[A-Za-z_]\w*", lambda word: fulls.get(word[0], word[0]), new.parameters[at].type)
    ahead = "$$before, " if at else ""
    behind = ", $$behind" if at + 1 < len(old.parameters) else ""
    yield Rule(
        f"drift-{_slug(old)}-type", "rewrite", change.what, title=f"{old.name} takes a {after}",
        pattern=f"{old.name}({ahead}{before} $it{behind})", replacement=f"{old.name}({ahead}{after} $it{behind})",
        confidence=_RETYPED,
    )  # fmt: skip


def _gives_nothing(symbol: Symbol) -> bool:
    """Whether nobody can miss the result of a call."""
    return symbol.returns in ("void", "None") or (not symbol.returns and bool(symbol.words) and "return" not in symbol.words)


def _without_call(old: Symbol) -> Rule:
    """A call that nothing stands for any more, as a statement that goes."""
    front = "$it." if old.kind == "method" else f"{old.full.rpartition(old.name)[0]}"
    end = ";" if old.file.endswith((*_C_FAMILY, ".cs", ".java", ".rs", ".ts", ".js")) else ""
    why = f"{old.full} is not there any more, and nothing that looks like it"
    return Rule(
        f"drift-{_slug(old)}-goes", "rewrite", why, title=f"calls of {old.name} go", pattern=f"{front}{old.name}($$args){end}",
        replacement="", confidence=_LEFT_OUT, named=True,
    )  # fmt: skip


@lru_cache(maxsize=512)
def _passed(folder: Path, call: str, arguments: int, at: int) -> tuple[str, int] | None:
    """What a release's code gives a function at one place most, and how often; a name or a literal that means the same elsewhere.

    A release is read through for each call, and does not change.
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


def _member(change: Change, method: Symbol) -> Iterator[Rule]:
    """A method that every class of a kind must have, as a stub in the class."""
    base = method.scope[-1] if method.scope else ""
    if not base or not method.file.endswith(_C_FAMILY):
        return
    given = ", ".join(" ".join(part for part in (item.type, item.name) if part) for item in method.parameters)
    is_const = " const" if "const" in method.marks else ""
    body = "{ }" if method.returns in ("void", "") else "{ return {}; }"
    yield Rule(
        f"drift-{_slug(method)}", "add-member", f"{change.what}; the body is only a stub", base=base, member=method.name,
        text=f"{method.returns} {method.name}({given}){is_const} override {body}", confidence=_STUB,
    )  # fmt: skip


def _slug(symbol: Symbol) -> str:
    return re.sub(r"\W+", "-", symbol.full)


def symbols_named(rules: Sequence[Rule]) -> frozenset[str]:
    """The symbols that rules are about, by their last names."""
    names: set[str] = set()
    for rule in rules:
        for text in (rule.old, rule.call, rule.member):
            names.update(re.split(r"::|\.", text)[-1:])
            names.add(text)
        names.update(re.findall(r"[A-Za-z_]\w+", re.sub(r"\$\$?\w+", " ", rule.pattern)))
    return frozenset(names - {""})
