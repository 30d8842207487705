"""The checks of a crossing, their results by release, and running the checks that need no person."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from fernshale.core.base.errors import CommandError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.crossing.record.trust import require_trust
from fernshale.core.process.command import run_command
from fernshale.core.profile.model import Check
from fernshale.core.profile.read import fill, fill_arguments
from fernshale.core.trial.checks import CheckResult, check_file, check_log, judge_command

_MAX_RESULTS = 2000


@dataclass(frozen=True, slots=True)
class CheckRow:
    """A check and its latest result on each release it was tried on."""

    check: Check
    results: Mapping[str, CheckResult]

    def on(self, release: str) -> CheckResult:
        return self.results.get(release, CheckResult(self.check.name, "not tried", release=release))


def _check(data: Mapping[str, Any]) -> Check:
    return Check(**{**data, "run": tuple(data["run"])})


OWN_CHECKS: Fact[tuple[Check, ...]] = Fact(
    "checks", (), lambda data: tuple(_check(item) for item in data), lambda checks: [asdict(item) for item in checks]
)
CHECK_RESULTS: Fact[tuple[CheckResult, ...]] = Fact(
    "check results",
    (),
    lambda data: tuple(CheckResult(**item) for item in data),
    lambda results: [asdict(item) for item in results],
)
# The names of checks that were proposed and refused.
REFUSED_CHECKS: Fact[tuple[str, ...]] = Fact("checks not wanted", (), tuple, list)


def listed_checks(crossing: Crossing, scan: ProjectScan) -> tuple[Check, ...]:
    """The profile's checks, then the crossing's own."""
    return (*scan.profile.check, *own_checks(crossing))


def own_checks(crossing: Crossing) -> tuple[Check, ...]:
    return crossing.read(OWN_CHECKS)


def keep_results(crossing: Crossing, results: Iterable[CheckResult]) -> None:
    """Keep results of checks, the newest last."""
    crossing.keep(CHECK_RESULTS, (*crossing.read(CHECK_RESULTS), *results)[-_MAX_RESULTS:])


def check_rows(crossing: Crossing, scan: ProjectScan) -> tuple[CheckRow, ...]:
    """All checks with their latest results by release."""
    latest: dict[str, dict[str, CheckResult]] = {}
    for result in crossing.read(CHECK_RESULTS):
        latest.setdefault(result.name, {})[result.release] = result
    return tuple(CheckRow(item, latest.get(item.name, {})) for item in listed_checks(crossing, scan))


def try_check(
    check: Check, scan: ProjectScan, places: Mapping[str, str], log: Sequence[str], token: CancelToken
) -> CheckResult:
    """Run a check that needs no person. Raises TrustNeeded, Cancelled."""
    begun = time.monotonic()
    here = dict(places)
    if check.produced:
        result = check_file(check.name, Path(fill(check.produced, here)), Path(fill(check.expected, here)))
    elif check.run:
        require_trust(scan.profile)
        try:
            arguments = fill_arguments(check.run, here, scan.along)
            finished = run_command(arguments, scan.project, Work(token=token), {}, check.timeout_s)
            result = judge_command(check, finished.status, finished.text, finished.timed_out)
        except CommandError as error:
            result = CheckResult(check.name, "failed", error.message)
    else:
        result = check_log(check, log)
    who = "Fernshale"
    return replace(result, release=scan.release, time=time.time(), elapsed_s=time.monotonic() - begun, who=who)
