"""Whether code uses the result of a call."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from itertools import takewhile

from fernshale.core.fix.tokens import Token, group_end, group_start, operand_start, tokenize

_BETWEEN_STATEMENTS = (";", "{", "}")
_HEADS = ("if", "while", "for", "switch")


def uses_result(text: str, path: str, at: int) -> bool:
    """Whether the result of the call whose name ends at character `at` is used, in a language whose statements end with `;`. False
    where that is no call."""
    tokens = tokenize(text, path)
    index = bisect_left(tokens, at, key=lambda token: token.start)
    if index >= len(tokens) or tokens[index].text != "(":
        return False
    end = group_end(tokens, index)
    start = operand_start(tokens, end)
    return start is None or end >= len(tokens) or tokens[end].text != ";" or not _begins_statement(tokens, start)


def _begins_statement(tokens: Sequence[Token], start: int) -> bool:
    if not start or tokens[start - 1].text in (*_BETWEEN_STATEMENTS, "else", "do"):
        return True
    if tokens[start - 1].text == ")":
        # The head of a condition or loop, or a cast.
        opening = group_start(tokens, start - 1)
        return (opening > 0 and tokens[opening - 1].text in _HEADS) or _begins_statement(tokens, opening)
    if tokens[start - 1].text == ":":
        # A label, or the last part of a choice between two values.
        before = takewhile(lambda token: token.text not in _BETWEEN_STATEMENTS, reversed(tokens[:start]))
        return all(token.text != "?" for token in before)
    return False
