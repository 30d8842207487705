"""Turn statements into comments."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.base.languages import C_FAMILY
from fernshale.core.fix.code_patterns import Match, find_matches, parse_pattern
from fernshale.core.fix.commenting_out import as_comments
from fernshale.core.fix.rules import SwitchOffRule
from fernshale.core.fix.statements import is_statement
from fernshale.core.fix.tokens import tokenize


def find(rule: SwitchOffRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    for match in find_matches(parse_pattern(rule.pattern, path.endswith(C_FAMILY)), tokens):
        is_ended = match.last < len(tokens) and tokens[match.last].text == ";" and tokens[match.last - 1].text != ";"
        statement = Match(match.first, match.last + is_ended, match.bound)
        start, end = tokens[statement.first].start, tokens[statement.last - 1].end
        first, last = text.rfind("\n", 0, start) + 1, text.find("\n", end)
        last = len(text) if last < 0 else last
        # A branch, or code on the same line, would be left without a statement.
        if (
            is_statement(tokens, statement, text)
            and not text[first:start].strip()
            and not tokenize(text[end:last], path)
        ):
            yield first, last, "\n".join(as_comments(text[first:last].split("\n"), path, f"switched off, {rule.why}: "))
