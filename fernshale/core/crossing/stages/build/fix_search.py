"""The fixes for a cause: which rules apply, at which places, and with what confidence."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cache, cached_property, partial

from fernshale.core.base.confidence import SHARE_BY_LINE, SHARE_BY_SYMBOL
from fernshale.core.base.globs import matches
from fernshale.core.base.languages import ENDINGS
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause
from fernshale.core.build.diagnostics import SourcePlace
from fernshale.core.build.message_patterns import CALL, MISSING, NAME, TYPE, last_name
from fernshale.core.build.owners import OwnerContext, all_places
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.rules.sources import LEARNED, LegRules
from fernshale.core.crossing.stages.build.doubts import find_doubt, find_removal_doubt
from fernshale.core.crossing.stages.build.rule_filters import FAR_KINDS, Case, find_refusal, words_of
from fernshale.core.crossing.stages.build.view import Fix, RefusedRule
from fernshale.core.fix.apply import CodeEdit, only_some
from fernshale.core.fix.expression_span import expression_lines
from fernshale.core.fix.names_in_scope import declaring_lines, global_uses, is_own_variable
from fernshale.core.fix.rules import CallRule, DeleteRule, HeaderRule, MoveRule, ReimportRule, RenameRule, Rule

# The lines below the head of a class in which a new member may be inserted.
_HEAD_LINES = 12

# The length of the longest operator before a member, where some compilers place an error.
_OPERATOR = 2

# File and 1-based line.
Spot = tuple[str, int]


@dataclass(frozen=True)
class FixSearch:
    """Searches fixes for the causes of a round.

    `shape` maps places of the log to the project as it was built; `near` the same, but a line that a fix changed stays where it
    was: another mention of the reported symbol on it is meant, too. From `sure_from` on a fix is applied automatically.
    """

    live: Sequence[Rule]
    rules: LegRules
    edits: Mapping[str, tuple[CodeEdit, ...]]
    shape: OwnerContext
    near: OwnerContext
    scan: ProjectScan

    def find(self, cause: Cause, automatic_from: float) -> tuple[tuple[Fix, ...], tuple[RefusedRule, ...]]:
        """The fixes for a cause, best first, and the rules about it that were refused, each with the reason."""
        own = self._own_variables(cause)
        as_built, as_now = _lines(cause, self.shape, own), _lines(cause, self.near, own)
        # Worked out at most once, and only where a rule asks for it.
        spans = [
            set if number in own else cache(partial(_expression_at, error.place, self.scan))
            for number, error in enumerate(cause.errors)
        ]
        fixes, refused = [], []
        for rule in self._worth_trying(cause, set().union(*as_built, *as_now)):
            case = Case(rule, cause, self.edits.get(rule.id, ()))
            if isinstance(rule, DeleteRule):
                fixes += self._removal(rule, case, automatic_from)
                continue
            reason = find_refusal(case)
            if not reason:
                lines = as_now if case.names_symbol else as_built
                fix = self._fix(case, lines, spans, automatic_from)
                if fix is not None:
                    fixes.append(fix)
                    continue
                reason = (
                    tr("{symbol} is a variable here, and its declaration has an error", symbol=cause.symbol)
                    if len(own) == len(cause.errors)
                    else tr("matches at none of the reported places")
                )
            if case.names_symbol:
                refused.append(RefusedRule(rule, reason))
        # A rule that only matches on the same line is for another cause when another rule names the reported symbol.
        meant = [fix for fix in fixes if Case(fix.rule, cause, ()).names_symbol]
        best = sorted(
            meant or fixes, key=lambda fix: (not _is_of(fix.rule, cause), -fix.confidence, -fix.clears, fix.rule.id)
        )
        return _each_once(best), tuple(refused)

    def _own_variables(self, cause: Cause) -> frozenset[int]:
        """The numbers of the errors about a variable that the file itself declares: they go with the error of its declaration."""
        if cause.kind not in (NAME, TYPE) or cause.scope:
            return frozenset()
        places = ((number, error.place) for number, error in enumerate(cause.errors))
        return frozenset(
            number
            for number, place in places
            if place.line > 0
            and place.file in self.scan.manifest.files
            and is_own_variable(self.scan.read(TreePath(place.file)) or "", place.file, place.line, cause.symbol)
        )

    def _worth_trying(self, cause: Cause, spots: Collection[Spot]) -> list[Rule]:
        """The rules, in order, that change a line of the cause, that are about its symbol, or that may be for any cause."""
        by_spot, by_word, others = self._index
        found = set(others)
        for spot in spots:
            found.update(by_spot.get(spot, ()))
        found.update(by_word.get(cause.symbol, ()))
        return [self.live[number] for number in sorted(found)]

    @cached_property
    def _index(self) -> tuple[Mapping[Spot, list[int]], Mapping[str, list[int]], list[int]]:
        """The numbers of the rules by the lines that they change and by the words that they are about; and those that need neither:
        for certain messages, files, learned changes, or names that are no words."""
        by_spot: dict[Spot, list[int]] = {}
        by_word: dict[str, list[int]] = {}
        others = []
        for number, rule in enumerate(self.live):
            for spot in {spot for edit in self.edits.get(rule.id, ()) for spot in self._lines_of(edit)}:
                by_spot.setdefault(spot, []).append(number)
            for word in words_of(rule):
                by_word.setdefault(word, []).append(number)
            is_other = isinstance(rule, DeleteRule | MoveRule | HeaderRule | ReimportRule)
            if is_other or rule.diagnostic or rule.id.startswith(LEARNED):
                others.append(number)
        return by_spot, by_word, others

    def _lines_of(self, edit: CodeEdit) -> frozenset[Spot]:
        known = self._lines.get(id(edit))
        if known is None:
            known = self._lines[id(edit)] = frozenset(_lines_of(edit))
        return known

    @cached_property
    def _lines(self) -> dict[int, frozenset[Spot]]:
        """The lines of each edit by its identity: the edits of a search live as long as it."""
        return {}

    def _touching(self, edits: Sequence[CodeEdit], spots: set[Spot]) -> tuple[CodeEdit, ...]:
        return tuple(edit for edit in edits if not self._lines_of(edit).isdisjoint(spots))

    def _removal(self, rule: DeleteRule, case: Case, automatic_from: float) -> list[Fix]:
        """The fix that removes the files of a rule, where the message is one it is for and there are such files."""
        removes = tuple(path for path in self.scan.manifest.paths() if matches(rule.files, path))
        if not any(case.messages_fit) or not removes:
            return []
        doubt = find_removal_doubt(self.scan, self.rules, rule, removes)
        confidence = SHARE_BY_SYMBOL * rule.confidence
        return [
            Fix(rule, self.rules.source(rule), (), removes, (), case.cause.count, confidence, automatic_from, doubt)
        ]

    def _fix(
        self, case: Case, lines: list[set[Spot]], spans: Sequence[Callable[[], set[Spot]]], automatic_from: float
    ) -> Fix | None:
        """The fix of a rule for a cause; None where it matches at none of the places. `lines` are those of each error."""
        rule, cause, edits = case.rule, case.cause, case.edits
        if case.messages_fit:
            lines = [item if fits else set() for item, fits in zip(lines, case.messages_fit, strict=True)]
        here, places = self._here(case, lines, spans)
        if not here:
            return None
        if rule.named:
            edits = self._near(case, here)
            if not edits:
                return None
        clears = cause.count if case.adds_the_member else self._count_cleared(cause, here, places)
        # With a placeholder, the error only becomes another one.
        clears = 0 if rule.leaves_placeholder else clears
        confidence = rule.confidence * (SHARE_BY_SYMBOL if case.names_symbol else SHARE_BY_LINE)
        doubt = find_doubt(rule, edits, self.rules, self.scan, automatic_from)
        return Fix(rule, self.rules.source(rule), edits, (), here, clears, confidence, automatic_from, doubt)

    def _here(
        self, case: Case, lines: list[set[Spot]], spans: Sequence[Callable[[], set[Spot]]]
    ) -> tuple[tuple[CodeEdit, ...], list[set[Spot]]]:
        """The edits at the places of the errors, and these places, widened where the edit may be further away."""
        rule, cause, edits = case.rule, case.cause, case.edits
        if type(rule) in FAR_KINDS:
            return _in_files(edits, lines)
        # A missing member is named by itself; the place for it may be far from the head of its class.
        if case.adds_the_member:
            return edits, lines
        here = self._touching(edits, set().union(*lines))
        if not here and rule.id.startswith(LEARNED):
            # A person may have changed what a line with an error uses where that is declared.
            lines = [item | self._declaring(item) for item in lines]
            return self._touching(edits, set().union(*lines)), lines
        if not (rule.named and cause.kind in (*MISSING, CALL) and case.names_symbol):
            return here, lines
        # Where no edit is on the reported line, one further down in the expression that begins there is meant.
        on = set().union(*map(self._lines_of, here))
        places = [item if item & on else item | span() for item, span in zip(lines, spans, strict=True)]
        return self._touching(edits, set().union(*places)), places

    def _count_cleared(self, cause: Cause, here: Sequence[CodeEdit], places: Sequence[set[Spot]]) -> int:
        """The number of errors with an edit on their line; of several on a line, those with an edit at their column, if any has."""
        spots = set().union(*map(self._lines_of, here))
        hit = [error for error, item in zip(cause.errors, places, strict=True) if item & spots]
        by_line: dict[Spot, list[int]] = {}
        for error in hit:
            by_line.setdefault((error.place.file, error.place.line), []).append(error.place.column)
        cleared = 0
        for (file, line), columns in by_line.items():
            at = self._columns_of(file, line, here) if len(columns) > 1 and all(columns) else ()
            exact = sum(any(first <= column <= last for first, last in at) for column in columns)
            cleared += exact or len(columns)
        return cleared

    def _columns_of(self, file: str, line: int, edits: Sequence[CodeEdit]) -> list[tuple[int, int]]:
        """The columns of a line (from 1) that edits change, with an operator before each; none where the line has tabs, which tools
        count in different ways."""
        text = self.scan.read(TreePath(file)) or ""
        found = []
        for edit in edits:
            if edit.path == file and edit.line == line:
                begin = text.rfind("\n", 0, edit.start) + 1
                if "\t" in text[begin : edit.start]:
                    return []
                found.append((edit.start - begin + 1 - _OPERATOR, edit.end - begin))
        return found

    def _also_undeclared(self, case: Case) -> dict[TreePath, frozenset[int]]:
        """The characters, by file, where an undeclared name of C is used: compilers report it once for each function, or once for
        each file."""
        rule, cause = case.rule, case.cause
        is_global = cause.kind in (NAME, TYPE) and not cause.scope and cause.symbol in rule.symbols
        if not (is_global and isinstance(rule, RenameRule) and not rule.of):
            return {}
        paths = {TreePath(error.place.file) for error in cause.errors if error.place.file.endswith(ENDINGS["c"])}
        texts = {path: self.scan.read(path) for path in paths if path in self.scan.manifest.files}
        return {path: global_uses(text, path, cause.symbol) for path, text in texts.items() if text is not None}

    def _near(self, case: Case, here: Sequence[CodeEdit]) -> tuple[CodeEdit, ...]:
        """The edits of a rule whose name alone is not enough: at reported places, in files that import the name there, and where an
        undeclared name of C is used."""
        rule, also = case.rule, self._also_undeclared(case)
        importing = {edit.path for edit in case.edits if _takes_import(rule, edit)}
        # A name without an object is the imported one, also where the tool reports the import elsewhere or not at all.
        imported = {
            edit.path for edit in here if edit.path in importing and (_takes_import(rule, edit) or self._is_bare(edit))
        }
        return only_some(
            case.edits, lambda edit: edit in here or edit.path in imported or edit.start in also.get(edit.path, ())
        )

    def _is_bare(self, edit: CodeEdit) -> bool:
        """Whether the name that an edit changes is written without an object or a scope before it."""
        text = self.scan.read(edit.path) or ""
        return not text[: edit.start].rstrip().endswith((".", "->", "::"))

    def _declaring(self, spots: set[Spot]) -> set[Spot]:
        """The places that declare what some places use, in the same file."""
        found = set()
        for file in {file for file, _ in spots}:
            text = self.scan.read(TreePath(file)) if file in self.scan.manifest.files else None
            lines = {line for other, line in spots if other == file}
            found |= {(file, line) for line in declaring_lines(text, file, lines)} if text is not None else set()
        return found


def _each_once(fixes: Sequence[Fix]) -> tuple[Fix, ...]:
    """The fixes without those that change the same text in the same way as one before: classes that lost one method alike."""
    found: dict[object, Fix] = {}
    for fix in fixes:
        found.setdefault((fix.edits, fix.removes), fix)
    return tuple(found.values())


def _in_files(edits: Sequence[CodeEdit], lines: list[set[Spot]]) -> tuple[tuple[CodeEdit, ...], list[set[Spot]]]:
    """The edits in the files of some places, at any distance; and the places together with those of the edits."""
    files = [{file for file, _ in item} for item in lines]
    here = tuple(edit for edit in edits if edit.path in set().union(*files))
    spots = [{(str(edit.path), edit.line) for edit in here if edit.path in of} for of in files]
    return here, [item | more for item, more in zip(lines, spots, strict=True)]


def _lines(cause: Cause, shape: OwnerContext, without: Collection[int]) -> list[set[Spot]]:
    """The lines that each error of a cause names; none for an error whose line is unknown by now, and for those `without`."""
    places = (
        () if number in without else all_places(error.diagnostic, shape) for number, error in enumerate(cause.errors)
    )
    return [{(place.file, place.line) for place in listed if place.line > 0} for listed in places]


def _expression_at(place: SourcePlace, scan: ProjectScan) -> set[Spot]:
    """The lines of the expression that begins at a place."""
    text = scan.read(TreePath(place.file)) if place.line > 0 and place.file in scan.manifest.files else None
    if text is None:
        return set()
    return {(place.file, line) for line in expression_lines(text, place.file, place.line, place.column)}


def _is_of(rule: Rule, cause: Cause) -> bool:
    """Whether a rule is for the type that the errors are about, or for no type in particular."""
    return not (rule.owner and cause.scope) or rule.owner.split(".")[-1] == last_name(cause.scope)


def _lines_of(edit: CodeEdit) -> set[Spot]:
    """The lines an edit touches. An inserted member also touches the lines above, where the head of its class may be."""
    count = edit.old.count("\n") + 1
    lines = {(str(edit.path), edit.line + offset) for offset in range(count)}
    if edit.start == edit.end and edit.new.endswith("\n"):
        lines |= {(str(edit.path), edit.line - back) for back in range(1, _HEAD_LINES)}
    return lines


def _takes_import(rule: Rule, edit: CodeEdit) -> bool:
    """Whether an edit takes out or renames an import, so that all other places in the file are meant as well."""
    return edit.new_if_some is not None or (isinstance(rule, RenameRule | CallRule) and edit.is_import)
