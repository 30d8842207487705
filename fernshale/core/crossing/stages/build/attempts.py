"""What became of the errors of a cause when its fix was tried in a copy of the project.

A compiler can judge whether a name exists and fits. It cannot judge whether a dropped argument was needed, or a value is the
right one; a fix of such a kind is tried as well, and never gains confidence by it.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import NamedTuple

from fernshale.core.base.confidence import ODDS_CLEARED, ODDS_FAILED
from fernshale.core.base.languages import ENDINGS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.crossing.stages.build.view import Fix
from fernshale.core.fix.apply import CodeEdit
from fernshale.core.fix.dropped_text import dropped_by
from fernshale.core.fix.rules import (
    CallRule,
    DeclareRule,
    HeaderRule,
    ImportRule,
    LinesRule,
    MoveRule,
    ReimportRule,
    RenameRule,
    Rule,
)

# Kinds that only write another name, so that a compiler's verdict is about all that they change. Of these, a rename is judged
# where types decide: at calls, in a language in which arguments of another type are errors.
_OF_NAMES: tuple[type[Rule], ...] = (RenameRule, MoveRule, HeaderRule, ImportRule, ReimportRule)
_TYPES_UNCHECKED = (*ENDINGS["c"], *ENDINGS["lua"], *ENDINGS["javascript"], *ENDINGS["python"])
_CALL = lazy_pattern(r"\s*\(")


@dataclass(frozen=True, slots=True)
class Attempt:
    """The verdict on a fix of a cause: how many of `errors` vanished, and how many new ones appeared at the changed places.

    `is_telling`: the tool would have found a wrong fix. It cannot where only a constant changes, or a dropped argument.
    """

    cause: str
    rule: str
    cleared: int
    errors: int
    brought: int
    is_telling: bool = False

    @property
    def is_good(self) -> bool:
        return self.cleared > 0 and not self.brought

    @property
    def words(self) -> str:
        brings = tr("brings {brought}", brought=self.brought) if self.brought else tr("brings none")
        said = tr(
            "tried: clears {cleared} of {errors}, {brings}", cleared=self.cleared, errors=self.errors, brings=brings
        )
        if self.is_good and not self.is_telling:
            said += tr("; the tool cannot tell whether it means the same")
        return said


@dataclass(frozen=True, slots=True)
class Attempts:
    """All verdicts of one build of the project, known by its log. `stopped` says why not everything was tried, "" if it was."""

    log: str = ""
    found: tuple[Attempt, ...] = ()
    builds: int = 0
    stopped: str = ""


ATTEMPTS: Fact[Attempts] = Fact(
    "attempts",
    Attempts(),
    lambda data: Attempts(**{**data, "found": tuple(Attempt(**item) for item in data["found"])}),
    asdict,
    per_leg=True,
)


def with_verdicts(cause: str, fixes: Sequence[Fix], attempts: Mapping[tuple[str, str], Attempt]) -> tuple[Fix, ...]:
    """The fixes of a cause with the verdicts on them as evidence, best first."""
    tried = {fix.rule.id: attempts[cause, fix.rule.id] for fix in fixes if (cause, fix.rule.id) in attempts}
    judged = [_with_verdict(fix, tried.get(fix.rule.id)) for fix in fixes]
    failed = {id for id, attempt in tried.items() if not attempt.is_good}
    telling = {id for id, attempt in tried.items() if attempt.is_good and attempt.is_telling}
    result = [fix for fix in judged if fix.rule.id not in failed]
    # List failed fixes after those that a build proved right, and after fixes with at least their confidence.
    for fix in (fix for fix in judged if fix.rule.id in failed):
        better = [
            at for at, other in enumerate(result) if other.rule.id in telling or other.confidence >= fix.confidence
        ]
        result.insert(better[-1] + 1 if better else 0, fix)
    return tuple(result)


def _with_verdict(fix: Fix, attempt: Attempt | None) -> Fix:
    if attempt is None:
        return fix
    confidence = fix.confidence
    if not attempt.is_good:
        confidence = _with_odds(confidence, ODDS_FAILED)
    elif attempt.is_telling and attempt.cleared >= fix.clears:
        confidence = _with_odds(confidence, ODDS_CLEARED)
    return replace(fix, confidence=confidence, tried=attempt.words)


def _with_odds(confidence: float, factor: float) -> float:
    if confidence >= 1.0:
        return confidence
    odds = confidence / (1 - confidence) * factor
    return odds / (1 + odds)


def is_telling(fix: Fix, text_of: Callable[[TreePath], str]) -> bool:
    """Return whether a build would find that a fix is wrong. `text_of` returns the text that its edits are of."""
    if isinstance(fix.rule, DeclareRule):
        return True  # an annotation changes what the checker reports, and nothing else
    if isinstance(fix.rule, CallRule):
        # The types of the object and of each argument are checked at their new places.
        return not fix.rule.loses and not any(edit.path.endswith(_TYPES_UNCHECKED) for edit in fix.edits)
    if isinstance(fix.rule, LinesRule):
        is_typed = not any(edit.path.endswith(_TYPES_UNCHECKED) for edit in fix.edits)
        return is_typed and not dropped_by(fix.rule, fix.edits, is_declared=False)
    if isinstance(fix.rule, ImportRule) and fix.rule.text.startswith("#define"):
        return False
    if not isinstance(fix.rule, RenameRule):
        return isinstance(fix.rule, _OF_NAMES)
    used = [edit for edit in fix.edits if not edit.is_import and not edit.is_added_import]
    return bool(used) and all(
        not edit.path.endswith(_TYPES_UNCHECKED) and _CALL.match(text_of(edit.path), edit.end) is not None
        for edit in used
    )


class ErrorAt(NamedTuple):
    """An error as it is recognised again: the key of its cause, and file and line before any edit."""

    cause: str
    file: str
    line: int


class EditedLines:
    """The lines of a text after some edits, and which lines they were before. `text` is the one from before."""

    def __init__(self, text: str, edits: Sequence[CodeEdit]) -> None:
        self._parts = []
        moved = 0
        for edit in sorted(edits, key=lambda edit: edit.start):
            removed, added = edit.old.count("\n"), edit.new.count("\n")
            first = edit.line + moved
            # Whole lines in place of whole lines, or of none, do not reach into the next one.
            is_whole = (not edit.start or text[edit.start - 1] == "\n") and edit.new.endswith("\n")
            last = first + added - (is_whole and (not edit.old or edit.old.endswith("\n")))
            self._parts.append((first, last, edit, removed))
            moved += added - removed

    def before(self, line: int) -> int:
        """The line, 1-based, that a line of the edited text was."""
        moved = 0
        for first, last, edit, removed in self._parts:
            if first <= line <= last:
                return edit.line + min(line - first, removed)
            if line > last:
                moved += edit.new.count("\n") - removed
        return line - moved

    def edits_at(self, line: int) -> tuple[CodeEdit, ...]:
        """The edits that wrote a line of the edited text."""
        return tuple(edit for first, last, edit, _ in self._parts if first <= line <= last)


def judge(
    cause: str,
    fix: Fix,
    before: Sequence[ErrorAt],
    after: Sequence[tuple[ErrorAt, Collection[CodeEdit]]],
) -> Attempt:
    """The verdict on a fix. `before` are all errors of the project, `after` those of the copy, each with the edits that wrote
    its line."""
    own = [error for error in before if error.cause == cause]
    left = {error for error, _ in after}
    known = set(before)
    edits = set(fix.edits)
    brought = sum(error not in known and not edits.isdisjoint(at) for error, at in after)
    return Attempt(cause, fix.rule.id, sum(error not in left for error in own), len(own), brought)


def summary_of(attempts: Attempts) -> str:
    """What trying the proposals found, in one sentence."""
    good, tried = sum(item.is_good for item in attempts.found), len(attempts.found)
    were = tr("was") if tried == 1 else tr("were")
    found = {
        0: tr("none clears errors without bringing others"),
        1: tr("1 clears errors and brings none"),
    }.get(good, tr("{good} clear errors and bring none", good=good))
    said = tr(
        "{proposals} {were} tried in {builds} of a copy: {found}",
        proposals=count(tried, "proposal"),
        were=were,
        builds=count(attempts.builds, "build"),
        found=found,
    )
    return f"{said}; {attempts.stopped}" if attempts.stopped else said
