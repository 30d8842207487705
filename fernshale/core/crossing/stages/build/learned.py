"""Rules learned from the user's own edits since the last build: they make the same change at the other places of a cause."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from difflib import SequenceMatcher
from functools import cached_property
from itertools import accumulate
from typing import NamedTuple

from fernshale.core.base.confidence import LEARNED_CHANGE, LEARNED_CHANGE_OF_MORE
from fernshale.core.base.errors import StoreError
from fernshale.core.base.textfile import read_text
from fernshale.core.base.texts import count, tr, tr_kept
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.base.work import CancelToken
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import IMPLEMENT, last_name
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.rules.search import find_all_edits
from fernshale.core.crossing.rules.sources import LEARNED
from fernshale.core.fix.member_from_edit import AddedLines, learn_member
from fernshale.core.fix.names_in_scope import declaring_lines
from fernshale.core.fix.rule_from_edit import EditLines, contradicts, count_other_places, learn_rules
from fernshale.core.fix.rules import Rule
from fernshale.core.snapshot.manifest import EMPTY, Manifest
from fernshale.core.survey.roles import role_of

# An edit of more lines at once is no example of a single change.
_MAX_LINES = 12
# Maximum number of edits of a cause to learn from.
_MAX_EXAMPLES = 20


def learn_from_changes(
    scan: ProjectScan, crossing: Crossing, snapshot: str, causes: Sequence[Cause]
) -> tuple[Rule, ...]:
    """Rules from edits by hand on lines with errors, for the errors that are left.

    `snapshot` is the tree that was built. Only rules that change other places of the same cause are returned.
    """
    try:
        built = crossing.store.manifest(snapshot) if snapshot else EMPTY
    except StoreError:
        return ()
    rules = []
    changes = _Changes(scan, crossing, built)
    for cause in causes:
        if cause.kind == IMPLEMENT and (rule := _member_rule(scan, cause, changes)) is not None:
            rules.append(rule)
            continue
        if not any(map(changes.is_changed, cause.files)):
            continue
        others = _open_places(scan, cause)
        rule = _rule_from(_replaced(changes, cause), others) if others else None
        if rule is None and others and (hunks := _at_declarations(changes, cause)):
            rule = _rule_from(hunks, _with_declarations(others))
        if rule is not None:
            rules.append(rule)
    return tuple(rules)


def _rule_from(hunks: Sequence[_Hunk], others: Sequence[EditLines]) -> Rule | None:
    """The rule from the first of some edits that has other places, and that contradicts none of the other edits."""
    for hunk in hunks[:_MAX_EXAMPLES]:
        id, why = _id_and_reason(hunk.path, hunk.line, f"{hunk.before}\0{hunk.after}")
        further = [other for other in hunks if not _overlap(other, hunk)]
        for rule in learn_rules(hunk.before, hunk.after, hunk.path, others, id, why):
            wanted, additional = count_other_places(rule, others)
            if wanted and not any(contradicts(rule, other.before, other.after, other.path) for other in further):
                return _with_confidence(rule, wanted, additional)
    return None


def _overlap(one: _Hunk, other: _Hunk) -> bool:
    return one.path == other.path and one.first < other.last and other.first < one.last


def _with_declarations(others: Sequence[EditLines]) -> list[EditLines]:
    """The lines that declare what the lines with errors use, in place of those."""
    return [replace(item, lines=declaring_lines(item.text, item.path, item.lines)) for item in others]


def _at_declarations(changes: _Changes, cause: Cause) -> list[_Hunk]:
    """The edits since the build on lines that declare what a line with an error of the cause uses."""
    found = []
    for file, lines in _built_lines(cause, only_changed=False).items():
        old = changes.text_before(file) if changes.is_changed(file) else None
        hunks = [hunk for hunk in changes.hunks(file) if hunk.kind == "replace"] if old is not None else []
        declaring = declaring_lines(old, file, lines) if old is not None and hunks else frozenset()
        found += [hunk for hunk in hunks if any(hunk.first < line <= hunk.last for line in declaring)]
    return found


def _replaced(changes: _Changes, cause: Cause) -> list[_Hunk]:
    """The edits on lines of the cause since the build."""
    return [
        hunk
        for file, lines in _built_lines(cause, only_changed=True).items()
        for hunk in changes.hunks(file)
        if hunk.kind == "replace" and any(hunk.first < line <= hunk.last for line in lines)
    ]


def _built_lines(cause: Cause, *, only_changed: bool) -> Mapping[str, set[int]]:
    """The lines (1-based) of a cause's errors in the tree that was built, by file; only those that were changed since, or all."""
    lines: dict[str, set[int]] = defaultdict(set)
    for error in cause.errors:
        if error.diagnostic.place.line and not (only_changed and error.place.line):
            lines[error.place.file].add(error.diagnostic.place.line)
    return lines


def _id_and_reason(path: TreePath, line: int, change: str) -> tuple[str, str]:
    """The id and the reason of a rule that is learned from a change."""
    return LEARNED + hashlib.sha256(change.encode()).hexdigest()[:10], tr(
        "as you changed it in {path}:{line}", path=printable(path), line=line
    )


def _member_rule(scan: ProjectScan, cause: Cause, changes: _Changes) -> Rule | None:
    """A member that has to be there and was put into one class, for the other classes that lack it."""
    base = last_name(cause.scope) if cause.scope else ""
    for hunk in changes.inserted:
        if cause.symbol in hunk.after:
            id, why = _id_and_reason(hunk.path, hunk.line, hunk.after)
            rule = learn_member(AddedLines(hunk.text, hunk.path, hunk.start, hunk.end), cause.symbol, base, id, why)
            edits = find_all_edits(scan, [rule], CancelToken())[rule.id] if rule is not None else ()
            if rule is not None and edits:
                return _with_confidence(rule, len(edits), 0)
    return None


class _Changes:
    """The changes of a project since a build, computed on demand."""

    def __init__(self, scan: ProjectScan, crossing: Crossing, built: Manifest) -> None:
        self._scan, self._crossing, self._built = scan, crossing, built
        self._hunks: dict[str, tuple[_Hunk, ...]] = {}

    @cached_property
    def inserted(self) -> tuple[_Hunk, ...]:
        """The lines that were inserted into the project's own files."""
        own = (path for path in self._scan.files if role_of(self._scan.profile, path).role == "own")
        return tuple(hunk for path in own for hunk in self.hunks(path) if hunk.kind == "insert")

    def is_changed(self, file: str) -> bool:
        """Whether a file was changed by hand: changes that rules made teach nothing new."""
        before, now = self._built.files.get(TreePath(file)), self._scan.manifest.files.get(TreePath(file))
        if before is None or now is None:
            return False
        content = before.content
        for was, became in self._by_rules.get(file, ()):
            content = became if was == content else content
        return content != now.content

    @cached_property
    def _by_rules(self) -> Mapping[str, Sequence[tuple[str, str]]]:
        """By file, the contents before and after each step that applied a rule, in order."""
        found: dict[str, list[tuple[str, str]]] = defaultdict(list)
        for entry in self._crossing.logbook():
            if entry.state == "done" and entry.changes is not None and entry.applied_rule:
                for change in entry.changes.files:
                    if change.before is not None and change.after is not None:
                        found[change.path].append((change.before.content, change.after.content))
        return found

    def text_before(self, file: str) -> str | None:
        """The text of a file as it was built; None where it is no text, or not kept any more."""
        try:
            old = read_text(self._crossing.store.get(self._built.files[TreePath(file)].content))
        except StoreError:
            return None
        return old.text if old is not None else None

    def hunks(self, file: str) -> tuple[_Hunk, ...]:
        """The differences of a file to its state at the build; none where either is no text."""
        if file not in self._hunks:
            self._hunks[file] = tuple(self._compared(TreePath(file))) if self.is_changed(file) else ()
        return self._hunks[file]

    def _compared(self, path: TreePath) -> Iterator[_Hunk]:
        old, text = self.text_before(path), self._scan.read(path)
        if old is None or text is None:
            return
        ours, theirs = old.split("\n"), text.split("\n")
        starts = [0, *accumulate(len(line) + 1 for line in theirs)]
        for kind, first, last, start, stop in SequenceMatcher(None, ours, theirs, autojunk=False).get_opcodes():
            if kind not in ("replace", "insert") or max(last - first, stop - start) > _MAX_LINES:
                continue
            # Lines next to each other that were changed one by one are examples of their own.
            spans = [(first, last, start, stop)]
            if kind == "replace" and last - first == stop - start > 1:
                pairs = zip(range(first, last), range(start, stop), strict=True)
                spans = [*((was, was + 1, now, now + 1) for was, now in pairs if ours[was] != theirs[now]), *spans]
            for begin, end, here, there in spans:
                lines = "\n".join(ours[begin:end]), "\n".join(theirs[here:there])
                yield _Hunk(path, kind, *lines, here + 1, text, starts[here], min(starts[there], len(text)), begin, end)


def _with_confidence(rule: Rule, wanted: int, additional: int) -> Rule:
    """The confidence of one example: it is proposed and never applied automatically."""
    why = tr("{why}; {other_places} like it", why=tr_kept(rule.why), other_places=count(wanted, "other place")) + (
        tr(", {additional} more that no error names", additional=additional) if additional else ""
    )
    return replace(
        rule, why=why, confidence=LEARNED_CHANGE if not additional else LEARNED_CHANGE_OF_MORE, named=additional > 0
    )


def _open_places(scan: ProjectScan, cause: Cause) -> list[EditLines]:
    """The errors of a cause whose lines were not changed yet, by file."""
    lines: dict[str, set[int]] = defaultdict(set)
    for error in cause.errors:
        if error.place.line > 0 and error.place.file in scan.manifest.files:
            lines[error.place.file].add(error.place.line)
    found = []
    for file, numbers in lines.items():
        text = scan.read(TreePath(file))
        if text is not None:
            found.append(EditLines(TreePath(file), text, frozenset(numbers)))
    return found


class _Hunk(NamedTuple):
    """A few lines that were replaced or inserted: before and after, the 1-based line and the characters of `text` they are at
    now, and the 0-based lines `first`..`last` they were at."""

    path: TreePath
    kind: str
    before: str
    after: str
    line: int
    text: str
    start: int
    end: int
    first: int
    last: int
