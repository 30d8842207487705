"""Rename a symbol."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.fix.receiver_types import Owners
from fernshale.core.fix.rules import RenameRule
from fernshale.core.fix.tokens import name_indexes, name_starts, tokenize


def find(rule: RenameRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    # If a tool reported the place, it knows the type better than the text shows.
    if rule.named or not rule.of:
        for start in name_starts(text, path, rule.old):
            yield start, start + len(rule.old), rule.new
        return
    tokens = tokenize(text, path)
    owner = Owners(tokens, rule.of, path)
    for index in name_indexes(text, path, rule.old):
        if not owner.is_another(index):
            yield tokens[index].start, tokens[index].end, rule.new
