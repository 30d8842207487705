"""Replace included files, and imported modules of scripts."""

from __future__ import annotations

import re
from collections.abc import Iterator

from fernshale.core.base.languages import SCRIPTS
from fernshale.core.fix.rules import HeaderRule
from fernshale.core.fix.tokens import name_starts


def find(rule: HeaderRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    if path.endswith(SCRIPTS):
        wanted = rf"""\b(?P<word>from|import|require)\s*\(?\s*(["'])(?:[^"'\n]*/)?(?P<module>{re.escape(rule.old)})\2"""
        found = list(re.finditer(wanted, text))
        starts = {start for word in {item["word"] for item in found} for start in name_starts(text, path, word)}
        yield from ((*item.span("module"), rule.new) for item in found if item.start() in starts)
        return
    pattern = rf'^[ \t]*#[ \t]*(?:include|import)[ \t]*[<"]({re.escape(rule.old)})[>"]'
    for line in re.finditer(pattern, text, re.MULTILINE):
        yield line.start(1), line.end(1), rule.new
