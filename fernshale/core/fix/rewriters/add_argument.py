"""Add an argument to calls."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.fix.calls import declares, find_calls
from fernshale.core.fix.rules import AddArgumentRule
from fernshale.core.fix.tokens import tokenize


def find(rule: AddArgumentRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    for name, end, arguments in find_calls(text, path, rule.call):
        if declares(tokens, name, end, path, text):
            continue
        if len(arguments) != (rule.arguments or rule.position - 1) or rule.position > len(arguments) + 1:
            continue
        if not arguments:
            yield tokens[end - 1].start, tokens[end - 1].start, rule.text
        elif rule.position > len(arguments):
            spot = tokens[arguments[-1][1] - 1].end
            yield spot, spot, f", {rule.text}"
        else:
            spot = tokens[arguments[rule.position - 1][0]].start
            yield spot, spot, f"{rule.text}, "
