"""rehearse."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

from fernshale.api.crossings import Cluster, ProjectTask, all_crossings, find_crossing
from fernshale.api.rehearsals import (
    Outcome,
    Pace,
    RehearsalPlan,
    Rehearsed,
    best_of,
    comparison_page,
    comparison_text,
    measure_pace,
    new_releases,
    rehearse_all,
    releases_of,
)
from fernshale.cli.cross_several import cluster_of, projects_of, run_projects, workers_for
from fernshale.cli.crossing_lookup import profile_for, shelves_for
from fernshale.cli.output import LEFT_TO_DECIDE, print_json, print_lines, to_stderr
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work

_FORMAT = "fernshale-rehearsals/1"


def rehearse(options: argparse.Namespace, token: CancelToken) -> int:
    """Rehearse each target, directly and over the releases that were named, and compare; for one project or several."""
    if options.budget <= 0:
        raise MisuseError(f"{options.budget:g} is no budget in minutes", "Use a number above 0.")
    if bool(options.to) == options.new:
        raise MisuseError("name a release with --to, or use --new for those that are new on the shelf")
    if options.others or options.scheduler:
        return _rehearse_several(options, token)
    work = Work(token=token, on_line=to_stderr, progress=lambda note, done, total: to_stderr(note) if total else None)
    what = _rehearsed(options, Path(options.project))
    new = new_releases(what, releases_of(what)) if options.new else ()
    if options.new and not new:
        found = {"format": _FORMAT, **_project_json(what.project, (), None)}
        print_json(found) if options.json else print("no release is new on the shelf")
        return 0
    plans = [item.plan for item in new] or _plans(options)
    outcomes = rehearse_all(what, plans, options.budget * 60, work, again=options.again)
    pace = measure_pace(all_crossings())
    if options.out:
        write_atomic(Path(options.out), comparison_page(Path(options.project).resolve().name, outcomes, pace).encode())
    if options.json:
        print_json({"format": _FORMAT, **_project_json(Path(options.project), outcomes, pace)})
    else:
        print_lines(comparison_text(outcomes, pace))
        print_lines(item.words(outcome) for item, outcome in zip(new, outcomes, strict=False))
    return _exit_code(outcomes)


@dataclass(frozen=True, slots=True)
class _Rehearsals:
    """The outcomes of a project; `trouble` says why there are none."""

    project: Path
    outcomes: tuple[Outcome, ...] = ()
    trouble: str = ""

    @property
    def words(self) -> str:
        """How the best way went, or why there is none."""
        return self.trouble or (best_of(self.outcomes).words if self.outcomes else "no release is new on the shelf")


def _rehearse_several(options: argparse.Namespace, token: CancelToken) -> int:
    """Rehearse several projects, and print the best way of each."""
    out = Path(options.out) if options.out else None
    if out is not None:
        out.mkdir(parents=True, exist_ok=True)
    projects = projects_of(options)
    with cluster_of(options) as cluster:

        def task(project: Path) -> ProjectTask[_Rehearsals]:
            return ProjectTask(
                project,
                lambda work: _Rehearsals(project, _outcomes(options, project, work, cluster)),
                lambda why: _Rehearsals(project, trouble=why),
                lambda row: row.words,
            )

        rows = run_projects(projects, task, workers_for(options, len(projects)), token)
    pace = measure_pace(all_crossings())
    if out is not None:
        for number, row in enumerate(rows, 1):
            if row.outcomes:
                page = comparison_page(row.project.resolve().name, row.outcomes, pace)
                write_atomic(out / f"{number:02} {row.project.resolve().name}.html", page.encode())
    if options.json:
        print_json({"format": _FORMAT, "projects": [_row_json(row, pace) for row in rows]})
    else:
        for row in rows:
            print_lines([f"{row.project.name:24} {row.words}"])
    if any(row.trouble for row in rows):
        return 1
    return max(_exit_code(row.outcomes) for row in rows)


def _outcomes(options: argparse.Namespace, project: Path, work: Work, cluster: Cluster | None) -> tuple[Outcome, ...]:
    """Rehearse all ways of one of several projects. Raises MisuseError, and as `rehearse_all`."""
    what = _rehearsed(options, project)
    plans = [item.plan for item in new_releases(what, releases_of(what))] if options.new else _plans(options)
    if cluster is not None:
        return tuple(cluster.rehearse(what, plan, options.budget * 60, work) for plan in plans)
    return rehearse_all(what, plans, options.budget * 60, work, again=options.again)


def _rehearsed(options: argparse.Namespace, project: Path) -> Rehearsed:
    """What the options say about a project. Raises MisuseError."""
    if not project.is_dir():
        raise MisuseError(f"{project} is not a folder")
    shelves = shelves_for(options, find_crossing(project))
    return Rehearsed(project, profile_for(options, project), shelves, tuple(options.member or ()))


def _plans(options: argparse.Namespace) -> list[RehearsalPlan]:
    held = tuple(options.hold or ())
    direct = [RehearsalPlan(to, (), held) for to in options.to]
    return direct + [RehearsalPlan(to, tuple(options.via), held) for to in options.to if options.via]


def _exit_code(outcomes: Sequence[Outcome]) -> int:
    if not outcomes:
        return 0
    if any(outcome.ending == "failed" for outcome in outcomes):
        return 1
    return 0 if best_of(outcomes).ending == "done" else LEFT_TO_DECIDE


def _row_json(row: _Rehearsals, pace: Pace | None) -> dict[str, object]:
    if row.trouble:
        return {"project": row.project.resolve().name, "trouble": row.trouble}
    return {**_project_json(row.project, row.outcomes, pace), "trouble": ""}


def _project_json(project: Path, outcomes: Sequence[Outcome], pace: Pace | None) -> dict[str, object]:
    return {
        "project": project.resolve().name,
        "rehearsals": [{"title": outcome.plan.title, **asdict(outcome)} for outcome in outcomes],
        "best": best_of(outcomes).plan.title if outcomes else None,
        "pace": asdict(pace) if pace is not None else None,
    }
