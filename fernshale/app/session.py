"""The open crossing as the window knows it: an overview to show, actions to carry out in the background."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from PySide6.QtCore import QObject, Signal

from fernshale.api.actions import Action, Author, OptionEffect, find_effects
from fernshale.api.building import AttemptBudget, Attempts, has_proposals_to_try, summary_of, try_proposals
from fernshale.api.crossings import (
    Crossing,
    add_check,
    apply_confident_fixes,
    attempts_per_build,
    begin_crossing,
    build_and_fix,
    carry_out,
    choose,
    choose_attempts,
    choose_confidence,
    go_back_to,
    has_changed,
    import_content,
    inspect,
    keep_last_look,
    redo,
    refuse_check,
    restore_snapshot,
    undo,
    withdraw,
)
from fernshale.api.projects import duplicate_tree, scan_crossing
from fernshale.api.rehearsals import RehearsalPlan, carry_out_rehearsed, rehearsed_of
from fernshale.app.highlight import prepare_lexers
from fernshale.app.jobs import Runner, Task
from fernshale.app.outside_edits import OutsideEdits
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.import_content import ImportPlan
from fernshale.core.crossing.flow.start import Extent
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.trust import TrustNeeded
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.profile.model import Check, Profile

_OnEffects = Callable[[str, Mapping[str, OptionEffect]], None]
# Who acts in the window.
YOU = "you"


@dataclass(frozen=True, slots=True)
class _Unchanged:
    """A check that found the tree as it was, and how long it took."""

    seconds: float


class Session(QObject):
    """Holds the crossing and its latest overview. `overview_changed` carries an Overview."""

    overview_changed = Signal(object)
    opened = Signal()
    failed = Signal(object)
    trust_needed = Signal(object)
    said = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.runner = Runner(self)
        # Proposals are tried in a copy of the project while the user works on; the round whose attempt the user stopped.
        self.attempts = Runner(self)
        self._stopped_round = 0
        # What options of an item would do; the item that was asked about last.
        self.previews = Runner(self)
        self.preparing = Runner(self)
        self._asked_effects: tuple[Item, _OnEffects] | None = None
        self._on_effects: _OnEffects | None = None
        self.previews.succeeded.connect(self._on_preview)
        self.previews.failed.connect(lambda _error: self._start_preview())
        self.previews.cancelled.connect(self._start_preview)
        self.crossing: Crossing | None = None
        self.overview: Overview | None = None
        self._retry: Callable[[], None] | None = None
        # An inspection that the user did not ask for: "watch" for outside edits, "after" a failure. Its own failure is not
        # shown.
        self._quiet: Literal["", "watch", "after"] = ""
        self._pending: Callable[[], None] | None = None
        self.runner.succeeded.connect(self._on_result)
        self.runner.failed.connect(self._on_failed)
        self.runner.cancelled.connect(self._on_cancelled)
        self.attempts.succeeded.connect(self._on_attempts)
        self.attempts.failed.connect(lambda error: self.said.emit(tr("proposals were not tried: {error}", error=error)))
        self.attempts.cancelled.connect(lambda: self.said.emit(tr("trying proposals was stopped")))
        self.outside = OutsideEdits(self)
        self.outside.suspected.connect(self._inspect_quietly)

    # -- opening

    def begin(
        self,
        project: Path,
        profile: Profile,
        shelves: Sequence[str | Path],
        to: str,
        members: Sequence[str] = (),
        copy_folder: Path | None = None,
    ) -> None:
        """Begin or resume a crossing; with `copy_folder`, of a copy made there."""

        def task(work: Work) -> Overview:
            if copy_folder is not None:
                duplicate_tree(project, copy_folder, work)
            place = copy_folder or project
            self.crossing = begin_crossing(
                place, profile, shelves, to, work, Extent(members=members, original=str(project) if copy_folder else "")
            )
            return inspect(self.crossing, work)

        self._start(tr("reading {name}", name=project.name), task)

    def resume(self, crossing: Crossing) -> None:
        """Resume a crossing."""

        def task(work: Work) -> Overview:
            self.crossing = crossing
            return inspect(crossing, work)

        self._start(tr("reading {name}", name=crossing.setup.project.name), task)

    def close(self) -> None:
        self.outside.stop()
        self.attempts.close()
        self._asked_effects = None
        self.previews.close()
        self.preparing.close()
        self.runner.close()

    def leave(self) -> None:
        """Have no crossing open any more."""
        self.close()
        self.crossing = self.overview = None

    def carry_out_rehearsed(self, plan: RehearsalPlan) -> None:
        """Carry out the automatic part of a rehearsed plan."""

        def task(crossing: Crossing, work: Work) -> None:
            what = rehearsed_of(crossing.setup)
            carry_out_rehearsed(crossing, what, plan, lambda step: work.progress(step.item.title, 0, 0), work)

        self._act(tr("the automatic part of {title}", title=plan.title), task)

    # -- what options would do

    def find_effects(self, item: Item, done: Callable[[str, Mapping[str, OptionEffect]], None]) -> None:
        """Call `done` with the key of an item and the effect of each of its options, once they are known; a later call takes the
        place of one that still waits."""
        self._asked_effects = item, done
        if not self.previews.is_busy:
            self._start_preview()

    def _start_preview(self) -> None:
        crossing, overview = self.crossing, self.overview
        asked, self._asked_effects = self._asked_effects, None
        if asked is None or crossing is None or overview is None:
            return
        item, self._on_effects = asked
        scan = overview.scan
        self.previews.start("", lambda work: (item.key, find_effects(crossing, scan, item, work.token)))

    def _on_preview(self, result: object) -> None:
        if self._asked_effects is None and self._on_effects is not None:
            assert isinstance(result, tuple)
            self._on_effects(*result)
        self._start_preview()

    # -- intents

    def refresh(self) -> None:
        """Read everything again."""
        self._act(tr("refreshing"), lambda crossing, work: None)

    def carry_out(self, action: Action, title: str, why: str = "") -> None:
        """Carry an action out."""
        self._act(title, lambda crossing, work: carry_out(crossing, action, Author(YOU, why), work))

    def carry_out_each(self, actions: Sequence[Action], title: str) -> None:
        """Carry several actions out, one after the other; the first that fails ends it."""

        def task(crossing: Crossing, work: Work) -> None:
            for action in actions:
                carry_out(crossing, action, Author(YOU), work)

        self._act(title, task)

    def choose(self, item: Item, option: str, text: str = "", why: str = "") -> None:
        """Carry out an option of an open item, given by its id."""
        action = choose(item, option, text)
        if action is not None:
            self.carry_out(action, item.title, why)

    def apply_confident_fixes(self) -> None:
        """Apply every high-confidence fix of the last round."""

        def task(crossing: Crossing, work: Work) -> None:
            apply_confident_fixes(crossing, Author(YOU), work)

        self._act(tr("applying the high-confidence fixes"), task)

    def build_and_fix(self) -> None:
        """Build and fix automatically, until it compiles or no high-confidence fix is left."""

        def task(crossing: Crossing, work: Work) -> None:
            work.on_line(build_and_fix(crossing, Author(YOU), work))

        self._act(tr("building and fixing automatically"), task)

    def choose_confidence(self, value: float) -> None:
        """Set the confidence from which fixes are applied automatically."""
        self._act(tr("setting the confidence"), lambda crossing, work: choose_confidence(crossing, value))

    def choose_attempts(self, is_wanted: bool) -> None:
        """Set whether the proposals of each build are tried in a copy of the project."""
        builds = AttemptBudget().builds if is_wanted else 0
        self._act(tr("setting whether proposals are tried"), lambda crossing, work: choose_attempts(crossing, builds))

    def try_proposals(self) -> None:
        """Try the proposals of the last build in a copy of the project, in the background. A change of the project ends it."""
        crossing = self.crossing
        if crossing is not None:
            builds = attempts_per_build(crossing) or AttemptBudget().builds
            self.attempts.start(
                tr("trying the proposals"), lambda work: try_proposals(crossing, AttemptBudget(builds), work)
            )

    def stop_attempts(self) -> None:
        """Stop trying proposals until the next build."""
        self._stopped_round = len(self.overview.build.rounds) if self.overview is not None else 0
        self.attempts.cancel()

    def withdraw(self, key: str, title: str) -> None:
        """Withdraw a decision that was not carried out yet."""
        self._act(title, lambda crossing, work: withdraw(crossing, key))

    def undo(self, entry: int, title: str) -> None:
        """Undo one step."""

        def task(crossing: Crossing, work: Work) -> None:
            with crossing.acting():
                undo(crossing, entry, work)

        self._act(tr("undoing {title}", title=title), task)

    def redo(self, entry: int, title: str) -> None:
        """Redo a step that was undone."""

        def task(crossing: Crossing, work: Work) -> None:
            with crossing.acting():
                redo(crossing, entry, work)

        self._act(tr("redoing {title}", title=title), task)

    def go_back_to(self, entry: int) -> None:
        """Undo a step and all later ones."""

        def task(crossing: Crossing, work: Work) -> None:
            with crossing.acting():
                go_back_to(crossing, entry, work)

        self._act(tr("undoing several steps"), task)

    def add_check(self, check: Check) -> None:
        """Put a behaviour to try on the list."""

        def task(crossing: Crossing, work: Work) -> None:
            with crossing.acting():
                add_check(crossing, scan_crossing(crossing, work), check)

        self._act(tr("to try: {name}", name=check.name), task)

    def refuse_check(self, name: str) -> None:
        """Do not propose a check again."""

        def task(crossing: Crossing, work: Work) -> None:
            with crossing.acting():
                refuse_check(crossing, name)

        self._act(tr("a proposed check is not needed"), task)

    def import_content(self, plan: ImportPlan, over: bool) -> None:
        """Import content with its dependencies."""

        def task(crossing: Crossing, work: Work) -> None:
            with crossing.acting():
                scan = scan_crossing(crossing, work)
                import_content(crossing, scan, plan, over, tr("chosen in the window"), work)

        self._act(tr("bringing content over"), task)

    def restore(self, snapshot: str, paths: tuple[str, ...]) -> None:
        """Bring a snapshot back into the project, as a step that can itself be undone."""

        def task(crossing: Crossing, work: Work) -> None:
            with crossing.acting():
                restore_snapshot(crossing, snapshot, paths, work)

        self._act(tr("restoring"), task)

    def retry(self) -> None:
        """Repeat the action that was refused for lack of trust."""
        if self._retry is not None:
            self._retry()

    # -- inside

    def _act(self, title: str, act: Callable[[Crossing, Work], None]) -> None:
        crossing = self.crossing
        if crossing is None:
            return
        self.attempts.cancel()

        def task(work: Work) -> Overview:
            act(crossing, work)
            return inspect(crossing, work)

        self._start(title, task)

    def _start(self, title: str, task: Task) -> None:
        self._retry = lambda: self._start(title, task)
        if self._quiet and self.runner.is_busy:
            # Only a quiet inspection is running: it is cancelled for the user's action.
            self._pending = self._retry
            self.runner.cancel()
        elif self.runner.start(title, task):
            self._quiet = ""
        else:
            self.said.emit(tr("another task is still running"))

    def _inspect_quietly(self) -> None:
        """Notice edits made in another program."""
        crossing, overview = self.crossing, self.overview
        if crossing is None or overview is None or self.runner.is_busy:
            return

        def task(work: Work) -> Overview | _Unchanged:
            begun = time.monotonic()
            if has_changed(overview, work.token):
                return inspect(crossing, work)
            return _Unchanged(time.monotonic() - begun)

        self._quiet = "watch"
        self.runner.start("", task)

    def _end_of_quiet(self) -> str:
        """The quiet inspection that ended, "" for an action of the user; starts the action that waited for it."""
        was, self._quiet = self._quiet, ""
        pending, self._pending = self._pending, None
        if pending is not None:
            pending()
        return was

    def _on_result(self, result: object) -> None:
        was = self._end_of_quiet()
        if isinstance(result, _Unchanged):
            self.outside.note_check(result.seconds)
        if not isinstance(result, Overview):
            return
        before, self.overview = self.overview, result
        if self.crossing is not None:
            keep_last_look(self.crossing, result)
        self.outside.watch(result.setup.project)
        if before is None:
            paths = result.scan.paths
            self.preparing.start(tr("preparing colours"), lambda work: prepare_lexers(paths, work.token))
            self.opened.emit()
        if was == "watch":
            self.said.emit(tr("files were changed outside Fernshale; everything was read again"))
        self.overview_changed.emit(result)
        self._try_if_wanted(result)

    def _try_if_wanted(self, overview: Overview) -> None:
        crossing = self.crossing
        is_stopped = len(overview.build.rounds) == self._stopped_round
        if crossing is None or is_stopped or not attempts_per_build(crossing):
            return
        if has_proposals_to_try(crossing, overview.build):
            self.try_proposals()

    def _on_attempts(self, result: object) -> None:
        if isinstance(result, Attempts):
            self.said.emit(summary_of(result))
            self._show_current_state()

    def _on_failed(self, error: object) -> None:
        if self._end_of_quiet():
            return  # the next action will report it
        if isinstance(error, TrustNeeded):
            self.trust_needed.emit(error)
            return
        self.failed.emit(error)
        self._inspect_after_failure(error)

    def _on_cancelled(self) -> None:
        if not self._end_of_quiet():
            self.said.emit(tr("cancelled; finished steps are in the logbook"))
            self._inspect_after_failure(None)

    def _inspect_after_failure(self, error: object) -> None:
        """Show the current state: part of the action may have been done before it failed."""
        if (
            self.crossing is not None
            and self.overview is not None
            and (error is None or isinstance(error, FernshaleError))
        ):
            self._show_current_state()

    def _show_current_state(self) -> None:
        """Inspect again, unless a task does so anyway at its end."""
        crossing = self.crossing
        if crossing is not None and not self.runner.is_busy:
            self._quiet = "after"
            self.runner.start("", lambda work: inspect(crossing, work))
