"""Calls in source text, and their arguments."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fernshale.core.base.languages import ENDINGS
from fernshale.core.fix.tokens import Token, group_end, name_indexes, tokenize


def is_import(text: str, at: int) -> bool:
    """Return whether the line with the character `at` is an import."""
    line = text[text.rfind("\n", 0, at) + 1 : at].lstrip()
    return line.startswith(("import ", "from ", "using ", "use ", "export {", "import{"))


def find_calls(text: str, path: str, name: str) -> Iterator[tuple[int, int, list[tuple[int, int]]]]:
    """The calls of a function: the index of its name, the index after the call, and the token spans of its arguments."""
    tokens = tokenize(text, path)
    for index in name_indexes(text, path, name):
        if index + 1 < len(tokens) and tokens[index + 1].text == "(":
            end = group_end(tokens, index + 1)
            if tokens[end - 1].text == ")":
                yield index, end, split_arguments(tokens, index + 2, end - 1)


def is_spread(argument: Sequence[Token], path: str) -> bool:
    """Return whether an argument expands to several: `*rest` in Python, `...rest` or `rest...` elsewhere."""
    if not argument:
        return False
    if path.endswith(ENDINGS["python"]):
        return argument[0].text in ("*", "**")
    return "..." in (argument[0].text, argument[-1].text)


def split_arguments(tokens: Sequence[Token], first: int, last: int) -> list[tuple[int, int]]:
    """Token spans between the commas; `<` opens a bracket where a `>` closes it before the next comma could item."""
    arguments, start, at = [], first, first
    while at < last:
        text = tokens[at].text
        if text == ",":
            arguments.append((start, at))
            start = at + 1
        if text in ("(", "[", "{"):
            at = group_end(tokens, at)
        elif text == "<" and (end := _template_end(tokens, at, last)):
            at = end
        else:
            at += 1
    if start < last:
        arguments.append((start, last))
    return arguments


def _template_end(tokens: Sequence[Token], at: int, last: int) -> int:
    """The index after the `>` of a template argument list that opens at `at`; 0 if it is a comparison."""
    if not at or tokens[at - 1].kind != "name":
        return 0
    depth = 0
    for index in range(at, last):
        text = tokens[index].text
        if text in ("(", ")", ";", "{", "}", "&&", "||"):
            return 0
        depth += {"<": 1, ">": -1}.get(text, 0)
        if text == ">" and depth == 0:
            return index + 1
    return 0
