"""Run the profile's commands for a crossing: trusted, watched, logged."""

from __future__ import annotations

import os
import re
import shlex
import sys
import time
from collections.abc import Mapping, Sequence
from dataclasses import astuple, dataclass, field
from pathlib import Path

from fernshale.core.base.bounded_regex import search
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import CommandError, MisuseError
from fernshale.core.base.release import parse_release
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.freshness import about_command
from fernshale.core.crossing.project.scan import ProjectScan, command_places
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.facts import Fact, text_fact
from fernshale.core.crossing.record.logbook import watching
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.trust import require_trust
from fernshale.core.process.command import Finished, run_command
from fernshale.core.profile.model import ProfileCommand, Requirement
from fernshale.core.profile.read import fill, fill_arguments

# The time limit of a command that a person typed.
_TYPED_TIMEOUT_S = 3600.0


@dataclass(frozen=True, slots=True)
class RequirementResult:
    """Whether a requirement holds, with the evidence; `version` where a version was read."""

    name: str
    holds: bool
    found: str
    hint: str
    version: str = ""


REQUIREMENTS: Fact[tuple[RequirementResult, ...]] = Fact(
    "requirements",
    (),
    lambda data: tuple(RequirementResult(*item) for item in data),
    lambda found: [list(astuple(item)) for item in found],
)


def log_of(command: str) -> Fact[str]:
    """Where the log of the last run of a command is kept."""
    return text_fact(f"log {command}")


def check_requirements(scan: ProjectScan, token: CancelToken) -> tuple[RequirementResult, ...]:
    """Try the preconditions of the profile. Raises TrustNeeded."""
    if scan.profile.requirement:
        require_trust(scan.profile)
    return tuple(_check(need, scan, token) for need in scan.profile.requirement)


def read_requirements(crossing: Crossing) -> tuple[RequirementResult, ...]:
    """The results of the last check of the requirements; empty before the first."""
    return crossing.read(REQUIREMENTS)


@dataclass(frozen=True, slots=True)
class CommandCall:
    """A command of the profile by its name, the stage that runs it and the reason.

    It runs for the release the project is on, or for `release`. `more` are values for placeholders in addition to the usual.
    """

    name: str
    stage: Stage
    why: str
    release: str = ""
    more: Mapping[str, str] = field(default_factory=dict)


def run_profile_command(crossing: Crossing, scan: ProjectScan, call: CommandCall, work: Work) -> Finished:
    """Run a command of the profile and keep its log. Files that it changes in the project become a step of the logbook.

    Raises TrustNeeded, CommandError, Cancelled.
    """
    name, release = call.name, call.release or scan.release
    with watching(
        crossing,
        EntryText(call.stage, tr("{name} for {release}", name=name, release=release), call.why, about_command(name)),
        work,
    ):
        finished = run_elsewhere(crossing, scan, call, work)
    log = crossing.scratch("logs") / f"{int(time.time() * 1000)}-{name}.log"
    write_atomic(log, finished.output)
    crossing.keep(log_of(name), str(log))
    return finished


def run_elsewhere(crossing: Crossing, scan: ProjectScan, call: CommandCall, work: Work) -> Finished:
    """Run a command of the profile without watching the project: for a copy of it, whose folders are in `more` of the call.

    Raises TrustNeeded, CommandError, Cancelled.
    """
    command: ProfileCommand | None = getattr(scan.profile.commands, call.name)
    if command is None:
        raise MisuseError(
            tr("the profile {profile} has no command {command}", profile=scan.profile.path.name, command=call.name),
            tr("Add [commands.{name}].", name=call.name),
        )
    require_trust(scan.profile)
    places = {**command_places(crossing, scan, call.release or scan.release), **call.more}
    arguments = fill_arguments(command.run, places, scan.along)
    environment = {key: fill(value, places) for key, value in command.environment.items()}
    work.on_line("$ " + " ".join(arguments))
    work.progress(tr("the command “{name}” runs", name=call.name), 0, 0)
    return run_command(
        arguments, Path(fill(command.folder, places)), work, environment, command.timeout_s, command.silence_s
    )


def run_typed_command(
    crossing: Crossing,
    scan: ProjectScan,
    arguments: Sequence[str],
    stage: Stage,
    why: str,
    work: Work,
) -> Finished:
    """Run a command that a person typed in the project's folder. Files that it changes there become a step of the logbook.

    Raises CommandError, Cancelled.
    """
    line = shlex.join(arguments)
    work.on_line(f"$ {line}")
    with watching(crossing, EntryText(stage, tr("ran {line}", line=line), why), work):
        return run_command(arguments, scan.project, work, {}, _TYPED_TIMEOUT_S)


def _check(need: Requirement, scan: ProjectScan, token: CancelToken) -> RequirementResult:
    places = {"project": str(scan.project), "python": sys.executable}
    if need.variable:
        value = os.environ.get(need.variable, "")
        found = (
            tr("{variable} is {value}", variable=need.variable, value=value)
            if value
            else tr("the variable {variable} is not set", variable=need.variable)
        )
        return RequirementResult(need.name, bool(value), found, need.hint)
    try:
        finished = run_command([fill(part, places) for part in need.run], scan.project, Work(token=token), {}, 30.0)
    except CommandError as error:
        return RequirementResult(need.name, False, error.message, need.hint)
    if finished.status != 0:
        return RequirementResult(
            need.name, False, tr("{run} ended with status {status}", run=need.run[0], status=finished.status), need.hint
        )
    if not need.pattern:
        first = finished.text.strip().splitlines()
        return RequirementResult(need.name, True, first[0] if first else "there", need.hint)
    shown = search(need.pattern, finished.text)
    if shown is None:
        return RequirementResult(need.name, False, tr("its version could not be read"), need.hint)
    version = shown["version"]
    holds = not need.at_least or parse_release(version) >= parse_release(need.at_least)
    wanted = tr(", {at_least} or newer is needed", at_least=need.at_least) if not holds else ""
    return RequirementResult(need.name, holds, f"{need.name} {version}{wanted}", need.hint, version)


def tail(lines: Sequence[str], count: int = 1) -> str:
    """The last lines of an output that are not empty."""
    said = [re.sub(r"\s+", " ", line) for line in lines if line.strip()]
    return "\n".join(said[-count:])
