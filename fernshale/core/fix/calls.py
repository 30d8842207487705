"""Calls in source text, and their arguments."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fernshale.core.base.languages import ENDINGS, SCRIPTS, TYPE_AFTER_NAME
from fernshale.core.fix.tokens import BEFORE_VALUES, Token, group_end, name_indexes, tokenize

# Languages in which a line can end a statement.
_ENDED_BY_LINES = (*ENDINGS["python"], *ENDINGS["lua"], *SCRIPTS)
# Tokens between the parameters of a function and its body.
_AFTER_DECLARATIONS = frozenset(("{", "const", "override", "noexcept", "final", "throws", "->", "where"))


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


def declares(tokens: Sequence[Token], name: int, end: int, path: str, text: str) -> bool:
    """Return whether a name with a bracket group after it, up to the token `end`, is a declaration and no call."""
    before = tokens[name - 1] if name else None
    after = tokens[end].text if end < len(tokens) else ""
    if before is not None and (before.text in (".", "->") or (before.text == ":" and path.endswith(ENDINGS["lua"]))):
        start = name - 2
        while start > 1 and tokens[start - 1].text in (".", ":"):
            start -= 2
        return start > 0 and tokens[start - 1].text == "function"
    if before is not None and before.kind == "name":
        ends = path.endswith(_ENDED_BY_LINES) and "\n" in text[before.end : tokens[name].start]
        return before.text not in BEFORE_VALUES and not ends
    is_member = before is None or before.text in ("{", "}", ";")
    return after in _AFTER_DECLARATIONS or (after == ":" and is_member and path.endswith(TYPE_AFTER_NAME))


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
