"""Rules that remove imports of removed names from files that do not use them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fernshale.core.base.confidence import GONE_HEADER, UNUSED_IMPORT
from fernshale.core.base.languages import C_FAMILY
from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause, last_name
from fernshale.core.build.message_patterns import HEADER, MISSING
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.fix.imports import uses_beside_imports, without_import
from fernshale.core.fix.rules import Rule, UnimportRule


def with_gone_imports(rules: LegRules, causes: Sequence[Cause], scan: ProjectScan) -> LegRules:
    """`rules`, and rules that remove the imports that causes are about."""
    wanted = [cause for cause in causes if cause.symbol and cause.kind in (*MISSING, HEADER)]
    return rules.with_further("imports of removed names", (rule for cause in wanted for rule in _rules_of(cause, scan)))


def _rules_of(cause: Cause, scan: ProjectScan) -> Iterator[Rule]:
    name = cause.symbol if cause.kind == HEADER else last_name(cause.symbol)
    texts = [(file, scan.read(TreePath(file))) for file in cause.files if file in scan.manifest.files]
    unused = [
        file
        for file, text in texts
        if text is not None
        and (file.endswith(C_FAMILY) == (cause.kind == HEADER))
        and next(without_import(name, file, text), None) is not None
        and (cause.kind == HEADER or not uses_beside_imports(name, file, text))
    ]
    if unused:
        is_header = cause.kind == HEADER
        why = (
            "the new release has no such file"
            if is_header
            else f"the new release has no {name}, and these files do not use it"
        )
        yield UnimportRule(
            f"unimport-{name}", why, title=f"remove the import of {name}", old=name, named=True,
            confidence=GONE_HEADER if is_header else UNUSED_IMPORT,
        )  # fmt: skip
