"""Rename a member of one of the project's own classes.

The declaration changes, and the uses by the class, by classes that derive from it, and by objects whose class the file shows.
Uses of objects whose class is unknown stay: they may belong to any class.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from fernshale.core.base.languages import SCRIPTS
from fernshale.core.fix.classes import (
    PYTHON,
    class_bodies,
    defined_names,
    methods_outside,
    python_classes,
    with_derived,
)
from fernshale.core.fix.members import declared_members
from fernshale.core.fix.python_ast import Characters, parse_python
from fernshale.core.fix.receiver_types import Owners, declared_names
from fernshale.core.fix.rules import RenameMemberRule
from fernshale.core.fix.tokens import Token, group_end, name_indexes, tokenize

_ACCESS = (".", "->", "::")
# Words before a local variable that has no type.
_UNTYPED_LOCALS = frozenset(("auto", "var", "let", "const", "val"))
_Function = ast.FunctionDef | ast.AsyncFunctionDef
# A class or a function by the indexes of its first token and of the one after its last.
_Span = tuple[int, int]


def find(rule: RenameMemberRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    owners = Owners(tokens, rule.of, path)
    of_objects = {tokens[at].start for at in name_indexes(text, path, rule.old) if owners.is_certain(at)}
    in_classes = _in_python(rule, text) if path.endswith(PYTHON) else _in_braces(rule, path, text, tokens)
    for start in sorted(of_objects.union(in_classes)):
        yield start, start + len(rule.old), rule.new


def _in_python(rule: RenameMemberRule, text: str) -> Iterator[int]:
    tree = parse_python(text)
    if tree is None:
        return
    family = with_derived({rule.of}, [(item.name, item.bases) for item in python_classes(text)])
    places = Characters(text)
    for holder in ast.walk(tree):
        if isinstance(holder, ast.ClassDef) and holder.name in family:
            for item in holder.body:
                for name, spot in defined_names(item):
                    if name == rule.old:
                        yield text.index(name, places.at(*spot))
                yield from _used_by(item, rule.old, places)


def _used_by(item: ast.stmt, name: str, places: Characters) -> Iterator[int]:
    """The uses of a member by a method, of its own object; and in its decorators, as `@hour.setter`."""
    if not isinstance(item, _Function):
        return
    for marked in item.decorator_list:
        if isinstance(marked, ast.Attribute) and isinstance(marked.value, ast.Name) and marked.value.id == name:
            yield places.at(marked.value.lineno, marked.value.col_offset)
    own = item.args.args[0].arg if item.args.args else ""
    members = (node for node in _outside_classes(item) if isinstance(node, ast.Attribute) and node.attr == name)
    for node in members:
        if isinstance(node.value, ast.Name) and node.value.id == own:
            yield places.end(node) - len(name)


def _outside_classes(holder: ast.AST) -> Iterator[ast.AST]:
    """The nodes of a function, without those of the classes in it: their objects are others."""
    for node in ast.iter_child_nodes(holder):
        if not isinstance(node, ast.ClassDef):
            yield node
            yield from _outside_classes(node)


def _in_braces(rule: RenameMemberRule, path: str, text: str, tokens: Sequence[Token]) -> Iterator[int]:
    bodies = class_bodies(tokens)
    family = with_derived({rule.of}, [(name, bases) for name, bases, _, _ in bodies])
    own = [(first, last) for name, _, first, last in bodies if name in family]
    others = [(first, last) for name, _, first, last in bodies if name not in family]
    parts = [part for span in own for part in _members(tokens, span)]
    parts += [
        _Part((first, last), _groups(tokens, first, last))
        for name, first, last in methods_outside(tokens)
        if name in family
    ]
    found = name_indexes(text, path, rule.old)
    if path.endswith(SCRIPTS):
        # A name without an object is no member there.
        yield from (
            start for span in own for name, start in declared_members(tokens, *span, is_script=True) if name == rule.old
        )
        local = set(found)
    else:
        typed = {at for at, _ in declared_names(tokens, path)}
        local = {at for at in found if at in typed or (at and tokens[at - 1].text in _UNTYPED_LOCALS)}
    for at in found:
        # The innermost one: classes can be in classes.
        part = max((part for part in parts if part.holds(at)), key=lambda part: part.span, default=None)
        if part is None or any(first < at < last and first > part.span[0] for first, last in others):
            continue
        if tokens[at - 1].text in _ACCESS:
            is_optional = tokens[at - 2].text == "?"
            is_own = tokens[at - 2 - is_optional].text in ("this", *family)
        else:
            is_own = not path.endswith(SCRIPTS) and not (part.has_inside(at) and any(map(part.has_inside, local)))
        if is_own:
            yield tokens[at].start


@dataclass(frozen=True, slots=True)
class _Part:
    """One member of a class: its tokens, and its groups in parentheses and braces, where names can be local ones."""

    span: _Span
    groups: Sequence[_Span]

    def holds(self, at: int) -> bool:
        return self.span[0] <= at < self.span[1]

    def has_inside(self, at: int) -> bool:
        return any(first < at < last for first, last in self.groups)


def _members(tokens: Sequence[Token], body: _Span) -> Iterator[_Part]:
    """The members of a class body: each ends with a semicolon or a group in braces."""
    start, end = body[0] + 1, body[1] - 1
    groups = _groups(tokens, start, end)
    inside = {at for first, last in groups for at in range(first, last)}
    ends = [last for first, last in groups if tokens[first].text == "{"]
    ends += [at + 1 for at in range(start, end) if at not in inside and tokens[at].text == ";"]
    for stop in sorted({*ends, end}):
        yield _Part((start, stop), [group for group in groups if start <= group[0] < stop])
        start = stop


def _groups(tokens: Sequence[Token], at: int, end: int) -> list[_Span]:
    """The outermost groups in parentheses, brackets and braces from `at` to `end`."""
    found = []
    while at < end:
        if tokens[at].text in ("(", "[", "{"):
            found.append((at, group_end(tokens, at)))
            at = found[-1][1]
        else:
            at += 1
    return found
