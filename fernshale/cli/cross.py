"""cross, trial, report, logbook."""

from __future__ import annotations

import argparse
import time
from pathlib import Path

from fernshale.api.actions import Action, Author, Choose, CommitSteps, MarkCheck, RunGame
from fernshale.api.building import export_rules
from fernshale.api.changes import describe, show_change, tree_of
from fernshale.api.crossings import (
    Crossing,
    PlaybookOutcome,
    Rewind,
    add_check,
    carry_out,
    check_rows,
    choose,
    cross_one,
    drop_check,
    edits_since,
    finding_of,
    go_back_to,
    inspect,
    mark_check,
    member_states,
    preview_undo_plan,
    propose_checks,
    read_decisions,
    redo,
    sides_of,
    undo,
    withdraw,
)
from fernshale.api.projects import scan_crossing
from fernshale.api.reports import (
    REPORT_FORMS,
    difference_lines,
    export_playbook,
    read_playbook,
    read_report,
    report_data,
    report_difference,
    report_document,
    report_message,
    to_junit,
    trial_json,
    write_patches,
)
from fernshale.cli.begin import begun
from fernshale.cli.cross_several import consent_to_git, cross_several
from fernshale.cli.crossing_lookup import choose_fix_settings, crossing_for
from fernshale.cli.output import LEFT_TO_DECIDE, item_lines, print_data, print_json, print_lines, to_stderr
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.autopilot import Step
from fernshale.core.crossing.record.decisions import Recorded
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.reporting.playbook import Playbook
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.trial.view import TrialView
from fernshale.core.profile.model import Check


def cross(options: argparse.Namespace, token: CancelToken) -> int:
    if options.others or options.scheduler:
        return cross_several(options, token)
    recorded = read_decisions(Path(options.decisions)) if options.decisions else {}
    playbook = read_playbook(Path(options.playbook)) if options.playbook else None
    since = read_report(Path(options.since)) if options.since else None
    crossing = begun(options, token)
    choose_fix_settings(options, crossing)
    if options.git:
        consent = CommitSteps(consent_to_git(crossing.setup.project, options))
        carry_out(crossing, consent, Author("you", "asked for"), Work(token=token, on_line=to_stderr))
    followed = PlaybookOutcome()
    if options.auto:
        overview, followed = run_crossing(crossing, recorded, options.json, token, playbook)
    else:
        overview = inspect(crossing, Work(token=token))
    data = report_data(overview, crossing)
    difference = None if since is None else report_difference(since, data)
    if options.json:
        more = {} if difference is None else {"since": difference}
        print_json({**data, "unfit": list(followed.unfit), "ahead": followed.ahead, **more})
    else:
        states = member_states(overview.scan, overview.build, crossing)
        print_lines(f"  {item.member.name}: {item.words}" for item in states)
        print_lines(f"  {line}" for line in followed.lines)
        if overview.items:
            print("\nleft to do")
            print_lines(item_lines(overview.items))
        if difference is not None:
            print("\nsince the earlier report")
            print_lines(f"  {line}" for line in difference_lines(difference))
    return exit_code(overview)


def run_crossing(
    crossing: Crossing, recorded: dict[str, Recorded], quiet: bool, token: CancelToken, playbook: Playbook | None = None
) -> tuple[Overview, PlaybookOutcome]:
    """Cross as far as possible and print each step unless `quiet`; returns the overview and the outcome of the playbook."""

    def on_step(step: Step) -> None:
        if not quiet:
            by = ": ".join(part for part in (step.author.who, step.author.why) if part)
            print(f"  {step.item.title}\n    → {step.title}  ({by})", flush=True)

    def on_stage(stage: Stage, overview: Overview) -> None:
        if not quiet:
            print(f"{stage.value}: {finding_of(stage, overview).plain}", flush=True)

    return cross_one(crossing, playbook, recorded, on_step, on_stage, Work(token=token))


def exit_code(overview: Overview) -> int:
    """0 when all is done; 3 when an item is open; 1 for a failure without open items."""
    if overview.is_done:
        return 0
    return LEFT_TO_DECIDE if overview.items else 1


def decide(options: argparse.Namespace, token: CancelToken) -> int:
    """Choose an option of an item, or withdraw a decision."""
    crossing = crossing_for(options)
    if options.withdraw:
        withdraw(crossing, options.key)
    else:
        overview = inspect(crossing, Work(token=token))
        open_item = next((item for item in overview.items if item.key == options.key), None)
        if open_item is None and options.key not in {item.key for item in overview.route.notes}:
            raise MisuseError(f"{options.key} is not open", "`fernshale cross PROJECT` lists what is.")
        if open_item is None:
            action: Action | None = Choose(options.key, options.take, options.text)
        else:
            action = choose(open_item, options.take, options.text)
        if action is None:
            ids = ", ".join(option.id for option in open_item.options) if open_item else ""
            raise MisuseError(f"{options.take!r} is no option of {options.key}; its options: {ids}")
        carry_out(crossing, action, Author("you", options.why), Work(token=token, on_line=to_stderr))
    overview = inspect(crossing, Work(token=token))
    if options.json:
        print_json({"items": [{"key": item.key, "title": item.title} for item in overview.items]})
    else:
        print_lines(item_lines(overview.items))
    return LEFT_TO_DECIDE if overview.items else 0


def trial(options: argparse.Namespace, token: CancelToken) -> int:
    crossing = crossing_for(options)
    if not options.look:
        carry_out(crossing, RunGame(), Author("command line"), Work(token=token, on_line=to_stderr))
    view = inspect(crossing, Work(token=token)).trial
    if options.junit:
        releases = list(dict.fromkeys([crossing.setup.start, *crossing.setup.stops, view.release]))
        results = {each: [row.on(each) for row in view.checks if each in row.results] for each in releases}
        text = to_junit(crossing.setup.project.name, {each: listed for each, listed in results.items() if listed})
        write_atomic(Path(options.junit), text.encode())
    if options.json:
        print_json(trial_json(view))
    else:
        print_lines(_trial_lines(view))
    if view.run is None or not view.run.passed:
        return 1
    return LEFT_TO_DECIDE if view.items else 0


def _trial_lines(view: TrialView) -> list[str]:
    lines = []
    if view.run is not None:
        ending = view.run.ending
        lines.append(f"{view.run.release} {ending.words}")
        lines += [f"    {line}" for line in ending.stack or (() if view.run.passed else ending.last)]
    for item in view.log.differences:
        times = f"{item.before} → {item.now}" if item.before and item.now else ""
        lines.append(f"{item.sign:5} {item.severity:7} {times:9} {item.sample}")
    for row in view.checks:
        result = row.on(view.release)
        lines.append(f"{row.check.name}: {result.verdict}")
        if not result.is_good and result.detail:
            lines += [f"    {line}" for line in result.detail.splitlines()]
    lines += [f"{item.name}: {item.before:.3g} s → {item.now:.3g} s, {item.verdict}" for item in view.timings]
    lines += [
        f"hitch at frame {item.frame}: {item.now_ms:.1f} ms, before {item.usual_ms:.1f} ms" for item in view.hitches
    ]
    for pair in view.pictures:
        same = pair.difference is not None and pair.difference.is_same
        told = (
            "looks the same"
            if same
            else f"{pair.difference.share:.1%} looks different"
            if pair.difference
            else pair.trouble
        )
        lines.append(f"{pair.name}: {told}")
    return [*lines, *item_lines(view.items)]


def check(options: argparse.Namespace, token: CancelToken) -> int:
    """List, add, mark or drop behaviours to try."""
    crossing = crossing_for(options)
    scan = scan_crossing(crossing, Work(token=token))
    with crossing.acting():
        if options.mark:
            mark_check(crossing, scan, MarkCheck(options.name, options.mark), Author("you", options.why))
        elif options.drop:
            drop_check(crossing, options.name)
        elif options.name:
            add_check(crossing, scan, _new_check(options))
    rows = check_rows(crossing, scan)
    proposed = propose_checks(crossing, scan)
    if options.json:
        data = [
            {"name": row.check.name, "results": {at: item.verdict for at, item in row.results.items()}} for row in rows
        ]
        print_json(
            {"checks": data, "proposed": [{"name": item.check.name, "try": item.check.by_hand} for item in proposed]}
        )
        return 0
    for row in rows:
        told = ", ".join(f"{release} {item.verdict}" for release, item in row.results.items())
        print_lines([f"{row.check.name}: {told or 'not tried'}"])
    print_lines(f"  proposed: {item.check.name}: {item.check.by_hand}" for item in proposed)
    return 0


def _new_check(options: argparse.Namespace) -> Check:
    try:
        return Check(
            options.name, prints=options.prints or "", never=options.never or "", run=tuple(options.run or ()),
            by_hand=options.by_hand or "", why=options.why,
        )  # fmt: skip
    except ValueError as error:
        raise MisuseError(f"{options.name} cannot be tried: {error}") from error


def report(options: argparse.Namespace, token: CancelToken) -> int:
    """Write the report and other requested files; without any, print the report."""
    crossing = crossing_for(options)
    out = Path(options.out) if options.out else None
    if out is not None and out.suffix not in REPORT_FORMS:
        raise MisuseError(f"{out}: a report is one of {', '.join(REPORT_FORMS)}")
    if options.patches:
        names = write_patches(crossing, Path(options.patches))
        to_stderr(f"{len(names)} patches written to {options.patches}")
    overview = inspect(crossing, Work(token=token))
    if options.rules:
        write_atomic(Path(options.rules), export_rules(crossing, overview.scan).encode())
        to_stderr(f"written to {options.rules}")
    if options.playbook:
        write_atomic(Path(options.playbook), export_playbook(crossing, overview.scan, token).encode())
        to_stderr(f"written to {options.playbook}")
    if out is None and (options.patches or options.rules or options.playbook):
        return 0
    if options.message:
        text = report_message(report_data(overview, crossing))
    else:
        text = report_document(overview, crossing, out.suffix if out else ".json" if options.json else ".md")
    if out is None:
        print_data(text)
    else:
        write_atomic(out, text.encode("utf-8", "replace"))
        to_stderr(f"written to {out}")
    return 0


def _preview(crossing: Crossing, options: argparse.Namespace, token: CancelToken) -> int:
    """Print what an undo, a redo or a return would change: as a tree, then in full."""
    asked: dict[Rewind, int | None] = {"undo": options.undo, "redo": options.redo, "back to": options.back_to}
    found = next(((id, what) for what, id in asked.items() if id is not None), None)
    if found is None:
        raise MisuseError("--dry-run needs --undo, --redo or --back-to")
    plan, obstacles = preview_undo_plan(crossing, *found)
    kept = edits_since(crossing, found[0], plan, token) if found[1] == "back to" else ()
    if options.json:
        paths = [{"path": item.path, "what": describe(item)} for item in plan.changes.changes]
        print_json({"changes": paths, "in_the_way": obstacles, "exact": plan.is_exact, "edits_kept": list(kept)})
        return 1 if obstacles else 0
    for depth, path, change in tree_of(plan.changes.changes):
        name = path.rpartition("/")[2]
        print(printable("    " * depth + (f"{name}  {describe(change)}" if change else f"{name}/")))
    print_lines(f"in the way: {line}" for line in obstacles)
    print_lines(f"edited by hand since, stays so: {path}" for path in kept)
    before, after = sides_of(crossing.setup.project, crossing.store, plan.changes)
    for change in plan.changes.files:
        print(printable(show_change(change, before, after)), end="")
    return 1 if obstacles else 0


def logbook(options: argparse.Namespace, token: CancelToken) -> int:
    crossing = crossing_for(options)
    if options.dry_run:
        return _preview(crossing, options, token)
    with crossing.acting():
        if options.undo is not None:
            undo(crossing, options.undo, Work(token=token))
        if options.redo is not None:
            redo(crossing, options.redo, Work(token=token))
        elif options.back_to is not None:
            went = go_back_to(crossing, options.back_to, Work(token=token))
            to_stderr(f"{count(went.steps, 'step')} undone" if went.steps else "nothing to undo")
            for path in went.kept:
                to_stderr(printable(f"edited by hand since, stays so: {path}"))
    entries = crossing.logbook()
    if options.json:
        print_json(
            [
                {"id": item.id, "time": item.time, "stage": item.stage.value, "title": item.title, "state": item.state}
                for item in entries
            ]
        )
    else:
        for item in entries:
            when = time.strftime("%H:%M:%S", time.localtime(item.time))
            mark = item.state if item.state != "done" else "can be undone" if item.can_undo else ""
            print(f"{item.id:4}  {when}  {item.stage.value:8} {item.title}  {mark}".rstrip())
    return 0
