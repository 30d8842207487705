"""Add import lines to files that use a name without importing it."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.fix.imports import with_import
from fernshale.core.fix.rules import ImportRule


def find(rule: ImportRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    yield from with_import(rule.text, rule.old, path, text)
