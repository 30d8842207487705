"""Releases that came to the shelf after a project was last rehearsed, and what they change."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass

from fernshale.core.base.data_folder import cache_folder
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.json_values import from_json
from fernshale.core.base.release import parse_release
from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.flow.rehearsal.outcome import Outcome, RehearsalPlan, read_outcome
from fernshale.core.crossing.flow.rehearsal.rehearse import Rehearsed
from fernshale.core.crossing.flow.rehearsal.scratch_crossing import Job


@dataclass(frozen=True, slots=True)
class NewRelease:
    """A release that was not rehearsed yet: the plan to rehearse it, and the outcome of the latest release before it."""

    plan: RehearsalPlan
    before: Outcome

    def words(self, outcome: Outcome) -> str:
        """The difference that it makes, in a sentence."""
        came = tr("{to} came out: ", to=self.plan.to)
        known = self.before.plan.to
        if outcome.errors_left is None or self.before.errors_left is None or not outcome.is_whole:
            return came + outcome.words
        if fewer := self.before.errors_left - outcome.errors_left:
            more = tr("fewer") if fewer > 0 else tr("more")
            return tr(
                "{came}{errors} {more} than {known}",
                came=came,
                errors=count(abs(fewer), "error"),
                more=more,
                known=known,
            )
        if fewer := len(self.before.decisions) - len(outcome.decisions):
            more = tr("fewer") if fewer > 0 else tr("more")
            return tr(
                "{came}as many errors as {known}, {decisions} {more}",
                came=came,
                known=known,
                decisions=count(abs(fewer), "decision"),
                more=more,
            )
        return tr("{came}as many errors and decisions as {known}", came=came, known=known)


def new_releases(what: Rehearsed, releases: Iterable[str]) -> tuple[NewRelease, ...]:
    """Of the releases on the shelves, those that they did not have when a plan of the project was first rehearsed, and
    that are not rehearsed yet;
    ascending, each with the outcome for the latest release before it. None where nothing was rehearsed yet."""
    on_shelf: list[frozenset[str]] = []
    targets: set[str] = set()
    known: list[Outcome] = []
    for file in (cache_folder() / "rehearsals").glob("*/job.json"):
        with suppress(OSError, ValueError, MisuseError):
            job = from_json(Job, file.read_bytes())
            if job.on_shelf and (job.project, job.members) == (what.project.resolve(), what.members):
                on_shelf.append(frozenset(job.on_shelf))
                targets.add(job.plan.to)
                known.append(read_outcome(file.with_name("outcome.json")))
    found = []
    seen = frozenset.intersection(*on_shelf) | targets if on_shelf else frozenset()
    for release in sorted(releases, key=parse_release) if seen else ():
        earlier = [item for item in known if item.is_whole and parse_release(item.plan.to) < parse_release(release)]
        if release not in seen and earlier:
            latest = max(earlier, key=lambda item: parse_release(item.plan.to))
            found.append(NewRelease(RehearsalPlan(release, (), latest.plan.hold), latest))
    return tuple(found)
