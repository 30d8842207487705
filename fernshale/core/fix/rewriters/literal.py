"""Replace numbers and strings."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.fix.calls import find_calls
from fernshale.core.fix.rules import LiteralRule
from fernshale.core.fix.tokens import literal_text, tokenize


def find(rule: LiteralRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    spans = [(0, len(tokens))]
    if rule.call:
        spans = [
            arguments[rule.position - 1]
            for _, _, arguments in find_calls(text, path, rule.call)
            if len(arguments) >= rule.position
        ]
    for token in (token for first, last in spans for token in tokens[first:last]):
        if token.kind in ("number", "string") and token.text == rule.old:
            yield token.start, token.end, rule.new
        elif token.kind == "string" and (inside := literal_text(token.text)) == rule.old:
            at = token.text.rindex(inside) if inside else 0
            yield token.start + at, token.start + at + len(inside), literal_text(rule.new)
