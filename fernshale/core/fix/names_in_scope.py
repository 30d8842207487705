"""The variables that code at some place can use: parameters, locals before it, and members of its class."""

from __future__ import annotations

import ast
import re
from bisect import bisect
from collections.abc import Collection, Iterator, Mapping, Sequence
from functools import lru_cache

from fernshale.core.base.languages import C_FAMILY, ENDINGS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import position
from fernshale.core.fix.classes import PYTHON, class_bodies
from fernshale.core.fix.python_ast import last_name, parse_python
from fernshale.core.fix.receiver_types import declared_names
from fernshale.core.fix.tokens import Token, group_start, name_indexes, tokenize

# Languages in which a class's own members are named without the object; in the others after a word for it.
_BARE = (*C_FAMILY, *ENDINGS["java"], *ENDINGS["c#"])
# How many tokens can be between the parameters of a function and its body.
_BEFORE_BODY = 12
_DEFINE = lazy_pattern(r"^[ \t]*#[ \t]*define[ \t]+(\w+)", re.MULTILINE)
# What stands between a name and its object or scope.
_QUALIFYING = (".", "->", "::")
_OPENING, _CLOSING = ("(", "[", "{"), (")", "]", "}")


def names_in_scope(text: str, path: str, at: int, type_: str) -> tuple[str, ...]:
    """Return the names of type `type_` (its last name) that code at the character `at` can use, the nearest first."""
    found = _in_python(text, at, type_) if path.endswith(PYTHON) else _in_blocks(text, path, at, type_)
    return tuple(dict.fromkeys(name for _, name in sorted(found, reverse=True)))


def declaring_lines(text: str, path: str, lines: Collection[int]) -> frozenset[int]:
    """Return the lines (1-based) that declare, with a type, a name that one of `lines` uses."""
    used_on, declared_on = _names_by_line(text, path)
    used = {name for line in lines for name in used_on.get(line, ())}
    return frozenset(line for name in used for line in declared_on.get(name, ()))


@lru_cache(maxsize=8192)  # each look asks for the same errors
def is_own_variable(text: str, path: str, line: int, name: str) -> bool:
    """Return whether code of the C family names a variable or parameter on a line (1-based) that is declared there, or before it in
    a block around it: a compiler then misses the name only because the declaration has an error."""
    tokens = tokenize(text, path) if path.endswith(C_FAMILY) else ()
    found = [at for at in (name_indexes(text, path, name) if tokens else ()) if not _is_qualified_or_called(tokens, at)]
    here = next((at for at in found if position(text, tokens[at].start)[0] == line), None)
    if here is None:
        return False
    declared = _declared_in(text, path)
    if here in declared:
        return True
    enclosing = _enclosing(text, path)
    around, bracket = set(), enclosing[here]
    while bracket >= 0:
        if tokens[bracket].text == "{":
            around |= {bracket, _parameters_of(tokens, bracket)}
        bracket = enclosing[bracket]
    return any(
        (at in declared or tokens[at - 1].text == "auto") and enclosing[at] in around
        for at in name_indexes(text, path, name)
        if at < here
    )


@lru_cache(maxsize=64)
def _enclosing(text: str, path: str) -> Sequence[int]:
    """For each token the index of the innermost bracket that is open before it, -1 for none."""
    found: list[int] = []
    open_ = [-1]
    for number, token in enumerate(tokenize(text, path)):
        found.append(open_[-1])
        if token.text in _OPENING:
            open_.append(number)
        elif token.text in _CLOSING and len(open_) > 1:
            open_.pop()
    return found


@lru_cache(maxsize=256)
def _declared_in(text: str, path: str) -> frozenset[int]:
    """The indexes of the tokens that declare a name with a type. `(mods & FAST)` looks like a reference, but `mods` is no type."""
    tokens = tokenize(text, path)
    found = tuple(declared_names(tokens, path))
    variables = {tokens[at].text for at, _ in found}
    return frozenset(at for at, type_ in found if type_ not in variables)


def _is_qualified_or_called(tokens: Sequence[Token], at: int) -> bool:
    is_called = at + 1 < len(tokens) and tokens[at + 1].text == "("
    return is_called or (at > 0 and tokens[at - 1].text in _QUALIFYING)


@lru_cache(maxsize=256)
def _defined_macros(text: str) -> frozenset[str]:
    return frozenset(_DEFINE.findall(text))


@lru_cache(maxsize=256)
def _names_by_line(text: str, path: str) -> tuple[Mapping[int, frozenset[str]], Mapping[str, frozenset[int]]]:
    """The names that each line (1-based) uses, and the lines that declare each name with a type."""
    tokens = tokenize(text, path)
    starts = [0, *(found.end() for found in re.finditer("\n", text))]
    used: dict[int, set[str]] = {}
    declared: dict[str, set[int]] = {}
    for token in tokens:
        if token.kind == "name":
            used.setdefault(bisect(starts, token.start), set()).add(token.text)
    for index, _ in declared_names(tokens, path):
        declared.setdefault(tokens[index].text, set()).add(bisect(starts, tokens[index].start))
    return (
        {line: frozenset(names) for line, names in used.items()},
        {name: frozenset(lines) for name, lines in declared.items()},
    )


def global_uses(text: str, path: str, name: str) -> frozenset[int]:
    """Return the characters where a file of C or C++ uses a name that it does not declare: none where it may declare the name,
    and not where the name is a member or has a qualifier."""
    tokens = tokenize(text, path)
    if name in _names_by_line(text, path)[1] or name in _defined_macros(text):
        return frozenset()
    indexes = name_indexes(text, path, name)
    return frozenset(tokens[at].start for at in indexes if not at or tokens[at - 1].text not in _QUALIFYING)


def _in_python(text: str, at: int, type_: str) -> Iterator[tuple[int, str]]:
    """The line of each parameter and variable of the functions around a place that is annotated with a type or made by it."""
    tree, line = parse_python(text), position(text, at)[0]
    for node in ast.walk(tree) if tree is not None else ():
        if not isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) or not node.lineno <= line <= (
            node.end_lineno or 0
        ):
            continue
        for given in (*node.args.args, *node.args.kwonlyargs):
            if last_name(given.annotation) == type_:
                yield given.lineno, given.arg
        for inner in ast.walk(node):
            value = inner.annotation if isinstance(inner, ast.AnnAssign) else _made(inner)
            targets = inner.targets if isinstance(inner, ast.Assign) else [getattr(inner, "target", None)]
            if value is not None and last_name(value) == type_ and isinstance(inner, ast.stmt) and inner.lineno < line:
                yield from ((inner.lineno, target.id) for target in targets if isinstance(target, ast.Name))


def _made(node: ast.AST) -> ast.expr | None:
    """Return the function that makes the value of an assignment."""
    return node.value.func if isinstance(node, ast.Assign) and isinstance(node.value, ast.Call) else None


def _in_blocks(text: str, path: str, at: int, type_: str) -> Iterator[tuple[int, str]]:
    """The index of each name that is declared in a bracket around a place, or as a parameter of one."""
    tokens = tokenize(text, path)
    here = next((number for number, token in enumerate(tokens) if token.end > at), len(tokens))
    around = [number for number in _open_at(tokens, here) if tokens[number].text == "{"]
    heads = {start for number in around if (start := _parameters_of(tokens, number)) is not None}
    classes = {first for _, _, first, _ in class_bodies(tokens)}
    front = "" if path.endswith(_BARE) else "self." if path.endswith(ENDINGS["rust"]) else "this."
    for index, declared in declared_names(tokens, path):
        if declared != type_:
            continue
        opening = (_open_at(tokens, index) or [-1])[-1]
        if opening in classes and opening in around:
            yield index, front + tokens[index].text
        elif index < here and (opening in around or opening in heads):
            yield index, tokens[index].text


def _open_at(tokens: Sequence[Token], end: int) -> list[int]:
    """The brackets that are open at a token, outermost first."""
    open_: list[int] = []
    for number in range(end):
        if tokens[number].text in _OPENING:
            open_.append(number)
        elif tokens[number].text in _CLOSING and open_:
            open_.pop()
    return open_


def _parameters_of(tokens: Sequence[Token], body: int) -> int | None:
    """The bracket that opens the parameters of a function, given the one that opens its body."""
    for number in range(body - 1, max(-1, body - _BEFORE_BODY), -1):
        if tokens[number].text == ")":
            return group_start(tokens, number)
        if tokens[number].text in (";", "{", "}"):
            return None
    return None
