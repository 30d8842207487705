"""What the user's own changes since the last build teach: rules that do the same at the other places of a cause."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from difflib import SequenceMatcher

from fernshale.core.base.errors import StoreError
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.base.words import count
from fernshale.core.build.causes import Cause
from fernshale.core.crossing.ground import Ground
from fernshale.core.crossing.rules import LEARNED
from fernshale.core.crossing.state import Crossing
from fernshale.core.fix.learn import Lines, count_other_places, learn_rules
from fernshale.core.fix.rules import Rule
from fernshale.core.snapshot.manifest import EMPTY, Manifest

# A change of more lines than this at once is no example of one thing.
_MOST_LINES = 12


def learn_from_changes(ground: Ground, crossing: Crossing, snapshot: str, causes: Sequence[Cause]) -> tuple[Rule, ...]:
    """Rules out of what was changed by hand on lines with errors, for the errors that are still there.

    `snapshot` is of the tree that was built. Only a rule that changes other places of its cause is told.
    """
    try:
        built = crossing.store.manifest(snapshot) if snapshot else EMPTY
    except StoreError:
        return ()
    rules = []
    for cause in causes:
        done = {
            (error.diagnostic.place.file, error.diagnostic.place.line)
            for error in cause.errors
            if error.place.line == 0
        }
        if not done or all(error.place.line == 0 for error in cause.errors):
            continue
        others = _open_places(ground, cause)
        for path, before, after, line in _hunks(ground, crossing, built, cause):
            id = LEARNED + hashlib.sha256(f"{before}\0{after}".encode()).hexdigest()[:10]
            why = f"as you changed it in {printable(path)}:{line}"
            rule = next(iter(learn_rules(before, after, path, others, id, why)), None)
            if rule is None:
                continue
            wanted, beside = count_other_places(rule, others)
            if wanted:
                rules.append(_with_confidence(rule, wanted, beside))
                break
    return tuple(rules)


def _with_confidence(rule: Rule, wanted: int, beside: int) -> Rule:
    """Offered, and never taken by itself: one example is one example."""
    why = f"{rule.why}; {count(wanted, 'other place')} like it" + (
        f", {beside} more that no error names" if beside else ""
    )
    return replace(rule, why=why, confidence=0.85 if not beside else 0.7, named=beside > 0)


def _open_places(ground: Ground, cause: Cause) -> list[Lines]:
    """The errors of a cause whose lines were not changed yet, by file."""
    lines: dict[str, set[int]] = defaultdict(set)
    for error in cause.errors:
        if error.place.line > 0 and error.place.file in ground.manifest.files:
            lines[error.place.file].add(error.place.line)
    found = []
    for file, numbers in lines.items():
        text = ground.read(TreePath(file))
        if text is not None:
            found.append(Lines(TreePath(file), text, frozenset(numbers)))
    return found


def _hunks(ground: Ground, crossing: Crossing, built: Manifest, cause: Cause) -> list[tuple[TreePath, str, str, int]]:
    """What was changed on lines of the cause since the build: file, text before, text after, line as it is now."""
    wanted: dict[str, set[int]] = defaultdict(set)
    for error in cause.errors:
        if error.place.line == 0 and error.diagnostic.place.line:
            wanted[error.place.file].add(error.diagnostic.place.line - 1)
    hunks = []
    for file, numbers in wanted.items():
        path = TreePath(file)
        before, now = built.files.get(path), ground.manifest.files.get(path)
        if before is None or now is None or before.content == now.content:
            continue
        try:
            old = read_text(crossing.store.get(before.content))
        except StoreError:
            continue
        text = ground.read(path)
        if old is None or text is None:
            continue
        ours, theirs = old.text.split("\n"), text.split("\n")
        for tag, first, last, start, stop in SequenceMatcher(None, ours, theirs, autojunk=False).get_opcodes():
            touches = any(first <= number < last for number in numbers)
            if tag == "replace" and touches and max(last - first, stop - start) <= _MOST_LINES:
                hunks.append((path, "\n".join(ours[first:last]), "\n".join(theirs[start:stop]), start + 1))
    return hunks
