"""Fixes for changes that no tool reports: they compile, or there is no tool that could report them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from fernshale.core.base.confidence import SHARE_BY_LINE, SHARE_BY_SYMBOL
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.rules.search import find_all_edits
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.crossing.stages.build.doubts import find_doubt
from fernshale.core.crossing.stages.build.view import Fix
from fernshale.core.fix.apply import CodeEdit
from fernshale.core.fix.rules import (
    AddArgumentRule,
    AddMemberRule,
    CallRule,
    GetterRule,
    HeaderRule,
    KeywordRule,
    MoveRule,
    RenameRule,
    ReorderRule,
    RewriteRule,
    Rule,
)

# Kinds of rules that find their places by names alone.
_BY_NAME = (
    RenameRule, MoveRule, HeaderRule, GetterRule, AddArgumentRule, KeywordRule, ReorderRule, CallRule, AddMemberRule,
    RewriteRule,
)  # fmt: skip


def silent_fixes(
    rules: LegRules, edits: Mapping[str, tuple[CodeEdit, ...]], scan: ProjectScan, far: float
) -> list[Fix]:
    """The fixes of rules that are marked as silent; of those that make the same edits, the most certain."""
    best: dict[tuple[CodeEdit, ...], Rule] = {}
    for rule in rules.all:
        found = edits.get(rule.id, ()) if rule.silent else ()
        if found and (found not in best or rule.confidence > best[found].confidence):
            best[found] = rule
    return [
        Fix(
            rule,
            rules.source(rule),
            found,
            (),
            (),
            0,
            SHARE_BY_SYMBOL * rule.confidence,
            far,
            find_doubt(rule, found, rules, scan, far),
        )
        for found, rule in best.items()
    ]


def unchecked_fixes(rules: LegRules, scan: ProjectScan, far: float, token: CancelToken) -> list[Fix]:
    """The fixes for names that errors would report, in a project that no tool checks. They are never applied automatically."""
    best: dict[tuple[str, str], Rule] = {}
    for rule in rules.all:
        removes_statements = isinstance(rule, RewriteRule) and rule.removes_statements
        if isinstance(rule, _BY_NAME) and not rule.silent and not removes_statements:
            best.setdefault((rule.owner, rule.subjects[0]), rule)
    edits = find_all_edits(scan, [replace(rule, named=False) for rule in best.values()], token)
    return [
        Fix(rule, rules.source(rule), edits[rule.id], (), (), 0, SHARE_BY_LINE * rule.confidence, far)
        for rule in best.values()
        if edits.get(rule.id)
    ]
