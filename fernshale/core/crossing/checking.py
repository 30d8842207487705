"""The list of behaviours to try: the profile's, the user's own, those Fernshale proposes; and the results, release by release."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from fernshale.core.base.errors import CommandError, MisuseError
from fernshale.core.base.words import count
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.ground import Ground
from fernshale.core.crossing.logbook import note
from fernshale.core.crossing.matter import Stage
from fernshale.core.crossing.state import Crossing, Entry
from fernshale.core.crossing.trust import require_trust
from fernshale.core.process.run import run_command
from fernshale.core.profile.model import Check
from fernshale.core.profile.read import fill, fill_arguments
from fernshale.core.survey.roles import role_of
from fernshale.core.trial.checks import CheckResult, Verdict, check_file, check_log, judge_command

_MOST_PROPOSED = 12
_MOST_RESULTS = 2000


@dataclass(frozen=True, slots=True)
class ProposedCheck:
    """A check that the upgrade suggests, with what it comes from."""

    check: Check
    reason: str


@dataclass(frozen=True, slots=True)
class CheckRow:
    """A check and its latest result on each release it was tried on."""

    check: Check
    results: Mapping[str, CheckResult]

    def on(self, release: str) -> CheckResult:
        return self.results.get(release, CheckResult(self.check.name, "not tried", release=release))


def listed_checks(crossing: Crossing, ground: Ground) -> tuple[Check, ...]:
    """The profile's checks, then the crossing's own."""
    return (*ground.profile.check, *own_checks(crossing))


def own_checks(crossing: Crossing) -> tuple[Check, ...]:
    return tuple(_check(item) for item in crossing.fact("checks") or ())


def add_check(crossing: Crossing, ground: Ground, check: Check) -> None:
    """Put a check on the list; one of the same name is replaced. Raises MisuseError for the name of one of the profile's."""
    if any(item.name == check.name for item in ground.profile.check):
        raise MisuseError(f"the profile has a check {check.name} already")
    kept = [item for item in own_checks(crossing) if item.name != check.name]
    crossing.keep_fact("checks", [asdict(item) for item in (*kept, check)])
    note(crossing, Stage.TRIAL, f"to try: {check.name}", check.why or check.by_hand, f"check {check.name}")


def drop_check(crossing: Crossing, name: str) -> None:
    """Take one of the crossing's own checks off the list. Raises MisuseError when it is none."""
    kept = [item for item in own_checks(crossing) if item.name != name]
    if len(kept) == len(own_checks(crossing)):
        raise MisuseError(f"{name} is no check of your own")
    crossing.keep_fact("checks", [asdict(item) for item in kept])


def mark_check(crossing: Crossing, ground: Ground, name: str, verdict: Verdict, evidence: str, who: str) -> None:
    """Keep what somebody saw who tried a check. Raises MisuseError for a name that is not listed."""
    if not any(item.name == name for item in listed_checks(crossing, ground)):
        raise MisuseError(f"there is no check {name}")
    result = CheckResult(name, verdict, evidence, ground.release, time.time(), 0.0, who)
    keep_results(crossing, [result])
    note(crossing, Stage.TRIAL, f"{name}: {verdict} on {ground.release}", evidence, f"check {name}")


def keep_results(crossing: Crossing, results: Iterable[CheckResult]) -> None:
    kept = [asdict(item) for item in results]
    crossing.keep_fact("check results", [*(crossing.fact("check results") or ()), *kept][-_MOST_RESULTS:])


def check_rows(crossing: Crossing, ground: Ground) -> tuple[CheckRow, ...]:
    """All checks with their latest results by release."""
    latest: dict[str, dict[str, CheckResult]] = {}
    for item in crossing.fact("check results") or ():
        result = CheckResult(**item)
        latest.setdefault(result.name, {})[result.release] = result
    return tuple(CheckRow(item, latest.get(item.name, {})) for item in listed_checks(crossing, ground))


def try_check(
    check: Check, ground: Ground, places: Mapping[str, str], log: Sequence[str], token: CancelToken
) -> CheckResult:
    """Try a check that needs nobody. Raises TrustNeeded, Cancelled."""
    begun = time.monotonic()
    here = dict(places)
    if check.produced:
        result = check_file(check.name, Path(fill(check.produced, here)), Path(fill(check.expected, here)))
    elif check.run:
        require_trust(ground.profile)
        try:
            arguments = fill_arguments(check.run, here, ground.along)
            finished = run_command(arguments, ground.project, token, lambda line: None, {}, check.timeout_s)
            result = judge_command(check, finished.status, finished.text, finished.timed_out)
        except CommandError as error:
            result = CheckResult(check.name, "failed", error.message)
    else:
        result = check_log(check, log)
    who = "Fernshale"
    return replace(result, release=ground.release, time=time.time(), elapsed_s=time.monotonic() - begun, who=who)


def propose_checks(crossing: Crossing, ground: Ground) -> tuple[ProposedCheck, ...]:
    """What the upgrade touched and somebody should look at: silent changes, data that was rewritten, own files with many fixes,
    plugins whose local edits were carried."""
    known = {item.name for item in own_checks(crossing)} | set(crossing.fact("checks not wanted") or ())
    done = [entry for entry in crossing.logbook() if entry.state == "done" and entry.changes]
    found = [*_silent(done), *_rewritten(done), *_plugins(done), *_own_code(done, ground)]
    return tuple(item for item in found if item.check.name not in known)[:_MOST_PROPOSED]


def refuse_check(crossing: Crossing, name: str) -> None:
    """Let a proposed check not be proposed again."""
    crossing.keep_fact("checks not wanted", [*(crossing.fact("checks not wanted") or ()), name])


def _silent(done: Sequence[Entry]) -> Iterable[ProposedCheck]:
    for entry in done:
        if entry.about.startswith("silent ") and entry.changes:
            files = ", ".join(change.path for change in entry.changes.files[:4])
            words = f"Try what {files} does: {entry.why or entry.title}."
            yield ProposedCheck(
                Check(f"silent: {entry.title.partition(' · ')[0]}", by_hand=words), "it compiles either way"
            )


def _rewritten(done: Sequence[Entry]) -> Iterable[ProposedCheck]:
    touched: dict[str, list[str]] = {}
    for entry in done:
        if entry.stage is Stage.LINKS and entry.changes:
            for change in entry.changes.files:
                touched.setdefault(change.path, []).append(entry.title.partition(" · ")[0])
    for path, titles in sorted(touched.items(), key=lambda item: -len(item[1])):
        words = f"Look at what {path} shows: {'; '.join(dict.fromkeys(titles))}."
        yield ProposedCheck(Check(f"looks right: {path}", by_hand=words), f"{count(len(titles), 'rewrite')} in it")


def _plugins(done: Sequence[Entry]) -> Iterable[ProposedCheck]:
    for entry in done:
        if entry.stage is Stage.PLUGINS and entry.about.startswith("plugin "):
            name = entry.about.removeprefix("plugin ")
            yield ProposedCheck(
                Check(f"works: {name}", by_hand=f"Try what {name} is used for, local edits above all."), entry.title
            )


def _own_code(done: Sequence[Entry], ground: Ground) -> Iterable[ProposedCheck]:
    touched: Counter[str] = Counter()
    for entry in done:
        if entry.stage is Stage.BUILD and entry.changes:
            own = [item.path for item in entry.changes.files if role_of(ground.profile, item.path).role == "own"]
            touched.update(own)
    for path, times in touched.most_common(4):
        words = f"Try what {path} does; it was changed by {count(times, 'fix', 'fixes')}."
        yield ProposedCheck(Check(f"behaves: {path}", by_hand=words), f"{count(times, 'fix', 'fixes')} in it")


def _check(data: Mapping[str, Any]) -> Check:
    return Check(**{**data, "run": tuple(data["run"])})
