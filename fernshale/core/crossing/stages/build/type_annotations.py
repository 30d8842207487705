"""Rules that add type annotations for checkers: variables that are empty first, and variables whose first value is misleading.

Once a release declares types, checkers report code that they skipped before and that is as correct as it was.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import EMPTY, NUMBER, UNTYPED
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.rules import DeclareRule, Rule
from fernshale.core.fix.untyped_declarations import FLOAT, declarations

_WHY = {
    EMPTY: "it is set to a {} before it is used; the checker cannot see that it is empty only until then",
    UNTYPED: "it is set to a {}, and the checker wants that declared",
    NUMBER: "it is a {} later on, and its first value is a whole number",
}


def with_declared(rules: LegRules, causes: Sequence[Cause], scan: ProjectScan) -> LegRules:
    """`rules`, and rules that annotate the variables that causes are about."""
    return rules.with_further(
        "the types assigned to it", (rule for cause in causes if cause.symbol for rule in _rules_of(cause, scan))
    )


def _rules_of(cause: Cause, scan: ProjectScan) -> Iterator[Rule]:
    if cause.kind in _WHY:
        for type_, confidence in _types(cause, scan).items():
            why, id = _WHY[cause.kind].format(type_), f"declare-{cause.symbol}-{type_}"
            yield DeclareRule(id, why, old=cause.symbol, new=type_, confidence=confidence, named=True)


def _types(cause: Cause, scan: ProjectScan) -> dict[str, float]:
    """The classes assigned to the variable of a cause, with the lowest confidence of any place."""
    found: dict[str, float] = {}
    for file in cause.files:
        text = scan.read(TreePath(file)) if file.endswith(PYTHON) and file in scan.manifest.files else None
        for item in declarations(text, cause.symbol) if text is not None else ():
            if (item.type == FLOAT) == (cause.kind == NUMBER):
                found[item.type] = min(item.confidence, found.get(item.type, 1.0))
    return found
