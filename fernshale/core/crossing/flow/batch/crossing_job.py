"""The crossing of one of several projects as a job: what to do as a value, and doing it in a process of its own.

A process that is killed, or that the system ends for its memory, takes no other project with it. A crossing keeps all it did in its
record, so that the same job goes on where it stopped.
"""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.json_values import from_json, to_json
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import carry_out, choose_attempts, choose_confidence
from fernshale.core.crossing.flow.autopilot import Step
from fernshale.core.crossing.flow.batch.progress import ProjectProgress, how_far
from fernshale.core.crossing.flow.batch.project_crossing import cross_one
from fernshale.core.crossing.flow.crossing_transfer import export_crossing
from fernshale.core.crossing.flow.start import Extent, begin_crossing
from fernshale.core.crossing.flow.summaries import finding_of
from fernshale.core.crossing.project.role_of_place import give_role
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.decisions import read_decisions
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.reporting.playbook import read_playbook
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.survey.actions import CommitSteps
from fernshale.core.process.command import run_command
from fernshale.core.process.own_process import module_command, own_environment
from fernshale.core.profile.read import read_profile
from fernshale.core.route.shelf_addresses import absolute_address

_MODULE = "fernshale.core.crossing.flow.batch.crossing_process"
_NO_LIMIT_S = float("inf")


@dataclass(frozen=True, slots=True)
class CrossingJob:
    """What to cross, from which shelves and how far. `git` is the consent to commits, "" for none; `export` a file to which the
    crossing is exported at its end; `roles` are roles of places that the data folder does not know yet."""

    project: Path
    profile: Path
    shelves: tuple[str, ...]
    to: str
    via: tuple[str, ...] = ()
    playbook: Path | None = None
    decisions: Path | None = None
    apply_from: float | None = None
    attempts: int | None = None
    git: str = ""
    export: Path | None = None
    roles: tuple[tuple[str, str], ...] = ()


def carry_out_job(job: CrossingJob, work: Work) -> ProjectProgress:
    """Begin or resume the crossing of a job, and cross as far as possible. Raises FernshaleError, OSError, Cancelled."""
    playbook = read_playbook(job.playbook) if job.playbook is not None else None
    recorded = read_decisions(job.decisions) if job.decisions is not None else {}
    profile = read_profile(job.profile)
    for place, role in job.roles:
        give_role(job.project, TreePath(place), role)
    crossing = begin_crossing(job.project, profile, job.shelves, job.to, work, Extent(job.via))
    if job.apply_from is not None:
        choose_confidence(crossing, job.apply_from)
    if job.attempts is not None:
        choose_attempts(crossing, job.attempts)
    if job.git:
        carry_out(crossing, CommitSteps(job.git), Author("you", "asked for"), work)

    def on_step(step: Step) -> None:
        work.on_line(f"{step.stage.value}: {step.item.title}")

    def on_stage(stage: Stage, overview: Overview) -> None:
        work.on_line(f"{stage.value}: {finding_of(stage, overview).plain}")

    overview, followed = cross_one(crossing, playbook, recorded, on_step, on_stage, work)
    if job.export is not None:
        export_crossing(crossing, job.export, work)
    return how_far(overview, followed)


def run_in_process(job: CrossingJob, work: Work, environment: Mapping[str, str]) -> ProjectProgress:
    """Carry out a job in a process of its own; its output goes to `work`.

    Raises FernshaleError where the process ends without a result, Cancelled after it has ended.
    """
    with tempfile.TemporaryDirectory(prefix="fernshale-job-") as folder:
        asked, result = Path(folder) / "job.json", Path(folder) / "result.json"
        write_atomic(asked, to_json(replace(job, shelves=tuple(map(absolute_address, job.shelves)))))
        command = module_command(_MODULE, str(asked), str(result))
        finished = run_command(command, Path(folder), work, {**own_environment(), **environment}, _NO_LIMIT_S)
        with contextlib.suppress(OSError, ValueError):
            return from_json(ProjectProgress, result.read_bytes())
    lines = [line for line in finished.text.splitlines() if line.strip()]
    ended = (
        tr("by signal {status}", status=-finished.status)
        if finished.status < 0
        else tr("with status {status}", status=finished.status)
    )
    raise FernshaleError(tr("its process ended {ended}", ended=ended) + (f": {lines[-1].strip()}" if lines else ""))
