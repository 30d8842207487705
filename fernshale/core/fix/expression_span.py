"""Find the end of an expression: checkers report its start, and the error may be lines below."""

from __future__ import annotations

from bisect import bisect_left

from fernshale.core.base.textfile import split_lines
from fernshale.core.fix.tokens import tokenize

_OPENING, _CLOSING, _ENDING = ("(", "[", "{"), (")", "]", "}"), (",", ";", ":")
# Beginnings of continuation lines.
_GOES_ON = (".", "?.", "?", "->", "::", "+", "-", "*", "/", "|", "||", "&", "&&", "and", "or")


def expression_lines(text: str, path: str, line: int, column: int) -> range:
    """The lines of the expression that begins at `line` and `column` (1-based; column 0 is the line's start)."""
    offset = sum(map(len, split_lines(text)[: line - 1])) + max(0, column - 1)
    tokens = tokenize(text, path)
    depth, end = 0, offset
    for token in tokens[bisect_left(tokens, offset, key=lambda token: token.start) :]:
        is_new_line = depth == 0 and end > offset and "\n" in text[end : token.start]
        if is_new_line and token.text not in _GOES_ON:
            break
        if token.text in _OPENING:
            depth += 1
        elif token.text in _CLOSING:
            depth -= 1
        if depth < 0 or (depth == 0 and token.text in _ENDING):
            break
        end = token.end
    return range(line, line + text.count("\n", offset, end) + 1)
