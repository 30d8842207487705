"""Rules that add type annotations for checkers: variables that are empty first, and variables whose first value is misleading.

Once a release declares types, checkers report code that they skipped before and that is as correct as it was.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from pathlib import Path

from fernshale.core.base.confidence import PERHAPS_CLASS
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import EMPTY, NUMBER, UNTYPED, last_name
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.project.source_texts import texts_with
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.drift.symbols import CONTAINER
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.rules import DeclareRule, Rule
from fernshale.core.fix.untyped_declarations import FLOAT, declarations
from fernshale.core.inference.release_lookup import declared

# Modules of Python whose names with a capital are classes.
_WITH_CLASSES = (
    "collections", "pathlib", "decimal", "fractions", "datetime", "threading", "queue", "random", "string", "uuid", "io", "logging",
)  # fmt: skip
_WHY = {
    EMPTY: tr("it is set to a {} before it is used; the checker cannot see that it is empty only until then"),
    UNTYPED: tr("it is set to a {}, and the checker wants that declared"),
    NUMBER: tr("it is a {} later on, and its first value is a whole number"),
}


def with_declared(rules: LegRules, causes: Sequence[Cause], scan: ProjectScan, release: Path | None) -> LegRules:
    """`rules`, and rules that annotate the variables that causes are about. `release` is the folder of the new release."""
    return rules.with_further(
        "the types assigned to it",
        (rule for cause in causes if cause.symbol for rule in _rules_of(cause, scan, release)),
    )


def _rules_of(cause: Cause, scan: ProjectScan, release: Path | None) -> Iterator[Rule]:
    if cause.kind in _WHY:
        for type_, confidence in _types(cause, scan, release).items():
            why, id = _WHY[cause.kind].format(type_), f"declare-{cause.symbol}-{type_}"
            yield DeclareRule(id, why, old=cause.symbol, new=type_, confidence=confidence, named=True)


def _types(cause: Cause, scan: ProjectScan, release: Path | None) -> dict[str, float]:
    """The classes assigned to the variable of a cause, with the lowest confidence of any place."""
    found: dict[str, float] = {}
    for file in cause.files:
        text = scan.read(TreePath(file)) if file.endswith(PYTHON) and file in scan.manifest.files else None
        for item in declarations(text, cause.symbol) if text is not None else ():
            if (item.type == FLOAT) == (cause.kind == NUMBER):
                # A name with a capital letter may be a function.
                is_class = item.type == FLOAT or _is_class(item.type, text or "", scan, release)
                confidence = item.confidence if is_class else min(item.confidence, PERHAPS_CLASS)
                found[item.type] = min(confidence, found.get(item.type, 1.0))
    return found


def _is_class(type_: str, text: str, scan: ProjectScan, release: Path | None) -> bool:
    """Whether a name is that of a class: of the project, of the engine, or one of Python's own that the file imports."""
    name = last_name(type_)
    if re.search(rf"^\s*from\s+(?:{'|'.join(_WITH_CLASSES)})\s+import\b.*\b{name}\b", text, re.MULTILINE):
        return True
    if type_.partition(".")[0] in _WITH_CLASSES and type_ != name:
        return True
    head = re.compile(rf"^\s*class\s+{name}\b", re.MULTILINE)
    if any(head.search(other) for other in texts_with(scan, {name}, CancelToken()).values()):
        return True
    return release is not None and any(item.kind in CONTAINER for item in declared(release, name, "python"))
