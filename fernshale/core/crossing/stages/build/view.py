"""The last round as values: causes, their fixes, silent changes, debts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from fernshale.core.base.confidence import AUTOMATIC_FROM
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr, tr_kept
from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import CONVERSION, MEMBER, last_name
from fernshale.core.build.owners import Owned
from fernshale.core.build.round_history import CauseState, Round
from fernshale.core.crossing.deferred.code import Debt
from fernshale.core.crossing.project.interface_changes import Used
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.stages.build.actions import FixScope
from fernshale.core.crossing.stages.build.changed_types import gives_other
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.fix.apply import CodeEdit, only_some
from fernshale.core.fix.rules import MarkRule, Rule
from fernshale.core.profile.model import Role


@dataclass(frozen=True, slots=True)
class Fix:
    """A rule with all places it would change. `named` are those on lines that the compiler reported; `clears` counts errors.

    It is applied automatically from the confidence `automatic_from` on, and never where `doubt` gives a reason to look first.
    `tried` is the verdict of a build in a copy of the project, "" before it was tried.
    """

    rule: Rule
    source: str
    edits: tuple[CodeEdit, ...]
    removes: tuple[TreePath, ...]
    named: tuple[CodeEdit, ...]
    clears: int
    confidence: float
    automatic_from: float = AUTOMATIC_FROM
    doubt: str = ""
    tried: str = ""

    @property
    def is_automatic(self) -> bool:
        return self.confidence >= self.automatic_from and not self.doubt

    @property
    def is_guess(self) -> bool:
        """Whether only examples say that the code needs it."""
        return isinstance(self.rule, MarkRule)

    @property
    def evidence(self) -> tuple[str, ...]:
        """The evidence for the fix, and the reason to look first."""
        return tuple(filter(None, (self.tried, tr_kept(self.rule.why), self.source, self.doubt)))

    @property
    def places(self) -> frozenset[tuple[str, int]]:
        """File and line of each edit."""
        return frozenset((str(edit.path), edit.line) for edit in self.edits)

    @property
    def files(self) -> tuple[TreePath, ...]:
        return tuple(sorted({edit.path for edit in self.edits} | set(self.removes)))


@dataclass(frozen=True, slots=True)
class ChosenEdits:
    """A fix and where it is to be applied: everywhere, in the file of the edit `at`, or there alone ("here")."""

    fix: Fix
    scope: FixScope = "everywhere"
    at: CodeEdit | None = None

    @property
    def edits(self) -> tuple[CodeEdit, ...]:
        """The edits within the scope. Raises MisuseError where a place is needed and none is given."""
        if self.scope == "everywhere":
            return self.fix.edits
        at = self.at
        if at is None:
            raise MisuseError(tr("say where the fix is to be applied"))
        same_file = [edit for edit in self.fix.edits if edit.path == at.path]
        return only_some(same_file, lambda edit: self.scope == "file" or edit == at)

    @property
    def removes(self) -> tuple[TreePath, ...]:
        """The files that are removed: only where the fix is applied everywhere."""
        return self.fix.removes if self.scope == "everywhere" else ()

    @property
    def key(self) -> str:
        """The key under which the decision is kept."""
        everywhere = f"fix:{self.fix.rule.id}"
        return (
            everywhere
            if self.at is None or self.scope == "everywhere"
            else f"{everywhere}:{self.at.path}:{self.at.line}"
        )


@dataclass(frozen=True, slots=True)
class RefusedRule:
    """A rule about the symbol of a cause that is no option for it. `reason` is a predicate of the rule."""

    rule: Rule
    reason: str

    @property
    def words(self) -> str:
        return f"“{tr_kept(self.rule.name)}” {self.reason}"


@dataclass(frozen=True, slots=True)
class CauseView:
    """A cause and its fixes, best first. `open` counts errors whose lines were not changed since the build.

    `state` is its history over the rounds. A cause that was put off has no high-confidence fix. `left_out` is the plugin that had
    what is missing and was left out. A cause is settled when all its lines were changed since the build and nothing is
    proposed, or a fix for all of it was applied, `handled_by`. `refused` are rules about its symbol that are no option.
    `no_code` is a file with its errors, and the role of that, if none of its files has a role for code.
    """

    cause: Cause
    fixes: tuple[Fix, ...]
    open: int
    state: CauseState
    put_off: bool = False
    left_out: str = ""
    is_settled: bool = False
    refused: tuple[RefusedRule, ...] = ()
    handled_by: str = ""
    no_code: tuple[str, Role] | None = None

    @property
    def settled_words(self) -> str:
        """What was done about it since the build."""
        return (
            tr("handled: {handled_by}; the next build shows it", handled_by=self.handled_by)
            if self.handled_by
            else tr("changed since the build")
        )

    @property
    def automatic(self) -> tuple[Fix, ...]:
        """The high-confidence fixes: the best one, and those for other errors of the cause at other places."""
        if not self.fixes or not self.fixes[0].is_automatic:
            return ()
        found = [self.fixes[0]]
        clears, taken = found[0].clears, set(found[0].places)
        for fix in self.fixes[1:]:
            is_for_others = fix.edits and clears + fix.clears <= self.cause.count and taken.isdisjoint(fix.places)
            if fix.is_automatic and is_for_others:
                found.append(fix)
                clears += fix.clears
                taken |= fix.places
        return tuple(found)

    @property
    def key(self) -> str:
        """The key of its open item."""
        return f"cause:{self.cause.key}"


def files_with_errors(causes: Sequence[CauseView]) -> frozenset[str]:
    """The files in which the last build found errors."""
    return frozenset(error.place.file for item in causes for error in item.cause.errors)


@dataclass(frozen=True, slots=True)
class BuildView:
    """The last round and what to do about it.

    `silent` are fixes that no tool reports an error for; `drift` are all changes of interfaces that the project's code uses;
    `debts` is code that is switched off. Fixes are applied automatically from the confidence `sure_from` on. `defaults` are
    items about calls whose arguments changed meaning, `pins` by their keys the fixes that write the old meaning. `right` are
    the keys and titles of changes that a person accepted. `before` are errors of the last build that were there before the
    upgrade; they are in no cause. `is_stale`: files changed since that build.
    """

    rounds: tuple[Round, ...]
    causes: tuple[CauseView, ...]
    silent: tuple[Fix, ...]
    drift: tuple[Used, ...]
    debts: tuple[Debt, ...]
    is_stale: bool
    passed: bool
    items: tuple[Item, ...]
    automatic_from: float = AUTOMATIC_FROM
    defaults: tuple[Item, ...] = ()
    pins: Mapping[str, Fix] = field(default_factory=dict)
    right: tuple[tuple[str, str], ...] = ()
    before: tuple[Owned, ...] = ()

    @property
    def broken_files(self) -> frozenset[str]:
        """The files in which the last build found errors."""
        return files_with_errors(self.causes)

    def change_of(self, cause: Cause) -> ApiChange | None:
        """The change of an interface that a cause stems from, None where comparing the releases found none."""
        fitting = [item.change for item in self.drift if item.change.symbol.name == cause.symbol]
        scope = last_name(cause.scope) if cause.scope else ""
        if fitting or cause.kind not in (MEMBER, CONVERSION):
            return next(
                (item for item in fitting if item.symbol.scope[-1:] == (scope,)), fitting[0] if fitting else None
            )
        # A missing member or a wrong type may come from a function that returned another type before.
        given = [item for item in self.drift if gives_other(item.change, scope or last_name(cause.symbol))]
        return max(given, key=lambda item: item.uses).change if given else None

    @property
    def automatic(self) -> tuple[Fix, ...]:
        """The high-confidence fixes, each once."""
        found = {fix.rule.id: fix for view in self.causes for fix in view.automatic}
        found.update({fix.rule.id: fix for fix in self.silent if fix.is_automatic})
        return tuple(found.values())

    @property
    def every_fix(self) -> tuple[Fix, ...]:
        """All fixes of the view, those of causes first."""
        return (*(fix for view in self.causes for fix in view.fixes), *self.silent, *self.pins.values())
