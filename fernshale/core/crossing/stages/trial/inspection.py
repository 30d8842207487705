"""Inspect the last run on the target next to the baseline."""

from __future__ import annotations

from dataclasses import replace

from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.baseline import read_baseline
from fernshale.core.crossing.project.check_runs import check_rows
from fernshale.core.crossing.project.freshness import fingerprint
from fernshale.core.crossing.project.runs import LAST_TRIAL, LastTrial, RunRecord, run_game
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.trial.check_list import propose_checks
from fernshale.core.crossing.stages.trial.items import leg_end_items, not_run_item, trial_items, tried_items
from fernshale.core.crossing.stages.trial.run_comparison import compared_logs, compared_pictures, compared_timings
from fernshale.core.crossing.stages.trial.view import TrialView
from fernshale.core.trial.frame_times import find_hitches
from fernshale.core.trial.log_diff import LogComparison


def inspect_trial(scan: ProjectScan, crossing: Crossing, compiles: bool = True) -> TrialView:
    """Inspect the last run; runs nothing. While the project does not compile, it has to be built first."""
    kept = crossing.read(LAST_TRIAL)
    baseline = read_baseline(crossing)
    rows = check_rows(crossing, scan)
    to = crossing.setup.to
    if kept is None or kept.run.release != to:
        can_run = scan.profile.commands.run is not None
        view = TrialView(None, baseline, LogComparison(), can_run, (), rows, release=to, can_run=can_run)
        items = [not_run_item(tr("not run yet on this release"), compiles)] if can_run else []
        items += tried_items(view, crossing.decisions())
        return replace(view, items=(*items, *(leg_end_items(items, crossing) if compiles else ())))
    run = kept.run
    before = baseline.run if baseline else None
    decided = crossing.decisions()
    view = TrialView(
        run,
        baseline,
        compared_logs(before, run, scan),
        kept.fingerprint != fingerprint(crossing, scan, ("generated",)),
        (),
        rows,
        propose_checks(crossing, scan),
        compared_timings(before, run),
        find_hitches(before.frame_runs if before else (), run.frame_runs) if before else (),
        compared_pictures(before, run, scan),
        {key: item.why for key, item in decided.items() if key.startswith("trial:")},
        to,
    )
    items = trial_items(view, decided, compiles)
    return replace(view, items=(*items, *leg_end_items(items, crossing)))


def run_trial(crossing: Crossing, scan: ProjectScan, work: Work) -> RunRecord:
    """Run the game on the release the project is on, and keep how it went."""
    run = run_game(crossing, scan, Stage.TRIAL, work)
    crossing.keep(LAST_TRIAL, LastTrial(run, fingerprint(crossing, scan, ("generated",))))
    words = tr("runs in {elapsed_s}", elapsed_s=seconds(run.elapsed_s)) if run.passed else run.ending.words
    checks = "".join(f" · {check.name} {check.verdict}" for check in run.checks)
    note(
        crossing,
        Stage.TRIAL,
        tr("trial on {release}: {words}{checks}", release=run.release, words=words, checks=checks),
        "",
        "trial",
    )
    return run
