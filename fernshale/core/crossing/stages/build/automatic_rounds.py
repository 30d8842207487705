"""Building and fixing automatically: high-confidence fixes are applied and tried by another build, until none is left."""

from __future__ import annotations

from functools import partial

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import same_release
from fernshale.core.base.texts import tr, tr_kept
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import note, undo
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.build.attempt_runs import try_if_wanted
from fernshale.core.crossing.stages.build.build_runs import run_round
from fernshale.core.crossing.stages.build.fix_application import apply_all
from fernshale.core.crossing.stages.build.inspection import inspect_build
from fernshale.core.crossing.stages.build.next_round import build_next
from fernshale.core.crossing.stages.build.view import Fix

# After so many rounds a person has to look.
MAX_ROUNDS = 12


def apply_confident_fixes(crossing: Crossing, author: Author, work: Work) -> list[tuple[Fix, int]]:
    """Apply every high-confidence fix everywhere, one step each, and inspect again after each batch.

    Returns the fixes with their logbook entries, in order. Raises Cancelled.
    """
    applied: dict[str, tuple[Fix, int]] = {}
    while True:
        work.check()
        scan = scan_crossing(crossing, work)
        view = inspect_build(scan, crossing, work.token)
        fresh = [fix for fix in view.automatic if fix.rule.id not in applied]
        if not fresh:
            return list(applied.values())
        said = partial(_say_fix, work, len(applied), len(applied) + len(fresh))
        for fix, entry in apply_all(crossing, scan, view, [(fix, author) for fix in fresh], said, work):
            applied[fix.rule.id] = fix, entry


def _say_fix(work: Work, done: int, total: int, fix: Fix) -> None:
    work.progress(tr_kept(fix.rule.name), done, total)


def build_and_fix(crossing: Crossing, author: Author, work: Work) -> str:
    """Build, apply the high-confidence fixes and build again; returns the reason for stopping, in words.

    It stops when the project compiles, when no high-confidence fix is left, or when a round made it worse. That round is
    undone: it has no fewer errors than the one before, and most of the places that were changed still have one. (More errors
    alone prove little: a header that is found again uncovers the errors after it.) Raises MisuseError before the project is on
    the target.
    """
    release = scan_crossing(crossing, work).release
    if not same_release(release, crossing.setup.to):
        raise MisuseError(
            tr("the project is on {release} still", release=release),
            tr("Point it at {to} first.", to=crossing.setup.to),
        )
    view = inspect_build(scan_crossing(crossing, work), crossing, work.token)
    if view.is_stale or not view.rounds:
        build_next(crossing, scan_crossing(crossing, work), work)
    for _ in range(MAX_ROUNDS):
        view = inspect_build(scan_crossing(crossing, work), crossing, work.token)
        if view.passed:
            return tr("it compiles and links")
        before = view.rounds[-1]
        try_if_wanted(crossing, view, work)
        applied = apply_confident_fixes(crossing, author, work)
        if not applied:
            return tr("no high-confidence fixes are left")
        after = run_round(crossing, scan_crossing(crossing, work), work)
        changed = {place for fix, _ in applied for place in fix.places}
        still = changed & _error_places(crossing, work)
        if after.total >= before.total and len(still) * 2 > len(changed):
            for _, entry in reversed(applied):
                undo(crossing, entry, work)
            said = tr(
                "round {number} made it worse, {before} errors became {now}; it was undone",
                number=after.number,
                before=before.total,
                now=after.total,
            )
            note(crossing, Stage.BUILD, said, "", "round")
            return said
    return tr("stopped after {max_rounds} rounds", max_rounds=MAX_ROUNDS)


def _error_places(crossing: Crossing, work: Work) -> set[tuple[str, int]]:
    view = inspect_build(scan_crossing(crossing, work), crossing, work.token)
    return {(error.place.file, error.place.line) for item in view.causes for error in item.cause.errors}
