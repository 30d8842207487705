"""Find where statements begin and end, to remove them or to put lines next to them."""

from __future__ import annotations

from collections.abc import Sequence

from fernshale.core.fix.code_patterns import Match
from fernshale.core.fix.tokens import Token


def is_statement(tokens: Sequence[Token], match: Match, text: str) -> bool:
    """Return whether the match is a complete statement, so that it can be removed."""
    first, last = tokens[match.first], tokens[match.last - 1]
    before = tokens[match.first - 1] if match.first else None
    after = tokens[match.last] if match.last < len(tokens) else None
    if last.text == ";":
        return before is None or before.text in (";", "{", "}", ":")
    # Where lines end statements, it has lines of its own.
    is_first = before is None or "\n" in text[before.end : first.start]
    return is_first and (after is None or "\n" in text[last.end : after.start])


def whole_line(text: str, start: int, end: int) -> tuple[int, int]:
    """Return the line with its end if nothing else is on it, so that removing a statement leaves no blank line."""
    first = text.rfind("\n", 0, start) + 1
    last = text.find("\n", end) + 1 or len(text)
    alone = not text[first:start].strip() and not text[end:last].strip()
    return (first, last) if alone else (start, end)


def indent_of(line: str) -> str:
    return line[: len(line) - len(line.lstrip(" \t"))]
