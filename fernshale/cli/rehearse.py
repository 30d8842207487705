"""rehearse."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from pathlib import Path

from fernshale.api.crossings import all_crossings, find_crossing
from fernshale.api.rehearsals import (
    RehearsalPlan,
    Rehearsed,
    best_of,
    comparison_page,
    comparison_text,
    measure_pace,
    rehearse_all,
)
from fernshale.cli.crossing_lookup import profile_for
from fernshale.cli.output import LEFT_TO_DECIDE, print_json, print_lines, to_stderr
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work

_FORMAT = "fernshale-rehearsals/1"


def rehearse(options: argparse.Namespace, token: CancelToken) -> int:
    """Rehearse each target, directly and over the releases that were named, and compare."""
    project = Path(options.project)
    if not project.is_dir():
        raise MisuseError(f"{project} is not a folder")
    if options.budget <= 0:
        raise MisuseError(f"{options.budget:g} is no budget in minutes", "Use a number above 0.")
    crossing = find_crossing(project)
    shelves = tuple(options.shelf or (crossing.setup.shelves if crossing is not None else ()))
    if not shelves:
        raise MisuseError("no shelf was named", "Name the folder or server of the releases with --shelf.")
    held = tuple(options.hold or ())
    plans = [RehearsalPlan(to, (), held) for to in options.to]
    plans += [RehearsalPlan(to, tuple(options.via), held) for to in options.to if options.via]
    profile = profile_for(options, project)
    what = Rehearsed(project, profile, shelves, tuple(options.member or ()))
    work = Work(token=token, on_line=to_stderr, progress=lambda note, done, total: to_stderr(note) if total else None)
    outcomes = rehearse_all(what, plans, options.budget * 60, work, again=options.again)
    pace = measure_pace(all_crossings())
    if options.out:
        write_atomic(Path(options.out), comparison_page(project.resolve().name, outcomes, pace).encode())
    if options.json:
        print_json(
            {
                "format": _FORMAT,
                "project": project.resolve().name,
                "rehearsals": [{"title": outcome.plan.title, **asdict(outcome)} for outcome in outcomes],
                "best": best_of(outcomes).plan.title,
                "pace": asdict(pace) if pace is not None else None,
            }
        )
    else:
        print_lines(comparison_text(outcomes, pace))
    if any(outcome.ending == "failed" for outcome in outcomes):
        return 1
    return 0 if best_of(outcomes).ending == "done" else LEFT_TO_DECIDE
