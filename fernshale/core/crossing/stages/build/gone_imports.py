"""Rules that remove imports of removed names from files that do not use them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fernshale.core.base.confidence import GONE_HEADER, UNUSED_IMPORT
from fernshale.core.base.languages import C_FAMILY
from fernshale.core.base.texts import english
from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import HEADER, MISSING, last_name
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.fix.apply import find_edits
from fernshale.core.fix.rules import Rule, UnimportRule


def with_gone_imports(rules: LegRules, causes: Sequence[Cause], scan: ProjectScan) -> LegRules:
    """`rules`, and rules that remove the imports that causes are about."""
    wanted = [cause for cause in causes if cause.symbol and cause.kind in (*MISSING, HEADER)]
    return rules.with_further("imports of removed names", (rule for cause in wanted for rule in _rules_of(cause, scan)))


def _rules_of(cause: Cause, scan: ProjectScan) -> Iterator[Rule]:
    is_header = cause.kind == HEADER
    name = cause.symbol if is_header else last_name(cause.symbol)
    why = (
        english("{name} is not found", name=name)
        if is_header
        else english("{name} is not found, and these files do not use it", name=name)
    )
    rule = UnimportRule(
        f"unimport-{name}", why, title=english("remove the import of {name}", name=name), old=name, named=True,
        confidence=GONE_HEADER if is_header else UNUSED_IMPORT,
    )  # fmt: skip
    files = (TreePath(file) for file in cause.files if file in scan.manifest.files)
    if any(find_edits(rule, file, scan.read(file) or "") for file in files if file.endswith(C_FAMILY) == is_header):
        yield rule
