"""Fixes for changes that no tool reports: they compile, or there is no tool that could report them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.rules.search import find_all_edits
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.crossing.stages.build.doubts import find_doubt
from fernshale.core.crossing.stages.build.fix_search import BY_LINE, BY_SYMBOL
from fernshale.core.crossing.stages.build.view import Fix
from fernshale.core.fix.apply import CodeEdit
from fernshale.core.fix.rules import Rule

# Kinds of rules that find their places by names alone.
_BY_NAME = ("rename", "move", "header", "getter", "add-argument", "keyword", "reorder", "add-member", "rewrite")


def silent_fixes(
    rules: LegRules, edits: Mapping[str, tuple[CodeEdit, ...]], scan: ProjectScan, far: float
) -> list[Fix]:
    """The fixes of rules that are marked as silent."""
    return [
        Fix(
            rule,
            rules.source(rule),
            found,
            (),
            (),
            0,
            BY_SYMBOL * rule.confidence,
            far,
            find_doubt(rule, found, rules, scan),
        )
        for rule in rules.all
        if rule.silent and (found := edits.get(rule.id))
    ]


def unchecked_fixes(rules: LegRules, scan: ProjectScan, far: float, token: CancelToken) -> list[Fix]:
    """The fixes for names that errors would report, in a project that no tool checks. They are never applied automatically."""
    best: dict[tuple[str, str], Rule] = {}
    for rule in rules.all:
        if rule.kind in _BY_NAME and not rule.silent and not (rule.kind == "rewrite" and not rule.replacement):
            best.setdefault((rule.of, rule.old or rule.call or rule.member or rule.pattern), rule)
    edits = find_all_edits(scan, [replace(rule, named=False) for rule in best.values()], token)
    return [
        Fix(rule, rules.source(rule), edits[rule.id], (), (), 0, BY_LINE * rule.confidence, far)
        for rule in best.values()
        if edits.get(rule.id)
    ]
