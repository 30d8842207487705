"""Building and running the project as it is, before anything is changed."""

from __future__ import annotations

import time
from dataclasses import replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.quantities import seconds
from fernshale.core.base.release import parse_release
from fernshale.core.base.texts import count, tr
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.build.known_errors import count_errors
from fernshale.core.build.owners import find_owners
from fernshale.core.build.reading import read_log
from fernshale.core.crossing.project.baseline import BASELINE, Baseline
from fernshale.core.crossing.project.build_places import owner_context
from fernshale.core.crossing.project.commands import (
    REQUIREMENTS,
    CommandCall,
    RequirementResult,
    check_requirements,
    log_of,
    run_profile_command,
    tail,
)
from fernshale.core.crossing.project.runs import run_game
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.survey.view import requirement_key


def take_baseline(crossing: Crossing, scan: ProjectScan, work: Work) -> Baseline | None:
    """Build and run the project as it is, and keep how that went.

    The profile's preconditions are tried first; None while one does not hold and nobody decided to go on all the same.
    Raises MisuseError once the project has left its release.
    """
    if not is_on_start(scan, crossing):
        raise MisuseError(
            tr(
                "the project is on {release} already; a baseline is taken on {before}",
                release=scan.release,
                before=crossing.setup.from_,
            ),
            tr("Undo back to the start for a baseline."),
        )
    requirements = try_requirements(crossing, scan, work.token)
    decided = crossing.decisions()
    if any(not item.holds and requirement_key(item) not in decided for item in requirements):
        return None
    commands = scan.profile.commands
    baseline = Baseline(scan.release, True, 0.0, 0, "", None, time.time())
    if commands.build is not None:
        work.progress(tr("building as it is today"), 0, 2)
        built = run_profile_command(crossing, scan, CommandCall("build", Stage.SURVEY, tr("the baseline")), work)
        lines = built.text.splitlines()
        owned = find_owners(read_log(built.output, scan.profile.diagnostic), owner_context(scan, crossing))
        warnings = sum(item.diagnostic.severity == "warning" for item in owned)
        errors = tuple((*key, count) for key, count in count_errors(owned).items()) if built.status else ()
        baseline = replace(
            baseline, built=built.status == 0, build_s=built.elapsed_s, warnings=warnings, said=tail(lines),
            log=crossing.read(log_of("build")), errors=errors,
        )  # fmt: skip
    if commands.run is not None and baseline.built:
        work.progress(tr("running as it is today"), 1, 2)
        baseline = replace(baseline, run=run_game(crossing, scan, Stage.SURVEY, work))
    crossing.keep(BASELINE, baseline)
    note(
        crossing,
        Stage.SURVEY,
        tr(
            "baseline on {release}: {baseline}",
            release=scan.release,
            baseline=describe_baseline(baseline),
        ),
        "",
        "baseline",
    )
    return baseline


def try_requirements(crossing: Crossing, scan: ProjectScan, token: CancelToken) -> tuple[RequirementResult, ...]:
    """Check the profile's requirements and keep the results. Raises TrustNeeded."""
    requirements = check_requirements(scan, token)
    crossing.keep(REQUIREMENTS, requirements)
    for item in requirements:
        if not item.holds:
            note(
                crossing,
                Stage.SURVEY,
                tr("{name} does not hold: {found}", name=item.name, found=item.found),
                item.hint,
                "requirements",
            )
    return requirements


def describe_baseline(baseline: Baseline) -> str:
    """How the baseline went, in a few words."""
    if baseline.errors:
        files = len({file for file, *_ in baseline.errors})
        return tr(
            "does not build: {errors} in {files}",
            errors=count(baseline.error_count, "error"),
            files=count(files, "file"),
        )
    if not baseline.built:
        return tr("does not build")
    parts = [tr("builds in {build_s}", build_s=seconds(baseline.build_s))] if baseline.log else []
    if baseline.run is not None:
        fails = tr("but the run fails") if parts else tr("does not run")
        parts.append(
            tr("runs in {elapsed_s}", elapsed_s=seconds(baseline.run.elapsed_s)) if baseline.run.passed else fails
        )
    return ", ".join(parts)


def is_on_start(scan: ProjectScan, crossing: Crossing) -> bool:
    """Whether the project is still on the start release, so that a baseline can be taken."""
    return parse_release(scan.release) == parse_release(crossing.setup.from_)
