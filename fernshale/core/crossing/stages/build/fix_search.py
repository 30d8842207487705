"""Which rules mend a cause, where, and how sure that is."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cache, partial

from fernshale.core.base.bounded_regex import search
from fernshale.core.base.globs import matches
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.build.causes import Cause, last_name
from fernshale.core.build.diagnostics import SourcePlace
from fernshale.core.build.message_patterns import (
    CALL,
    EMPTY,
    IMPLEMENT,
    INCOMPLETE,
    MISSING,
    NUMBER,
    OVERRIDE,
    PRIVATE,
    UNTYPED,
)
from fernshale.core.build.owners import OwnerContext, all_places
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.rules.search import find_all_edits
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.crossing.stages.build.view import Fix
from fernshale.core.fix.apply import CodeEdit
from fernshale.core.fix.call_acceptance import arguments_after, is_accepted
from fernshale.core.fix.data_rewriter import repeats
from fernshale.core.fix.dropped_text import dropped_by, words_of_loss
from fernshale.core.fix.expression_span import expression_lines
from fernshale.core.fix.holder_imports import needs_import
from fernshale.core.fix.rules import Rule
from fernshale.core.survey.roles import role_of

# Kinds of rules that are followed in assets, which is the business of Links.
_OF_LINKS = ("rename-id", "data")
# Kinds of rules that find their places by themselves.
_BY_WORDS = ("rename", "move", "header", "getter", "add-argument", "keyword", "reorder", "add-member", "rewrite")
# Kinds that mend a name far from where it is named: where it is brought in, or first set.
_ELSEWHERE = {"import": (*MISSING, INCOMPLETE), "declare": (EMPTY, UNTYPED, NUMBER)}
# What a match is worth: a rule that names the symbol the compiler names, or one that only stands on the same line.
_BY_SYMBOL, _BY_LINE = 0.99, 0.6


def live_rules(
    rules: LegRules,
    files: Collection[str],
    causes: Sequence[Cause],
    scan: ProjectScan,
    decided: Mapping[str, Decision],
    token: CancelToken,
) -> tuple[tuple[Rule, ...], dict[str, tuple[CodeEdit, ...]]]:
    """The rules that may mend something, with their edits: those that hold in one of the `files` that have errors.

    Comparing two releases gives thousands of rules; only the few that are live are looked for in all files. A rule that must not
    be followed twice is done with once it was taken, where it was.
    """
    code = [rule for rule in rules.all if rule.kind not in _OF_LINKS]
    near = find_all_edits(scan, code, token, files)
    members = {cause.symbol for cause in causes}

    def goes_far(rule: Rule) -> bool:
        is_member = bool(rule.member) and rule.member in members
        return rule.silent or is_member or (bool(near.get(rule.id)) and not rule.named)

    everywhere = find_all_edits(scan, [rule for rule in code if goes_far(rule)], token)
    edits = {**near, **everywhere}
    for rule in code:
        if not repeats(rule) and edits.get(rule.id):
            edits[rule.id] = tuple(edit for edit in edits[rule.id] if not _was_taken(rule, edit, decided))
    return tuple(rule for rule in code if rule.kind == "delete" or edits.get(rule.id)), edits


def _was_taken(rule: Rule, edit: CodeEdit, decided: Mapping[str, Decision]) -> bool:
    """Whether a rule was followed everywhere, in the file of an edit, or right there."""
    everywhere = f"fix:{rule.id}"
    in_file = {key: item.choice for key, item in decided.items() if key.startswith(f"{everywhere}:{edit.path}:")}
    return everywhere in decided or "file" in in_file.values() or f"{everywhere}:{edit.path}:{edit.line}" in in_file


def find_fixes(
    cause: Cause, live: Sequence[Rule], rules: LegRules, edits: Mapping[str, tuple[CodeEdit, ...]], shape: OwnerContext,
    near: OwnerContext, scan: ProjectScan, far: float,
) -> tuple[Fix, ...]:  # fmt: skip
    """The fixes for a cause, best first. `near` is `shape` with lines that a fix changed where they were: what still stands there
    of the very symbol is meant. `far` is the confidence from which on they count as sure."""
    as_built, as_now = _lines(cause, shape), _lines(cause, near)
    further = [cache(partial(_expression_at, error.place, scan)) for error in cause.errors]
    fixes = []
    for rule in live:
        message_fits = _message_fits(rule, cause)
        if rule.kind == "delete":
            removes = tuple(path for path in scan.manifest.paths() if matches(rule.files, path))
            if message_fits and removes:
                sure = _BY_SYMBOL * rule.confidence
                doubt = _doubt_of_removal(scan, rules, rule, removes)
                fixes.append(Fix(rule, rules.source(rule), (), removes, (), cause.count, sure, far, doubt))
            continue
        found = edits.get(rule.id, ())
        is_member = bool(rule.member) and rule.member == cause.symbol and cause.kind in (IMPLEMENT, OVERRIDE)
        if (rule.silent and not is_member) or message_fits is False:
            continue
        if rule.kind == "keyword" and cause.kind != CALL:
            continue
        if rule.kind == "rewrite" and not rule.replacement and cause.kind not in MISSING:
            continue  # what is there still, and wants other arguments, is no statement to leave out
        elsewhere = _ELSEWHERE.get(rule.kind)
        if elsewhere is not None and (rule.old != cause.symbol or cause.kind not in elsewhere):
            continue
        if rule.member and not is_member and cause.kind != IMPLEMENT:
            continue
        by_symbol = bool(message_fits) or _names(rule, cause.symbol)
        if cause.kind == PRIVATE and not by_symbol:
            continue  # the tool says what is not to be used, and what else stands on the line has nothing to do with that
        if rule.named and rule.kind == "rename" and cause.symbol and not by_symbol:
            continue  # it is for an error that names it, and this one names another
        lines = as_now if by_symbol else as_built
        if rule.diagnostic:
            lines = [item if fits else set() for item, fits in zip(lines, _fitting(rule, cause), strict=True)]
        named = set().union(*lines)
        # A member that is missing is named by itself; where it goes may be far from the head of its class.
        here = found if is_member else tuple(edit for edit in found if _lines_of(edit) & named)
        places = lines
        if elsewhere is not None:
            here, places = _in_files(found, lines)
        elif rule.named and cause.kind in (*MISSING, CALL) and by_symbol:
            # Further down in what begins at the place that was named, where nothing on that line is meant.
            on = set().union(*(_lines_of(edit) for edit in here))
            places = [item if item & on else item | below() for item, below in zip(lines, further, strict=True)]
            within = set().union(*places)
            here = tuple(edit for edit in found if _lines_of(edit) & within)
        if not here:
            continue
        if rule.named:
            found = _near(rule, found, here)
        spots = set().union(*(_lines_of(edit) for edit in here))
        clears = cause.count if is_member else sum(bool(item & spots) for item in places)
        confidence = rule.confidence * (_BY_SYMBOL if by_symbol else _BY_LINE)
        doubt = _doubt(rule, found, rules, scan)
        fixes.append(Fix(rule, rules.source(rule), found, (), here, clears, confidence, far, doubt))
    # A rule that merely stands on the same line is for another cause, when one names this very symbol.
    meant = [fix for fix in fixes if _names(fix.rule, cause.symbol) or _message_fits(fix.rule, cause)]
    kept = meant or fixes
    return tuple(sorted(kept, key=lambda fix: (not _is_of(fix.rule, cause), -fix.confidence, -fix.clears, fix.rule.id)))


def _in_files(
    found: Sequence[CodeEdit], lines: Sequence[set[tuple[str, int]]]
) -> tuple[tuple[CodeEdit, ...], list[set[tuple[str, int]]]]:
    """The edits in the files of some places, however far from those they stand; and each place together with them."""
    files = [{file for file, _ in item} for item in lines]
    here = tuple(edit for edit in found if edit.path in set().union(*files))
    spots = [{(str(edit.path), edit.line) for edit in here if edit.path in of} for of in files]
    return here, [item | more for item, more in zip(lines, spots, strict=True)]


def _lines(cause: Cause, shape: OwnerContext) -> list[set[tuple[str, int]]]:
    """The lines that each error of a cause names; of one whose line is not known any more none."""
    places = (all_places(error.diagnostic, shape) for error in cause.errors)
    return [{(place.file, place.line) for place in listed if place.line > 0} for listed in places]


def _expression_at(place: SourcePlace, scan: ProjectScan) -> set[tuple[str, int]]:
    """The lines of the expression that begins at a place."""
    text = scan.read(TreePath(place.file)) if place.line > 0 and place.file in scan.manifest.files else None
    if text is None:
        return set()
    return {(place.file, line) for line in expression_lines(text, place.file, place.line, place.column)}


def _is_of(rule: Rule, cause: Cause) -> bool:
    """Whether a rule is for the very type that the errors are about, or for no type in particular."""
    return not (rule.of and cause.scope) or rule.of.split(".")[-1] == last_name(cause.scope)


def _lines_of(edit: CodeEdit) -> set[tuple[str, int]]:
    """The lines an edit touches; an insertion belongs to the line above, too, where a class or call begins."""
    count = edit.old.count("\n") + 1
    lines = {(str(edit.path), edit.line + offset) for offset in range(count)}
    if edit.start == edit.end and edit.new.endswith("\n"):
        # A member goes into a class whose head the compiler names: look back over a few lines of it.
        lines |= {(str(edit.path), edit.line - back) for back in range(1, 12)}
    return lines


def _message_fits(rule: Rule, cause: Cause) -> bool | None:
    """Whether the rule's own pattern finds the cause's message; None when it has none."""
    if not rule.diagnostic:
        return None
    return any(_fitting(rule, cause))


def _fitting(rule: Rule, cause: Cause) -> Iterator[bool]:
    """For each error of a cause whether its message is one the rule is for."""
    return (search(rule.diagnostic, error.diagnostic.message) is not None for error in cause.errors)


def _names(rule: Rule, symbol: str) -> bool:
    told = " ".join((rule.old, rule.call, rule.member, rule.pattern))
    if rule.kind == "move" and rule.old.startswith((f"{symbol}.", f"{symbol}::")):
        return True  # what stood in a module that is missing
    if rule.kind == "header" and symbol.endswith(f"/{rule.old}"):
        return True  # a module of a package, by its path in that
    return symbol in {*re.findall(r"[\w/.]+", told), *re.findall(r"\w+", told)}


def _near(rule: Rule, found: Sequence[CodeEdit], here: Sequence[CodeEdit]) -> tuple[CodeEdit, ...]:
    """Where a rule holds whose name alone is not enough: the places that are named, and what follows an import that is."""
    imported = {edit.path for edit in here if rule.kind == "rename" and edit.is_import}
    kept = {edit.path for edit in here}
    return tuple(
        edit for edit in found if edit in here or edit.path in imported or (edit.is_added_import and edit.path in kept)
    )


def _doubt(rule: Rule, edits: Sequence[CodeEdit], rules: LegRules, scan: ProjectScan) -> str:
    """Why a person has to look before a rule is followed at these places; "" where nothing speaks against doing it unseen."""
    if dropped := dropped_by(rule, edits, is_declared=rules.is_declared(rule)):
        return words_of_loss(dropped)
    if unimported := _without_import(rule, edits, scan):
        return f"{rule.imports} has to be imported, and how is not known: {unimported}"
    refused = [edit for edit in edits if rule.signatures and not _takes_call(rule, edit, scan)]
    if not refused:
        return ""
    takes = rule.signatures[0].replace("!", "").replace("~", "")
    calls = "the call as it stands" if len(refused) == 1 else f"{len(refused)} calls as they stand"
    return f"{last_name(rule.new)}({takes}) does not take {calls}: {refused[0].path}:{refused[0].line}"


def _without_import(rule: Rule, edits: Sequence[CodeEdit], scan: ProjectScan) -> str:
    """The first file in which a new name would stand without the import it needs, "" where there is none."""
    by_file: dict[TreePath, list[CodeEdit]] = {}
    for edit in edits if rule.imports else ():
        by_file.setdefault(edit.path, []).append(edit)
    for path, group in by_file.items():
        text = scan.read(path)
        is_added = any(edit.is_added_import for edit in group)
        if text is not None and not is_added and needs_import(rule, path, text, [edit.new for edit in group]):
            return path
    return ""


def _takes_call(rule: Rule, edit: CodeEdit, scan: ProjectScan) -> bool:
    """Whether what a rule leads to takes the call at an edit, where that is one."""
    text = scan.read(edit.path)
    given = arguments_after(text, edit.path, edit.end) if text is not None else None
    return given is None or is_accepted(rule.signatures, given)


def _doubt_of_removal(scan: ProjectScan, rules: LegRules, rule: Rule, paths: Sequence[TreePath]) -> str:
    """Files are removed unseen only where the release says so and nobody edits them."""
    edited = [path for path in paths if role_of(scan.profile, path).role != "generated"]
    if edited:
        return f"removes a file that is not generated: {edited[0]}"
    return "" if rules.is_declared(rule) else f"removes files that no rule of the release names: {paths[0]}"


def silent_fixes(
    rules: LegRules, edits: Mapping[str, tuple[CodeEdit, ...]], scan: ProjectScan, far: float
) -> list[Fix]:
    """The fixes for what the compiler does not tell."""
    return [
        Fix(
            rule,
            rules.source(rule),
            found,
            (),
            (),
            0,
            _BY_SYMBOL * rule.confidence,
            far,
            _doubt(rule, found, rules, scan),
        )
        for rule in rules.all
        if rule.silent and (found := edits.get(rule.id))
    ]


def unchecked_fixes(rules: LegRules, scan: ProjectScan, far: float, token: CancelToken) -> list[Fix]:
    """The fixes for what errors would name, where nothing tells of errors: never sure, as only the words speak for them."""
    best: dict[tuple[str, str], Rule] = {}
    for rule in rules.all:
        if rule.kind in _BY_WORDS and not rule.silent and not (rule.kind == "rewrite" and not rule.replacement):
            best.setdefault((rule.of, rule.old or rule.call or rule.member or rule.pattern), rule)
    edits = find_all_edits(scan, [replace(rule, named=False) for rule in best.values()], token)
    return [
        Fix(rule, rules.source(rule), edits[rule.id], (), (), 0, _BY_LINE * rule.confidence, far)
        for rule in best.values()
        if edits.get(rule.id)
    ]
