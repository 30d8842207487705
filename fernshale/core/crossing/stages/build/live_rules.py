"""The rules of a leg that may fix something in the last round, with the edits of each."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from fernshale.core.base.work import CancelToken
from fernshale.core.build.causes import Cause
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.rules.search import find_all_edits
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.crossing.stages.build.rule_filters import member_of
from fernshale.core.fix.apply import CodeEdit
from fernshale.core.fix.rules import DataRule, DeleteRule, RenameIdRule, Rule

# Kinds of rules that are applied to assets, on the Links page.
_OF_LINKS = (RenameIdRule, DataRule)


def live_rules(
    rules: LegRules,
    files: Collection[str],
    causes: Sequence[Cause],
    scan: ProjectScan,
    decided: Mapping[str, Decision],
    token: CancelToken,
) -> tuple[tuple[Rule, ...], dict[str, tuple[CodeEdit, ...]]]:
    """The rules that may fix something, with their edits: those that match in one of the `files` that have errors.

    Comparing two releases gives thousands of rules; only the live ones are searched for in all files. A rule that must not be
    applied twice is left out where it was applied. Raises Cancelled.
    """
    code = [rule for rule in rules.all if not isinstance(rule, _OF_LINKS)]
    near = find_all_edits(scan, code, token, files)
    members = {cause.symbol for cause in causes}

    def applies_everywhere(rule: Rule) -> bool:
        is_member = member_of(rule) in members - {""}
        return rule.silent or is_member or (bool(near.get(rule.id)) and not rule.named)

    everywhere = find_all_edits(scan, [rule for rule in code if applies_everywhere(rule)], token)
    edits = {**near, **everywhere}
    for rule in code:
        if edits.get(rule.id) and not rule.is_repeatable:
            edits[rule.id] = tuple(edit for edit in edits[rule.id] if not _was_applied(rule, edit, decided))
    return tuple(rule for rule in code if isinstance(rule, DeleteRule) or edits.get(rule.id)), edits


def _was_applied(rule: Rule, edit: CodeEdit, decided: Mapping[str, Decision]) -> bool:
    """Whether a rule was applied everywhere, in the file of an edit, or at the edit."""
    everywhere = f"fix:{rule.id}"
    in_file = {key: item.choice for key, item in decided.items() if key.startswith(f"{everywhere}:{edit.path}:")}
    return everywhere in decided or "file" in in_file.values() or f"{everywhere}:{edit.path}:{edit.line}" in in_file
