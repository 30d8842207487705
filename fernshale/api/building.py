"""Diagnostics, causes, fix rules and their edits."""

from __future__ import annotations

from fernshale.core.build.sarif import write_sarif
from fernshale.core.crossing.rules.search import apply_rules
from fernshale.core.crossing.rules.sources import export_rules, keep_rules
from fernshale.core.crossing.stages.build.actions import CodePart, FixScope
from fernshale.core.crossing.stages.build.attempt_runs import AttemptBudget, has_proposals_to_try, try_proposals
from fernshale.core.crossing.stages.build.attempts import Attempts, summary_of
from fernshale.core.crossing.stages.build.build_runs import diagnose, plain_context
from fernshale.core.crossing.stages.build.explanation import explain_nothing
from fernshale.core.crossing.stages.build.items import default_key, silent_words
from fernshale.core.fix.apply import apply_edits, try_rule
from fernshale.core.fix.rule_file import read_rules

__all__ = [
    "AttemptBudget",
    "Attempts",
    "CodePart",
    "FixScope",
    "apply_edits",
    "apply_rules",
    "default_key",
    "diagnose",
    "explain_nothing",
    "export_rules",
    "has_proposals_to_try",
    "keep_rules",
    "plain_context",
    "read_rules",
    "silent_words",
    "summary_of",
    "try_proposals",
    "try_rule",
    "write_sarif",
]
