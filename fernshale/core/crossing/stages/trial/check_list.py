"""The list of behaviours to try: the profile's, the user's own, those Fernshale proposes; and the results, release by release."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.project.check_runs import (
    OWN_CHECKS,
    REFUSED_CHECKS,
    keep_results,
    listed_checks,
    own_checks,
)
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing, LogEntry
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.trial.actions import MarkCheck
from fernshale.core.profile.model import Check
from fernshale.core.survey.roles import role_of
from fernshale.core.trial.checks import CheckResult

_MAX_PROPOSED = 12


@dataclass(frozen=True, slots=True)
class ProposedCheck:
    """A check that is proposed because of the crossing, with the reason."""

    check: Check
    reason: str


def add_check(crossing: Crossing, scan: ProjectScan, check: Check) -> None:
    """Put a check on the list; one of the same name is replaced. Raises MisuseError for the name of one of the profile's."""
    if any(item.name == check.name for item in scan.profile.check):
        raise MisuseError(tr("the profile has a check {name} already", name=check.name))
    kept = [item for item in own_checks(crossing) if item.name != check.name]
    crossing.keep(OWN_CHECKS, (*kept, check))
    note(
        crossing, Stage.TRIAL, tr("to try: {name}", name=check.name), check.why or check.by_hand, f"check {check.name}"
    )


def drop_check(crossing: Crossing, name: str) -> None:
    """Remove one of the crossing's own checks from the list. Raises MisuseError for another name."""
    kept = [item for item in own_checks(crossing) if item.name != name]
    if len(kept) == len(own_checks(crossing)):
        raise MisuseError(tr("{name} is no check of your own", name=name))
    crossing.keep(OWN_CHECKS, tuple(kept))


def mark_check(crossing: Crossing, scan: ProjectScan, action: MarkCheck, author: Author) -> None:
    """Record what a person observed. Raises MisuseError for a check that is not listed."""
    name, verdict, evidence = action.check, action.verdict, author.why
    if not any(item.name == name for item in listed_checks(crossing, scan)):
        raise MisuseError(tr("there is no check {name}", name=name))
    result = CheckResult(name, verdict, evidence, scan.release, time.time(), 0.0, author.who)
    keep_results(crossing, [result])
    note(
        crossing,
        Stage.TRIAL,
        tr("{name}: {verdict} on {release}", name=name, verdict=verdict, release=scan.release),
        evidence,
        f"check {name}",
    )


def propose_checks(crossing: Crossing, scan: ProjectScan) -> tuple[ProposedCheck, ...]:
    """What the upgrade touched and somebody should look at: silent changes, data that was rewritten, own files with many fixes,
    plugins whose local edits were carried."""
    known = {item.name for item in own_checks(crossing)} | {*crossing.read(REFUSED_CHECKS)}
    done = [entry for entry in crossing.logbook() if entry.state == "done" and entry.changes]
    found = [*_silent(done), *_rewritten(done), *_plugins(done), *_own_code(done, scan)]
    return tuple(item for item in found if item.check.name not in known)[:_MAX_PROPOSED]


def refuse_check(crossing: Crossing, name: str) -> None:
    """Do not propose a check again."""
    crossing.keep(REFUSED_CHECKS, (*crossing.read(REFUSED_CHECKS), name))


def _silent(done: Sequence[LogEntry]) -> Iterable[ProposedCheck]:
    for entry in done:
        if entry.about.startswith("silent ") and entry.changes:
            files = ", ".join(change.path for change in entry.changes.files[:4])
            words = tr("Try what {files} does: {why}.", files=files, why=entry.why or entry.title)
            yield ProposedCheck(
                Check(f"silent: {entry.title.partition(' · ')[0]}", by_hand=words), tr("it compiles either way")
            )


def _rewritten(done: Sequence[LogEntry]) -> Iterable[ProposedCheck]:
    touched: dict[str, list[str]] = {}
    for entry in done:
        if entry.stage is Stage.LINKS and entry.changes:
            for change in entry.changes.files:
                touched.setdefault(change.path, []).append(entry.title.partition(" · ")[0])
    for path, titles in sorted(touched.items(), key=lambda item: -len(item[1])):
        words = tr("Check what {path} shows: {fromkeys}.", path=path, fromkeys="; ".join(dict.fromkeys(titles)))
        yield ProposedCheck(
            Check(f"looks right: {path}", by_hand=words), tr("{rewrites} in it", rewrites=count(len(titles), "rewrite"))
        )


def _plugins(done: Sequence[LogEntry]) -> Iterable[ProposedCheck]:
    for entry in done:
        if entry.stage is Stage.PLUGINS and entry.about.startswith("plugin "):
            name = entry.about.removeprefix("plugin ")
            yield ProposedCheck(
                Check(
                    f"works: {name}", by_hand=tr("Try what {name} is used for, above all your local edits.", name=name)
                ),
                entry.title,
            )


def _own_code(done: Sequence[LogEntry], scan: ProjectScan) -> Iterable[ProposedCheck]:
    touched: Counter[str] = Counter()
    for entry in done:
        if entry.stage is Stage.BUILD and entry.changes:
            own = [item.path for item in entry.changes.files if role_of(scan.profile, item.path).role == "own"]
            touched.update(own)
    for path, times in touched.most_common(4):
        words = tr("Try what {path} does; it was changed by {fixes}.", path=path, fixes=count(times, "fix", "fixes"))
        yield ProposedCheck(
            Check(f"behaves: {path}", by_hand=words), tr("{fixes} in it", fixes=count(times, "fix", "fixes"))
        )
