"""Try the proposals of the last build in a copy of the project: the first of all causes together, then what failed.

Each build is one attempt at a set of fixes. A fix that clears errors and brings none stays in the copy; in the place of one that
does not, the next proposal of its cause is tried. What failed among others is tried once more with the good ones alone.
"""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.lock import Held, locked
from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.build.causes import Cause, find_causes
from fernshale.core.build.known_errors import split_known
from fernshale.core.build.message_patterns import MISSING
from fernshale.core.build.owners import find_owners
from fernshale.core.build.path_mapping import ProjectFiles
from fernshale.core.build.reading import read_log
from fernshale.core.crossing.project.build_places import owner_context
from fernshale.core.crossing.project.commands import CommandCall, run_elsewhere
from fernshale.core.crossing.project.freshness import fingerprint
from fernshale.core.crossing.project.own_bases import base_reader
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.fix_settings import attempts_per_build
from fernshale.core.crossing.record.last_build import LAST_BUILD
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.rules.sources import leg_rules
from fernshale.core.crossing.stages.build.attempt_copy import AttemptCopy
from fernshale.core.crossing.stages.build.attempts import (
    ATTEMPTS,
    Attempt,
    Attempts,
    EditedLines,
    ErrorAt,
    is_telling,
    judge,
    summary_of,
)
from fernshale.core.crossing.stages.build.build_runs import NOT_BUILT, known_errors
from fernshale.core.crossing.stages.build.inspection import inspect_build
from fernshale.core.crossing.stages.build.view import BuildView, CauseView, Fix
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.fix.apply import CodeEdit, apply_edits
from fernshale.core.survey.release_sites import read_project_text

_WORD = lazy_pattern(r"\w+")


@dataclass(frozen=True, slots=True)
class AttemptBudget:
    """How much may be spent: builds, seconds in all, and proposals of each cause."""

    builds: int = 6
    seconds: float = 1800.0
    proposals: int = 3


def try_if_wanted(crossing: Crossing, view: BuildView, work: Work) -> Attempts | None:
    """Try the proposals of the last build if the crossing is set to, and they were not tried yet; None if not.

    Raises as `try_proposals`."""
    builds = attempts_per_build(crossing)
    if not builds or not has_proposals_to_try(crossing, view):
        return None
    found = try_proposals(crossing, AttemptBudget(builds), work)
    work.on_line(summary_of(found))
    return found


def has_proposals_to_try(crossing: Crossing, view: BuildView) -> bool:
    """Whether the last build is of the project as it is, has causes with proposals, and none of them was tried yet."""
    last = crossing.read(LAST_BUILD)
    if last is None or view.is_stale or view.passed or crossing.read(ATTEMPTS).log == last.log:
        return False
    return any(map(_worth_trying, view.causes))


def try_proposals(crossing: Crossing, budget: AttemptBudget, work: Work) -> Attempts:
    """Try the proposals of the last build and keep the verdicts. Nothing is written into the project.

    It stops when the project changes meanwhile. Raises MisuseError where there is nothing to try or another attempt runs,
    TrustNeeded, CommandError, Cancelled.
    """
    try:
        with locked(crossing.scratch("attempts") / "lock"):
            return _Trying(crossing, budget, work).run()
    except Held as error:
        raise MisuseError(
            tr("proposals of this crossing are being tried by {holder}", holder=error.holder),
            tr("Wait for it to finish, or stop it there."),
        ) from error


# The edits of some fixes by file.
_ByFile = Mapping[TreePath, list[CodeEdit]]


class _Trying:
    """One run: the verdicts so far, the good fixes that stay in the copy, and the proposals still to try."""

    def __init__(self, crossing: Crossing, budget: AttemptBudget, work: Work) -> None:
        self._crossing, self._budget, self._work = crossing, budget, work
        self._scan = scan_crossing(crossing, work)
        view = inspect_build(self._scan, crossing, work.token)
        last = crossing.read(LAST_BUILD)
        if last is None or not view.rounds or view.is_stale:
            raise MisuseError(
                tr("proposals are tried after a build, and files changed since the last one"), tr("Build first.")
            )
        self._log = last.log
        self._copy = AttemptCopy(crossing.scratch("attempts"))
        self._found: dict[tuple[str, str], Attempt] = {}
        self._good: dict[str, Fix] = {}
        self._waiting = {
            item.cause.key: deque(_worth_trying(item)[: budget.proposals])
            for item in view.causes
            if _worth_trying(item)
        }
        self._alone: deque[tuple[str, Fix]] = deque()
        self._before = _errors_of(view)
        changes = leg_rules(self._scan, crossing, work).changes
        # Names that the new release does not have any more under their old owners, or that are imported from elsewhere.
        self._gone = frozenset(item.old.name for item in changes if item.old and _is_gone(item, item.old.name))
        self._reuse(view, crossing.read(ATTEMPTS))
        self._seen = fingerprint(crossing, self._scan, NOT_BUILT)
        self._builds = 0
        self._ends = time.monotonic() + budget.seconds

    def _reuse(self, view: BuildView, former: Attempts) -> None:
        """Take the verdicts of an earlier build for proposals of causes that have as many errors as then."""
        verdicts = {(item.cause, item.rule): item for item in former.found}
        counts = {item.cause.key: item.cause.count for item in view.causes}
        for cause, queue in self._waiting.items():
            while queue and (known := verdicts.get((cause, queue[0].rule.id))) and known.errors == counts[cause]:
                fix = queue.popleft()
                self._found[cause, fix.rule.id] = known
                if known.is_good:
                    self._good[cause] = fix
                    queue.clear()

    def run(self) -> Attempts:
        if not self._waiting:
            raise MisuseError(tr("no cause has a proposal that could be tried"))
        stopped = ""
        while not stopped and (batch := self._next_batch()):
            stopped = self._build(batch) or self._reason_to_stop()
        result = Attempts(self._log, tuple(self._found.values()), self._builds, stopped)
        self._crossing.keep(ATTEMPTS, result)
        return result

    def _next_batch(self) -> dict[str, Fix]:
        """The next proposals of the causes that wait, by cause; where none is left, one that failed among others."""
        while any(self._waiting.values()):
            batch = {cause: queue[0] for cause, queue in self._waiting.items() if queue}
            _, left_out = edits_together({**self._good, **batch})
            if fitting := {cause: fix for cause, fix in batch.items() if fix.rule.id not in left_out}:
                return fitting
            for cause in batch:  # each changes the same place as a good one
                self._waiting[cause].popleft()
        while self._alone:
            cause, fix = self._alone.popleft()
            if cause not in self._good and fix.rule.id not in edits_together({**self._good, cause: fix})[1]:
                return {cause: fix}
        return {}

    def _reason_to_stop(self) -> str:
        waits = any(self._waiting.values()) or self._alone
        if fingerprint(self._crossing, scan_crossing(self._crossing, self._work), NOT_BUILT) != self._seen:
            return tr("stopped because the project changed")
        if waits and self._builds >= self._budget.builds:
            return tr("stopped after {builds}", builds=count(self._builds, "build"))
        if waits and time.monotonic() > self._ends:
            return tr("stopped after {seconds}", seconds=seconds(self._budget.seconds))
        return ""

    def _build(self, batch: Mapping[str, Fix]) -> str:
        """Build with a batch in addition to the good fixes and judge all. Returns why that is impossible, "" if it is not."""
        self._work.check()
        tried = {**self._good, **batch}
        edits, _ = edits_together(tried)
        texts = {}
        for path, listed in edits.items():
            file = read_project_text(self._scan.project, path)
            texts[path] = file.with_text(apply_edits(file.text, listed)).encode()
        self._copy.fill(self._scan, texts, self._work)
        more = {"project": str(self._copy.project), "build": str(self._copy.build), "out": str(self._copy.out)}
        call = CommandCall("build", Stage.BUILD, tr("proposals are tried"), more=more)
        finished = run_elsewhere(self._crossing, self._scan, call, self._work)
        self._builds += 1
        after = self._errors_after(finished.output, edits)
        if finished.status != 0 and not self._got_as_far(tried, after):
            return tr("stopped because the build in the copy did not get as far as that of the project")
        for cause, fix in tried.items():
            verdict = judge(cause, fix, self._before, after)
            verdict = replace(verdict, is_telling=is_telling(fix, self._text_of))
            self._settle(cause, fix, verdict, tried_alone=len(tried) == 1)
        return ""

    def _got_as_far(self, tried: Collection[str], after: Sequence[tuple[ErrorAt, object]]) -> bool:
        """Whether a failed build met any of the errors that nothing was tried for; without such errors, any error at all."""
        left = {error for error, _ in after}
        others = [error for error in self._before if error.cause not in tried]
        return any(error in left for error in others) if others else bool(left)

    def _settle(self, cause: str, fix: Fix, attempt: Attempt, *, tried_alone: bool) -> None:
        self._found[cause, fix.rule.id] = attempt
        queue = self._waiting.get(cause, deque())
        if attempt.is_good:
            self._good[cause] = fix
            queue.clear()
            return
        self._good.pop(cause, None)
        if queue and queue[0] is fix:
            queue.popleft()
            if not tried_alone:
                self._alone.append((cause, fix))

    def _errors_after(self, output: bytes, edits: _ByFile) -> list[tuple[ErrorAt, Collection[CodeEdit]]]:
        """The errors of the copy, at the lines of the project, each with the edits that wrote its line."""
        files = ProjectFiles(self._copy.project, self._scan.manifest.files)
        context = replace(
            owner_context(self._scan, self._crossing),
            project=self._copy.project, files=files, scratch=(self._copy.build, self._copy.out),
        )  # fmt: skip
        owned = find_owners(read_log(output, self._scan.profile.diagnostic), context)
        new, _ = split_known(owned, known_errors(self._crossing))
        lines = {str(path): EditedLines(self._scan.read(path) or "", listed) for path, listed in edits.items()}
        found: list[tuple[ErrorAt, Collection[CodeEdit]]] = []
        for cause in find_causes(new, self._line_of, base_reader(self._scan, self._work.token)):
            for error in cause.errors:
                place, edited = error.place, lines.get(error.place.file)
                if edited is None:
                    found.append((ErrorAt(cause.key, place.file, place.line), ()))
                else:
                    at = ErrorAt(cause.key, place.file, edited.before(place.line))
                    edits_here = edited.edits_at(place.line)
                    found.append((at, () if self._was_hidden(cause, edits_here) else edits_here))
        return found

    def _was_hidden(self, cause: Cause, edits: Sequence[CodeEdit]) -> bool:
        """Whether an error is about another name that the release lost, which the compiler only now gets to: in a chain of calls it
        stops at the first."""
        written = {word for edit in edits for word in _WORD.findall(edit.new)}
        return cause.kind in MISSING and cause.symbol in self._gone and cause.symbol not in written

    def _text_of(self, path: TreePath) -> str:
        return self._scan.read(path) or ""

    def _line_of(self, file: str, line: int) -> str:
        if file not in self._scan.manifest.files:
            return ""
        lines = read_project_text(self._copy.project, TreePath(file)).text.split("\n")
        return lines[line - 1] if 0 < line <= len(lines) else ""


def _is_gone(change: ApiChange, name: str) -> bool:
    return change.new is None or change.new.name != name or change.kind == "imported-from"


def _worth_trying(item: CauseView) -> Sequence[Fix]:
    """The fixes of a cause that a build can judge: none that leaves a placeholder."""
    if item.put_off or (item.fixes and item.fixes[0].removes):
        return ()
    return [fix for fix in item.fixes if not fix.rule.leaves_placeholder]


def _errors_of(view: BuildView) -> tuple[ErrorAt, ...]:
    return tuple(
        ErrorAt(item.cause.key, error.place.file, error.place.line)
        for item in view.causes
        for error in item.cause.errors
    )


def edits_together(fixes: Mapping[str, Fix]) -> tuple[_ByFile, frozenset[str]]:
    """The edits of some fixes by file, and the rules left out because another one changes the same place.

    Several causes can have one rule, each with its own places.
    """
    edits: dict[TreePath, list[CodeEdit]] = {}
    left_out = set()
    for fix in fixes.values():
        if any(_overlap(edit, other) for edit in fix.edits for other in edits.get(edit.path, ())):
            left_out.add(fix.rule.id)
            continue
        for edit in fix.edits:
            if edit not in edits.setdefault(edit.path, []):
                edits[edit.path].append(edit)
    return edits, frozenset(left_out)


def _overlap(one: CodeEdit, other: CodeEdit) -> bool:
    """Whether two different edits change the same text, or insert different ones at the same place."""
    return one != other and one.start <= other.end and other.start <= one.end
