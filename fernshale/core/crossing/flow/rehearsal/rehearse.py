"""Rehearse plans, each on a scratch copy in a process with a data folder of its own; nothing of the user's is written.

CACHE/rehearsals/KEY/       one folder for each project and plan
  job.json outcome.json     what was asked, and the outcome
  home/ project/            data folder and copy; removed at the end
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from fernshale import __version__
from fernshale.core.base.data_folder import cache_folder, home
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import CommandError, MisuseError
from fernshale.core.base.json_values import from_json, to_json
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.autopilot import Step, cross
from fernshale.core.crossing.flow.rehearsal.outcome import Outcome, RehearsalPlan, read_outcome, write_outcome
from fernshale.core.crossing.flow.rehearsal.scratch_crossing import Job
from fernshale.core.crossing.flow.scratch_home import prepare_home, scratch_settings
from fernshale.core.crossing.record.database import Crossing, Setup
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.process.command import run_command
from fernshale.core.process.own_process import module_command, own_environment
from fernshale.core.profile.model import Profile
from fernshale.core.profile.read import read_profile
from fernshale.core.route.shelf_addresses import absolute_address
from fernshale.core.route.shelf_sources import read_shelf
from fernshale.core.snapshot.manifest import EMPTY, Manifest
from fernshale.core.snapshot.tree_walk import list_tree
from fernshale.core.snapshot.working_copy import check_room_for_copy
from fernshale.core.survey.role_overrides import read_own_rules

_MODULE = "fernshale.core.crossing.flow.rehearsal.scratch_crossing"
# Endings of a rehearsal that went all the way, whether or not a person has decisions left.
_ENDED = ("done", "left")
# The share of its size that a copy takes on a disk that shares no blocks, with builds and snapshots.
_FREE_SHARE = 2.5
# What a rehearsal reads of the user's data: what is trusted, what was decided before, and how shelves are reached.
_READ_FILES = ("trusted.json", "decisions.json", "places.json", "passwords.json")


@dataclass(frozen=True, slots=True)
class Rehearsed:
    """The project, profile and shelves of rehearsals, and the members of a workspace that cross."""

    project: Path
    profile: Profile
    shelves: tuple[str, ...]
    members: tuple[str, ...] = ()


def rehearsed_of(setup: Setup) -> Rehearsed:
    """What rehearsals of a crossing are about. Raises FormatError, MisuseError."""
    return Rehearsed(setup.project, read_profile(setup.profile), setup.shelves, setup.members)


def rehearse(what: Rehearsed, plan: RehearsalPlan, budget_s: float, work: Work, *, again: bool = False) -> Outcome:
    """Rehearse a plan and return its outcome; the one of before, where nothing changed since and not `again`.

    A rehearsal that was stopped goes on from where it was. Raises MisuseError where the disk has too little room or the
    settings allow less, OSError, Cancelled.
    """
    what = replace(what, shelves=tuple(map(absolute_address, what.shelves)))
    folder = _folder_of(what, plan)
    tree = list_tree(what.project.resolve(), EMPTY, work)
    stamp = _stamp(what, plan, tree)
    result, kept = folder / "outcome.json", folder / "stamp"
    is_same = kept.is_file() and kept.read_text() == stamp
    known = _known_outcome(result) if is_same and not again else None
    if known is not None and known.ending in _ENDED:
        return known
    on_shelf = _known_releases(folder) or releases_of(what)
    if not is_same or again:
        shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True, exist_ok=True)
    write_atomic(kept, stamp.encode())
    copy = folder / "project" / what.project.resolve().name
    if not copy.exists():  # a rehearsal that was stopped has its copy
        check_room_for_copy(folder, sum(entry.size for entry in tree.files.values()), _FREE_SHARE)
    prepare_home(folder / "home", _READ_FILES, scratch_settings())
    job = Job(
        what.project.resolve(), copy, what.profile.path.resolve(), what.shelves, plan,
        result, own_roles(what.project), what.members, on_shelf,
    )  # fmt: skip
    outcome = run_rehearsal(folder, job, budget_s, work)
    write_outcome(outcome, result)
    if outcome.ending in (*_ENDED, "failed"):
        for name in ("home", "project"):
            shutil.rmtree(folder / name, ignore_errors=True)
    return outcome


def own_roles(project: Path) -> tuple[tuple[str, str], ...]:
    """The roles that the user gave to places of a project, in the order in which they were given."""
    return tuple((str(rule.place), rule.role) for rule in reversed(read_own_rules(project)))


def _known_releases(folder: Path) -> tuple[str, ...]:
    """The releases that the shelves had when the plan was first rehearsed; one that came since stays new until it is rehearsed."""
    with contextlib.suppress(OSError, ValueError):
        return from_json(Job, (folder / "job.json").read_bytes()).on_shelf
    return ()


def releases_of(what: Rehearsed) -> tuple[str, ...]:
    """The releases of the engine on the shelves. Raises ShelfError, FormatError, MisuseError."""
    return tuple(item.version for item in read_shelf(what.shelves).engines_of(what.profile.id))


def run_rehearsal(folder: Path, job: Job, budget_s: float, work: Work) -> Outcome:
    """Run a job in a process whose data folder is `folder/home`, within the budget. Raises Cancelled."""
    write_atomic(folder / "job.json", to_json(job))
    begun = time.monotonic()
    environment = {**own_environment(), "FERNSHALE_HOME": str(folder / "home")}
    arguments = module_command(_MODULE, str(folder / "job.json"))
    try:
        finished = run_command(arguments, folder, work, environment, budget_s)
    except CommandError as error:
        return Outcome(job.plan, "failed", error.message, 0.0)
    spent = round(time.monotonic() - begun, 2)
    if finished.timed_out:
        why = tr("after {budget_s:.0f} min, the budget", budget_s=budget_s / 60)
        if job.result.is_file():
            return replace(read_outcome(job.result), ending="stopped", why=why, elapsed_s=spent)
        return Outcome(job.plan, "stopped", why, spent)
    if finished.status or not job.result.is_file():
        lines = [line for line in finished.text.splitlines() if line.strip()]
        return Outcome(job.plan, "failed", lines[-1] if lines else tr("status {status}", status=finished.status), spent)
    return read_outcome(job.result)


def _known_outcome(result: Path) -> Outcome | None:
    """The outcome that is there; None where there is none, or none that this version can read: it is only a cache."""
    with contextlib.suppress(MisuseError):
        return read_outcome(result)
    return None


def _folder_of(what: Rehearsed, plan: RehearsalPlan) -> Path:
    words = (os.fsencode(what.project.resolve()), plan.title.encode(), *map(os.fsencode, what.members))
    return cache_folder() / "rehearsals" / hashlib.sha256(b"\0".join(words)).hexdigest()[:24]


def _stamp(what: Rehearsed, plan: RehearsalPlan, tree: Manifest) -> str:
    """A digest of all that a rehearsal depends on: a stat per file of the project, the profile, the shelves, this version."""
    digest = hashlib.sha256(f"{__version__}\0{plan.title}\0{what.profile.digest}".encode())
    for rule in read_own_rules(what.project):
        digest.update(f"\0{rule.place}\0{rule.role}".encode("utf-8", "surrogateescape"))
    for address in what.shelves:
        digest.update(f"\0{address}".encode("utf-8", "surrogateescape"))
        index = Path(address) / "shelf.toml"
        if index.is_file():
            digest.update(index.read_bytes())
    for path, entry in sorted(tree.entries.items()):
        digest.update(f"\n{path}\0{entry.mode}\0{entry.size}\0{entry.mtime_ns}".encode("utf-8", "surrogateescape"))
    trusted = home() / "trusted.json"
    digest.update(trusted.read_bytes() if trusted.is_file() else b"")
    return digest.hexdigest()


def rehearse_all(
    what: Rehearsed, plans: Sequence[RehearsalPlan], budget_s: float, work: Work, *, again: bool = False
) -> tuple[Outcome, ...]:
    """Rehearse several plans, one after the other, each within the budget. Raises as `rehearse`."""
    found = []
    for number, plan in enumerate(plans):
        work.progress(tr("rehearsing {title}", title=plan.title), number, len(plans))
        found.append(rehearse(what, plan, budget_s, work, again=again))
    return tuple(found)


def carry_out_rehearsed(
    crossing: Crossing, what: Rehearsed, plan: RehearsalPlan, on_step: Callable[[Step], None], work: Work
) -> Overview:
    """Carry out the automatic part of a rehearsed plan in the project itself, step by step in the logbook.

    Raises MisuseError where the plan is not that of the crossing, where its rehearsal did not reach the end, or where anything
    changed since.
    """
    setup = crossing.setup
    if (setup.stops, plan.hold) != ((*plan.via, plan.to), ()):
        raise MisuseError(
            tr("the crossing goes to {target}; {title} was rehearsed", target=setup.target, title=plan.title),
            tr("Choose the same route on the Route page first."),
        )
    folder = _folder_of(what, plan)
    kept = folder / "stamp"
    stamp = _stamp(what, plan, list_tree(what.project.resolve(), EMPTY, work))
    if not kept.is_file() or kept.read_text() != stamp:
        raise MisuseError(
            tr("something changed since {title} was rehearsed", title=plan.title), tr("Rehearse it again.")
        )
    outcome = read_outcome(folder / "outcome.json")
    if outcome.ending not in _ENDED:
        raise MisuseError(
            tr(
                "the rehearsal of {title} did not reach the end: {ending}, {why}",
                title=plan.title,
                ending=outcome.ending,
                why=outcome.why,
            ),
            tr("Rehearse it again."),
        )
    return cross(crossing, {}, on_step, lambda stage, overview: None, work)
