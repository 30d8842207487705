"""Rules that write what a compiler itself suggests below its errors."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from fernshale.core.base.confidence import SUGGESTED_CHANGE
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import english
from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause
from fernshale.core.build.diagnostics import SuggestedLine
from fernshale.core.build.owners import OwnerContext, place_in_project
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.fix.rules import LineChange, LinesRule

_NO_WORD = lazy_pattern(r"[^\w.]+")
# How compilers show a tab.
_TAB = "    "
# More different messages than this make no pattern that anyone reads.
_MAX_MESSAGES = 40


def with_suggested_changes(
    rules: LegRules, causes: Sequence[Cause], scan: ProjectScan, context: OwnerContext
) -> LegRules:
    """`rules`, and for each cause one that makes the changes that the compiler suggests at its errors.

    `context` maps places of the log to the project; a line that was changed since the build has no suggestion any more. Where a
    compiler suggests one change or another, none is taken.
    """
    found = (_rule_of(cause, scan, context) for cause in causes)
    return rules.with_further("the compiler", filter(None, found))


def _rule_of(cause: Cause, scan: ProjectScan, context: OwnerContext) -> LinesRule | None:
    changes = tuple(dict.fromkeys(_changes(cause, scan, context)))
    messages = sorted({error.diagnostic.message for error in cause.errors if len(error.diagnostic.suggestions) == 1})
    if not changes or len(messages) > _MAX_MESSAGES:
        return None
    return LinesRule(
        f"suggested-{_NO_WORD.sub('-', cause.key)}", english("the compiler suggests it"), changes=changes, symbol=cause.symbol,
        diagnostic="|".join(f"^{re.escape(message)}$" for message in messages), named=True, confidence=SUGGESTED_CHANGE,
    )  # fmt: skip


def _changes(cause: Cause, scan: ProjectScan, context: OwnerContext) -> Iterator[LineChange]:
    for error in cause.errors:
        if len(error.diagnostic.suggestions) != 1:
            continue
        changes = [_change(line, scan, context) for line in error.diagnostic.suggestions[0]]
        # Half of a suggestion is none.
        if None not in changes:
            yield from filter(None, changes)


def _change(line: SuggestedLine, scan: ProjectScan, context: OwnerContext) -> LineChange | None:
    place = place_in_project(line.place, context)
    if place is None or place.line <= 0 or place.file not in scan.manifest.files:
        return None
    lines = (scan.read(TreePath(place.file)) or "").split("\n")
    if place.line > len(lines):
        return None
    there = lines[place.line - 1].removesuffix("\r")
    if there.replace("\t", _TAB) != line.old:
        return None
    indent, shown = (text[: len(text) - len(text.lstrip())] for text in (there, line.old))
    if "\t" in there.lstrip() or not line.new.startswith(shown):
        return None
    new = indent + line.new[len(shown) :]
    return LineChange(place.file, place.line, there, new) if new != there else None
