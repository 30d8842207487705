"""The rehearsal itself, in a process and a data folder of its own: `python -m ... JOB.json`.

The crossing of the copy goes as far as the automatic crossing does. Where it stops for a person, a neutral option is taken that
drops nothing, and noted as a decision that the person would have; then it goes on.
"""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from fernshale.core.base.errors import Cancelled, FernshaleError
from fernshale.core.base.json_values import from_json
from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import carry_out
from fernshale.core.crossing.flow.autopilot import Step, cross
from fernshale.core.crossing.flow.rehearsal.outcome import (
    CauseLeft,
    DecisionLeft,
    Outcome,
    PluginOutcome,
    RehearsalPlan,
    write_outcome,
)
from fernshale.core.crossing.flow.start import Extent, begin_crossing
from fernshale.core.crossing.flow.summaries import finding_of
from fernshale.core.crossing.project.plugin_plan import plugin_key
from fernshale.core.crossing.project.role_of_place import give_role
from fernshale.core.crossing.record.actions import Author, Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.last_build import ROUNDS
from fernshale.core.crossing.record.stage import STAGES, Stage
from fernshale.core.crossing.record.trust import TrustNeeded, is_trusted
from fernshale.core.crossing.stages.overview import Overview, inspect
from fernshale.core.crossing.stages.survey.actions import LeaveGitAlone, TakeBaseline
from fernshale.core.crossing.stages.trial.view import TrialView
from fernshale.core.merge.ledger import Fate
from fernshale.core.profile.read import read_profile
from fernshale.core.snapshot.working_copy import duplicate_tree

# Ids of options that drop nothing of the user's, in the order in which one is taken: yours, the plugin comes, nothing changes.
_NEUTRAL = ("mine", "take", "keep", "leave", "noted", "")
# What became of edits, as the ledger calls it.
_FATES: tuple[Fate, ...] = ("carried", "already", "decide")
# A person's decisions at most; so many would end any plan.
_MAX_DECISIONS = 2000
_NO_TRUST = tr("building and running: you have not trusted the profile")
_AUTHOR = Author("rehearsal", "neutral choice of a rehearsal")


@dataclass(frozen=True, slots=True)
class Job:
    """What the process is told: places, the plan, and roles that the user gave to folders of the project. `on_shelf` are the
    releases of the engine that the shelves had when the plan was first rehearsed."""

    project: Path
    copy: Path
    profile: Path
    shelves: tuple[str, ...]
    plan: RehearsalPlan
    result: Path
    roles: tuple[tuple[str, str], ...] = ()
    members: tuple[str, ...] = ()
    on_shelf: tuple[str, ...] = ()


class _Rehearsal:
    def __init__(self, job: Job, work: Work) -> None:
        self._job, self._work = job, work
        self._begun = time.monotonic()
        self._plugins: dict[tuple[int, str], PluginOutcome] = {}
        self._decisions: dict[str, DecisionLeft] = {}
        self._relinked = self._silent = 0
        self._not_tried: list[str] = []

    def run(self) -> Outcome:
        """Rehearse to the end. The outcome so far is on disk all the time, for a budget that ends the process."""
        crossing = self._begin()
        overview = inspect(crossing, self._work)
        self._hold_back(crossing, overview)
        while True:
            try:
                overview = cross(crossing, {}, self._on_step, self._on_stage, self._work)
            except TrustNeeded:
                overview = inspect(crossing, self._work)
                self._note_plugins(overview)
                return self._outcome(crossing, overview, "left", _NO_TRUST)
            self._note_plugins(overview)
            if overview.build.rounds:
                self._silent = max(self._silent, len(overview.build.silent) + len(overview.build.defaults))
            write_outcome(self._outcome(crossing, overview, "running", ""), self._job.result)
            if not self._take_neutral(crossing, overview):
                ending = "done" if overview.is_done and not self._decisions else "left"
                return self._outcome(crossing, overview, ending, "")

    def _begin(self) -> Crossing:
        job = self._job
        if not job.copy.is_dir():
            duplicate_tree(job.project, job.copy, self._work)
        for place, role in job.roles:
            give_role(job.copy, TreePath(place), role)
        profile = read_profile(job.profile)
        for name, command in (("building", profile.commands.build), ("running", profile.commands.run)):
            if command is None:
                self._not_tried.append(tr("{name}: the profile has no command for it", name=name))
        extent = Extent(job.plan.via, job.members, str(job.project))
        crossing = begin_crossing(job.copy, profile, job.shelves, job.plan.to, self._work, extent)
        carry_out(crossing, LeaveGitAlone(), _AUTHOR, self._work)
        if not is_trusted(profile):
            self._not_tried.append(_NO_TRUST)
            carry_out(crossing, Choose(TakeBaseline().key, "without"), _AUTHOR, self._work)
        return crossing

    def _hold_back(self, crossing: Crossing, overview: Overview) -> None:
        for id in self._job.plan.hold:
            carry_out(crossing, Choose(plugin_key(overview.setup, id), "keep"), _AUTHOR, self._work)

    def _on_step(self, step: Step) -> None:
        self._relinked += step.item.key.startswith(("links:", "link:"))
        self._work.on_line(f"{step.stage.value}: {step.item.title}")

    def _on_stage(self, stage: Stage, overview: Overview) -> None:
        if stage is Stage.PLUGINS:
            self._note_plugins(overview)

    def _note_plugins(self, overview: Overview) -> None:
        """Note what becomes of each plugin on the leg, with its edits as they were before any conflict was resolved."""
        views = {view.plugin.id: view for view in overview.plugins.plugins}
        for step in overview.route.leg.plugins:
            key = overview.setup.leg, step.id
            view, known = views.get(step.id), self._plugins.get(key)
            ledger = view.ledger if view is not None else None
            if known is not None and known.edits:
                kept, already, conflicts = known.kept, known.already, known.conflicts
            else:
                kept, already, conflicts = (ledger.count(fate) if ledger else 0 for fate in _FATES)
            from_ = known.from_ if known is not None else step.from_
            action = "update" if step.action == "stay" and from_ != step.to else step.action
            why = known.why if known is not None else step.why
            self._plugins[key] = PluginOutcome(step.id, from_, step.to, action, why, kept, already, conflicts)

    def _take_neutral(self, crossing: Crossing, overview: Overview) -> bool:
        """Take neutral options of the first stage that waits for a person, so that the automatic part of later stages has its
        turn; whether any was taken."""
        was_taken = False
        for item, option in self._waiting(overview):
            self._decisions[item.key] = DecisionLeft(item.key, item.stage.value, item.title, option.title)
            self._work.on_line(f"{item.stage.value}: {item.title} → {option.title}")
            try:
                carry_out(crossing, option.action, _AUTHOR, self._work)
                was_taken = True
            except Cancelled:
                raise
            except FernshaleError as error:
                self._not_tried.append(f"{item.title}: {error.message}")
        return was_taken

    def _waiting(self, overview: Overview) -> Sequence[tuple[Item, Option]]:
        """The items of the first stage that wait for a person and have a neutral option."""
        for stage in STAGES:
            found = [
                (item, option)
                for item in overview.items_of(stage)
                if item.needs_you and item.key not in self._decisions and (option := _neutral(item)) is not None
            ]
            if found:
                return found[: max(0, _MAX_DECISIONS - len(self._decisions))]
        return ()

    def _outcome(self, crossing: Crossing, overview: Overview, ending: Any, why: str) -> Outcome:
        rounds = [crossing.read(ROUNDS, leg) for leg in range(overview.setup.leg + 1)]
        build, trial = overview.build, overview.trial
        causes = [item for item in build.causes if item.open]
        waiting = [item for item in overview.items if item.needs_you and item.key not in self._decisions]
        left = [*self._decisions.values(), *(DecisionLeft(item.key, item.stage.value, item.title) for item in waiting)]
        last = overview.setup.leg
        return Outcome(
            self._job.plan, ending, why, time.monotonic() - self._begun,
            reached=overview.setup.to,
            build_s=build.rounds[-1].elapsed_s if build.rounds else 0.0,
            plugins=tuple(item for (leg, _), item in self._plugins.items() if leg == last),
            errors_at_first=tuple(each[0].total for each in rounds if each),
            errors_left=build.rounds[-1].total if build.rounds else None,
            causes=tuple(CauseLeft(item.cause.title, item.open, bool(item.fixes)) for item in causes),
            silent=self._silent,
            relinked=self._relinked,
            links_left=len(overview.links.missing),
            runs=None if trial.run is None else trial.run.passed,
            trial=finding_of(Stage.TRIAL, overview).plain if trial.run is not None else "",
            differs=tuple(_differences(trial)) if trial.run is not None and trial.before is not None else (),
            decisions=tuple(left),
            not_tried=tuple(self._not_tried),
        )  # fmt: skip


def _differences(trial: TrialView) -> Iterator[str]:
    """How the run differs from the baseline's, in a line each for the log, the pictures, and each time that changed."""
    new, gone = trial.log.count("new"), trial.log.count("gone")
    yield (
        tr("log: {new_messages}, {gone} missing", new_messages=count(new, "new message"), gone=gone)
        if new or gone
        else tr("log: no new or missing messages")
    )
    if trial.pictures:
        compared = [pair.difference for pair in trial.pictures if pair.difference is not None]
        alike = sum(difference.is_same for difference in compared)
        unreadable = len(trial.pictures) - len(compared)
        others = [tr("{number} different", number=len(compared) - alike)] + (
            [tr("{unreadable} not compared", unreadable=unreadable)] if unreadable else []
        )
        yield tr("{pictures} the same, {others}", pictures=count(alike, "picture"), others=", ".join(others))
    for item in trial.timings:
        if item.verdict in ("slower", "faster"):
            yield f"{item.name}: {seconds(item.before)} → {seconds(item.now)}, {item.verdict}"
    if trial.hitches:
        yield tr("{frames} much longer than before", frames=count(len(trial.hitches), "frame"))


def _neutral(item: Item) -> Option | None:
    """An option that drops nothing and asks nothing, None where there is none."""
    if item.stage is Stage.BUILD and item.key.startswith("cause:"):
        return None  # what the automatic part does not fix is what a rehearsal wants to know
    for id in _NEUTRAL:
        option = item.option(id)
        if option is not None and not option.asks and not option.confirm:
            return option
    return None


def _say(line: str) -> None:
    sys.stdout.write(f"{line}\n")
    sys.stdout.flush()


def main(arguments: Sequence[str]) -> int:
    """Rehearse the job of a file; the outcome is in the file that the job names."""
    job = from_json(Job, Path(arguments[0]).read_bytes())
    os.nice(5)  # the person works on
    work = Work(on_line=_say)
    try:
        outcome = _Rehearsal(job, work).run()
    except (FernshaleError, OSError) as error:
        said = error.message if isinstance(error, FernshaleError) else str(error)
        outcome = Outcome(job.plan, "failed", said, 0.0)
    write_outcome(replace(outcome, elapsed_s=round(outcome.elapsed_s, 2)), job.result)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
