"""cross and rehearse for several projects: each in processes of its own, and one table."""

from __future__ import annotations

import argparse
import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TypeVar

from fernshale.api.crossings import (
    Cluster,
    CrossingJob,
    ProjectProgress,
    ProjectTask,
    find_crossing,
    run_all,
    run_in_process,
)
from fernshale.api.projects import find_work_tree
from fernshale.cli.crossing_lookup import profile_for, shelves_for
from fernshale.cli.live_table import LiveTable
from fernshale.cli.output import LEFT_TO_DECIDE, print_json, print_lines
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.settings import JOBS_VARIABLE, parallel_jobs
from fernshale.core.base.work import CancelToken, Work

T = TypeVar("T")


def cross_several(options: argparse.Namespace, token: CancelToken) -> int:
    """Cross several projects, and print one table of the results."""
    if not options.auto:
        raise MisuseError("several projects are crossed with --auto")
    if options.copy_to or options.member or options.since:
        raise MisuseError("--copy-to, --member and --since are for one project")
    if options.git and options.scheduler:
        raise MisuseError("--git is for this machine: commits on another one are made in a copy")
    projects = projects_of(options)
    workers = workers_for(options, len(projects))
    with cluster_of(options) as cluster:
        rows = run_projects(projects, partial(_task, options, workers, cluster), workers, token)
    if options.json:
        print_json({"projects": [_row_json(row) for row in rows]})
    else:
        for row in rows:
            print_lines([f"{row.project.name:24} {row.release:10} {row.words}"])
            print_lines(f"    {line}" for line in row.followed.lines)
            print_lines([f"    its crossing: {row.file}"] if row.file is not None else [])
    if any(row.trouble for row in rows):
        return 1
    return 0 if all(row.done for row in rows) else LEFT_TO_DECIDE


def projects_of(options: argparse.Namespace) -> list[Path]:
    """The projects that were named. Raises MisuseError for one that was named twice."""
    projects = [Path(item) for item in (options.project, *options.others)]
    seen: dict[Path, Path] = {}
    for project in projects:
        if (first := seen.setdefault(project.resolve(), project)) is not project:
            raise MisuseError(f"{first} was named twice", "Name each project once.")
    return projects


def workers_for(options: argparse.Namespace, projects: int) -> int:
    """How many projects are worked on at the same time. Raises MisuseError."""
    if options.workers is not None and options.workers < 1:
        raise MisuseError(f"{options.workers} is no number of projects", "Use 1 or more.")
    at_once = projects if options.scheduler else len(os.sched_getaffinity(0))  # a scheduler has its own order
    return min(projects, options.workers or at_once)


def run_projects(
    projects: Sequence[Path], task: Callable[[Path], ProjectTask[T]], workers: int, token: CancelToken
) -> tuple[T, ...]:
    """The result of each project, with a live table while they are worked on. Raises Cancelled."""
    with LiveTable(projects) as table:
        return run_all([task(project) for project in projects], workers, table.update, Work(token=token))


def consent_to_git(project: Path, options: argparse.Namespace) -> str:
    """The consent to commit each step: to the filters of the project's git only with `--trust`."""
    tree = find_work_tree(project)
    return tree.consent if tree is not None and options.trust else "commit"


@contextmanager
def cluster_of(options: argparse.Namespace) -> Iterator[Cluster | None]:
    """The other machines that the options name, None for this one. Raises MisuseError, CommandError."""
    if not options.scheduler:
        yield None
        return
    if not options.exchange:
        raise MisuseError("--scheduler needs --exchange", "Name a folder that all its machines reach by the same path.")
    with Cluster(options.scheduler, Path(options.exchange)) as cluster:
        yield cluster


def _task(
    options: argparse.Namespace, workers: int, cluster: Cluster | None, project: Path
) -> ProjectTask[ProjectProgress]:
    def failed(why: str) -> ProjectProgress:
        return ProjectProgress(project, trouble=why)

    def run(work: Work) -> ProjectProgress:
        job = _job(options, project)
        return run_in_process(job, work, environment) if cluster is None else cluster.cross(job, work)

    environment = {JOBS_VARIABLE: str(max(1, parallel_jobs() // workers))}
    return ProjectTask(project, run, failed, lambda row: row.words)


def _job(options: argparse.Namespace, project: Path) -> CrossingJob:
    """Raises FernshaleError where the project has no profile or no shelf is known."""
    shelves = shelves_for(options, find_crossing(project))
    job = CrossingJob(
        project.resolve(), profile_for(options, project).path.resolve(), shelves, options.to,
        tuple(options.via or ()), apply_from=options.apply_from, attempts=options.attempts,
    )  # fmt: skip
    playbook, decisions = (Path(file).resolve() if file else None for file in (options.playbook, options.decisions))
    git = consent_to_git(project, options) if options.git else ""
    return replace(job, playbook=playbook, decisions=decisions, git=git)


def _row_json(row: ProjectProgress) -> dict[str, object]:
    return {
        "project": str(row.project),
        "release": row.release,
        "done": row.done,
        "stage": row.stage.value if row.stage else None,
        "errors": row.errors,
        "open": row.open,
        "needs_you": row.needs,
        "trouble": row.trouble,
        "unfit": list(row.followed.unfit),
        "ahead": row.followed.ahead,
        "file": str(row.file) if row.file is not None else None,
    }
