"""diagnose, build, fix."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from fernshale import __version__
from fernshale.api.actions import Author, RunBuild
from fernshale.api.building import (
    AttemptBudget,
    apply_rules,
    explain_nothing,
    has_proposals_to_try,
    keep_rules,
    plain_context,
    read_rules,
    summary_of,
    try_proposals,
    try_rule,
    write_sarif,
)
from fernshale.api.building import diagnose as diagnose_log
from fernshale.api.changes import unified_diff
from fernshale.api.crossings import build_and_fix, carry_out, inspect, write_changes
from fernshale.api.projects import scan_project
from fernshale.cli.crossing_lookup import choose_fix_settings, crossing_for, profile_for, scan_for
from fernshale.cli.output import LEFT_TO_DECIDE, print_data, print_json, print_lines, to_stderr
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.build.causes import Cause
from fernshale.core.build.owners import Owned
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.fix.rule_file import RuleSet

# Which share of a project's files rules may remove without being asked twice, and how many of them are then named.
_MAX_REMOVED = 0.1
_MAX_SHOWN = 10


def diagnose(options: argparse.Namespace, token: CancelToken) -> int:
    try:
        data = sys.stdin.buffer.read() if options.log == "-" else Path(options.log).read_bytes()
    except OSError as error:
        raise MisuseError(f"{options.log} cannot be read: {error.strerror}") from error
    scan = None
    if options.project:
        project = Path(options.project)
        scan = scan_project(project, profile_for(options, project), None, Work(token=token))
    owned, causes = diagnose_log(data, scan, plain_context(scan) if scan else None)
    if options.sarif:
        write_atomic(Path(options.sarif), write_sarif(owned, __version__))
    if options.json:
        print_json({"diagnostics": [_diagnostic(item) for item in owned], "causes": [_cause(item) for item in causes]})
    else:
        errors = sum(item.diagnostic.severity == "error" for item in owned)
        print(f"{errors} errors from {len(causes)} causes")
        print_lines(f"{cause.count:5}  {'  ' if cause.under else ''}{cause.title}  ({cause.owner})" for cause in causes)
    return 0


def build(options: argparse.Namespace, token: CancelToken) -> int:
    crossing = crossing_for(options)
    choose_fix_settings(options, crossing)
    work = Work(token=token, on_line=to_stderr)
    if options.rounds:
        print(build_and_fix(crossing, Author("command line"), work), file=sys.stderr)
    else:
        carry_out(crossing, RunBuild(), Author("command line"), work)
    view = inspect(crossing, work).build
    if options.attempts and has_proposals_to_try(crossing, view):
        to_stderr(summary_of(try_proposals(crossing, AttemptBudget(options.attempts), work)))
        view = inspect(crossing, work).build
    last = view.rounds[-1]
    if options.json:
        causes = [
            {
                **_cause(item.cause),
                "state": item.state,
                "proposals": [
                    {
                        "rule": fix.rule.id,
                        "title": fix.rule.name,
                        "clears": fix.clears,
                        "places": len(fix.edits),
                        "confidence": round(fix.confidence, 3),
                        "tried": fix.tried,
                    }
                    for fix in item.fixes
                ],
                "why_none": list(explain_nothing(item, view)),
            }
            for item in view.causes
        ]
        print_json({"round": last.to_json(), "causes": causes})
    else:
        print(f"round {last.number}: {last.total} errors from {len(last.causes)} causes, {last.elapsed_s:.1f} s")
        for item in view.causes:
            print(f"{item.cause.count:5}  {item.cause.title}  ({item.cause.owner})")
            print_lines(
                f"         {fix.rule.name}: {', '.join(filter(None, (count(len(fix.edits), 'place'), fix.tried)))}"
                for fix in item.fixes
            )
            print_lines(f"         no fix: {reason}" for reason in explain_nothing(item, view) if not item.cause.under)
    return 0 if last.passed else LEFT_TO_DECIDE


def fix(options: argparse.Namespace, token: CancelToken) -> int:
    rules = read_rules(Path(options.rules))
    if options.test:
        return _try_rules(rules, options)
    if not options.project:
        raise MisuseError("say which project the rules are for", "Or try them on their own examples with --test.")
    if options.keep:
        crossing = crossing_for(options)
        with crossing.acting():
            keep_rules(crossing, rules.rules)
        print(f"{len(rules.rules)} rules are proposed on this crossing from now on")
        return 0
    scan = scan_for(options, token)
    ruled = apply_rules(scan, rules.rules, token)
    changes, counts, conflicts = ruled.draft.change_set(), ruled.counts, ruled.conflicts
    for one, other, edit in conflicts:
        print(f"{edit.path}:{edit.line}: {one} and {other} want different changes here", file=sys.stderr)
    if options.json:
        rows = [{"rule": rule.id, "title": rule.name, "places": counts.get(rule.id, 0)} for rule in rules.rules]
        clashes = [{"rules": [one, other], "file": edit.path, "line": edit.line} for one, other, edit in conflicts]
        print_json(
            {
                "applied": options.apply,
                "files": [change.path for change in changes.files],
                "rules": rows,
                "conflicts": clashes,
            }
        )
    else:
        print_data(unified_diff(changes, lambda change: (scan.project / change.path).read_bytes()))
    removed = changes.removed
    if options.apply and not options.yes and len(removed) > len(scan.files) * _MAX_REMOVED:
        to_stderr(f"{len(removed)} of {len(scan.files)} files would be removed, so nothing was written:")
        for path in removed[:_MAX_SHOWN]:
            to_stderr(printable(f"  {path}"))
        to_stderr("Add --yes to do it.")
        return LEFT_TO_DECIDE
    if options.apply and not changes.is_empty:
        title = f"{rules.title} · {sum(counts.values())} places in {len(changes.files)} files"
        back = write_changes(scan.project, changes, Stage.BUILD, title, str(rules.path.name), Work(token=token))
        print(f"written; to go back: {back}", file=sys.stderr)
        for rule in rules.rules:
            if counts.get(rule.id) and not rule.is_repeatable:
                print(
                    f"{rule.id} must not be applied to these places again: it would change them once more",
                    file=sys.stderr,
                )
    return 0


def _try_rules(rules: RuleSet, options: argparse.Namespace) -> int:
    """Each rule on its own examples."""
    wrong = {rule.id: try_rule(rule) for rule in rules.rules if rule.example}
    failed = sum(bool(found) for found in wrong.values())
    if options.json:
        rows = [
            {"rule": id, "examples": "failed" if found else "passed", "wrong": list(found)}
            for id, found in wrong.items()
        ]
        print_json({"rules": rows, "without": [rule.id for rule in rules.rules if not rule.example]})
    else:
        print_lines(f"{rules.path}: {id}: {line}" for id, found in wrong.items() for line in found)
        print(
            f"{len(wrong) - failed} rules pass their examples, {failed} fail, {len(rules.rules) - len(wrong)} have none"
        )
    return 1 if failed else 0


def _diagnostic(item: Owned) -> dict[str, Any]:
    said = item.diagnostic
    return {
        "file": item.place.file,
        "line": item.place.line,
        "column": item.place.column,
        "severity": said.severity,
        "code": said.code,
        "message": said.message,
        "owner": item.owner,
        "count": said.count,
        "notes": [note.message for note in said.notes],
    }


def _cause(cause: Cause) -> dict[str, Any]:
    places = [{"file": error.place.file, "line": error.place.line} for error in cause.errors]
    return {
        "key": cause.key,
        "kind": cause.kind,
        "title": cause.title,
        "symbol": cause.symbol,
        "count": cause.count,
        "under": cause.under,
        "owner": cause.owner,
        "places": places,
    }
