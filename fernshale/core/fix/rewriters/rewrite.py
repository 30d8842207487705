"""Replace code that matches a pattern with metavariables."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence

from fernshale.core.base.languages import C_FAMILY
from fernshale.core.base.textfile import line_end
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.code_patterns import ACCESS, META, Match, all_matches, find_matches, parse_pattern
from fernshale.core.fix.rules import RewriteRule
from fernshale.core.fix.statements import indent_of, is_statement, whole_line
from fernshale.core.fix.tokens import Token, tokenize


def find(rule: RewriteRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    has_pointers = path.endswith(C_FAMILY)
    found = tuple(find_matches(parse_pattern(rule.pattern, has_pointers), tokens))
    done = _already_rewritten(rule, tokens, has_pointers) if found else []
    for match in found:
        if any(first <= match.first and match.last <= last for first, last in done):
            continue
        start, end = tokens[match.first].start, tokens[match.last - 1].end
        new = _filled(rule.replacement, match, tokens, text, has_pointers)
        if not new:
            if not is_statement(tokens, match, text):
                continue  # a value or a branch would be left with nothing
            start, end = whole_line(text, start, end)
            new = _in_its_place(text, path, start, end)
        yield start, end, new


def _already_rewritten(rule: RewriteRule, tokens: Sequence[Token], has_pointers: bool) -> list[tuple[int, int]]:
    """Return token spans that look like the replacement: matches inside them were already rewritten."""
    if not META.sub("", rule.replacement).strip():
        return []  # it could not be distinguished from other code
    if _only_removes(rule):
        return []  # what is left is no match any more
    return [(match.first, match.last) for match in all_matches(parse_pattern(rule.replacement, has_pointers), tokens)]


def _only_removes(rule: RewriteRule) -> bool:
    """Return whether the replacement has nothing but parts of the pattern, each at most as often."""
    parts = [Counter(token.text for token in tokenize(text, "")) for text in (rule.replacement, rule.pattern)]
    return parts[0] < parts[1]


def _filled(template: str, match: Match, tokens: Sequence[Token], text: str, has_pointers: bool) -> str:
    """Return the replacement with its metavariables filled in. Access to a metavariable's members keeps its operator: of an
    object, or through a pointer."""

    def value(found: re.Match[str]) -> str:
        span = match.bound.get(found["meta"])
        if span is None:
            return found[0]
        asked = tokens[span[1]].text if has_pointers and span[1] < match.last else ""
        access = asked if found["access"] and asked in ACCESS else found["access"] or ""
        return (text[tokens[span[0]].start : tokens[span[1] - 1].end] if span[1] > span[0] else "") + access

    return re.sub(r"\$\$?(?P<meta>\w+)(?P<access>\.|->)?", value, template)


def _in_its_place(text: str, path: str, start: int, end: int) -> str:
    """Return the text that has to replace a removed line: a Python block may not be empty."""
    if not path.endswith(PYTHON) or text[start - 1 : start] not in ("", "\n"):
        return ""
    indent = indent_of(text[start:end])
    before = next((line for line in reversed(text[:start].split("\n")) if line.strip()), "")
    after = next((line for line in text[end:].split("\n") if line.strip()), "")
    is_alone = len(indent_of(before)) < len(indent) > len(indent_of(after))
    return f"{indent}pass{line_end(text)}" if is_alone else ""
