"""Annotate Python variables and fields with a type."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.rules import DeclareRule
from fernshale.core.fix.untyped_declarations import declarations


def find(rule: DeclareRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    for item in declarations(text, rule.old) if path.endswith(PYTHON) else ():
        if item.type == rule.new:
            yield item.start, item.end, item.new
