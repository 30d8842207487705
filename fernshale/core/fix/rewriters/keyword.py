"""Rename keyword arguments of calls."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.fix.calls import find_calls
from fernshale.core.fix.rules import KeywordRule
from fernshale.core.fix.tokens import tokenize


def find(rule: KeywordRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    for _, _, arguments in find_calls(text, path, rule.call):
        for first, last in arguments:
            if last - first > 2 and tokens[first].text == rule.old and tokens[first + 1].text in ("=", ":"):
                yield tokens[first].start, tokens[first].end, rule.new
