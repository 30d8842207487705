"""Take imports out of files that do not use what they import."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.base.languages import C_FAMILY
from fernshale.core.fix.imports import uses_beside_imports, without_import
from fernshale.core.fix.rules import UnimportRule


def find(rule: UnimportRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    if path.endswith(C_FAMILY) or not uses_beside_imports(rule.old, path, text):
        yield from without_import(rule.old, path, text)
