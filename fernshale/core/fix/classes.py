"""The classes that a file defines, and their bases: by braces, and in Python by its own parser."""

from __future__ import annotations

import ast
import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from fernshale.core.base.languages import ENDINGS
from fernshale.core.fix.python_ast import Characters, last_name, parse_python
from fernshale.core.fix.tokens import Token, group_end, tokenize

PYTHON = ENDINGS["python"]
_ACCESS = frozenset(("public", "private", "protected", "virtual", "where", "with"))


def class_bodies(tokens: Sequence[Token]) -> list[tuple[str, tuple[str, ...], int, int]]:
    """The classes a file defines: name, names of the bases, and the token span of the body in braces, outer ones first."""
    found = []
    for index, token in enumerate(tokens[:-1]):
        if token.text == "impl":
            found += _implementations(tokens, index)
        if token.text not in ("class", "struct", "interface") or tokens[index + 1].kind != "name":
            continue
        if index and tokens[index - 1].text in ("<", ","):
            continue  # a parameter of a template
        opening = next((at for at in range(index, len(tokens)) if tokens[at].text in ("{", ";", ")", "=")), len(tokens))
        if opening == len(tokens) or tokens[opening].text != "{":
            continue
        head = [item.text for item in tokens[index + 1 : opening]]
        start = next((at for at, word in enumerate(head) if word in (":", "extends", "implements")), len(head))
        found.append((head[0], _bases(head[start:]), opening, group_end(tokens, opening)))
    return found


def methods_outside(tokens: Sequence[Token]) -> list[tuple[str, int, int]]:
    """The functions that C++ defines outside their class, as `void Pier::open() { … }`: the class's name, and the token span from
    that name to the end of the body."""
    found = []
    for at in range(len(tokens) - 3):
        if tokens[at + 1].text != "::" or tokens[at].kind != "name":
            continue
        opening = at + 3 + (tokens[at + 2].text == "~")
        if opening < len(tokens) and tokens[opening].text == "(":
            end = group_end(tokens, opening)
            while end < len(tokens) and tokens[end].text not in ("{", ";", "}"):
                end += 1
            if end < len(tokens) and tokens[end].text == "{":
                found.append((tokens[at].text, at, group_end(tokens, end)))
    return found


def _implementations(tokens: Sequence[Token], index: int) -> list[tuple[str, tuple[str, ...], int, int]]:
    """Yield Rust's `impl Trait for Name {`: its content belongs to Name, which has the trait as base."""
    opening = next((at for at in range(index, len(tokens)) if tokens[at].text in ("{", ";")), len(tokens))
    head = [item.text for item in tokens[index + 1 : opening]]
    if "for" not in head or opening == len(tokens) or tokens[opening].text == ";":
        return []
    middle = head.index("for")
    name = _bases(head[middle + 1 :])
    return [(name[0], _bases(head[:middle]), opening, group_end(tokens, opening))] if name else []


def _bases(words: Sequence[str]) -> tuple[str, ...]:
    """Return the last names of the bases in a class head, without scopes and template arguments."""
    found, last, depth = [], "", 0
    for word in (*words, ","):
        depth += (word == "<") - (word == ">")
        if depth == 0 and word in (",", "extends", "implements"):
            found.append(last)
            last = ""
        elif depth == 0 and word.isidentifier() and word not in _ACCESS:
            last = word
    return tuple(filter(None, found))


@dataclass(frozen=True, slots=True)
class PythonClass:
    """A class of a Python file: names of its bases; its members and the attributes that its methods set, each with the
    character of its first occurrence; its characters `start`..`end`, and its body's indentation; None if the body is on the
    line of the head."""

    name: str
    bases: tuple[str, ...]
    members: Mapping[str, int]
    fields: Mapping[str, int]
    start: int
    end: int
    indent: str | None


@lru_cache(maxsize=64)
def python_classes(text: str) -> tuple[PythonClass, ...]:
    """Return the classes of a Python file; none if it cannot be parsed."""
    tree = parse_python(text)
    if tree is None:
        return ()
    places = Characters(text)
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.ClassDef):
            bases = tuple(name for base in node.bases if (name := last_name(base)))
            members: dict[str, int] = {}
            fields: dict[str, int] = {}
            for item in node.body:
                for name, spot in defined_names(item):
                    members.setdefault(name, text.index(name, places.at(*spot)))
                for attribute in _set_by(item):
                    fields.setdefault(attribute.attr, places.end(attribute) - len(attribute.attr))
            start, end = places.starts[node.lineno - 1], min(places.starts[node.end_lineno or node.lineno], len(text))
            first = node.body[0]
            indent = places.lines[first.lineno - 1][: first.col_offset] if first.lineno > node.lineno else None
            found.append(PythonClass(node.name, bases, members, fields, start, end, indent))
    return tuple(sorted(found, key=lambda item: item.start))


def defined_names(item: ast.stmt) -> list[tuple[str, tuple[int, int]]]:
    """The names a statement of a class body defines, each with line and column from which on it is named."""
    if isinstance(item, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        word = {ast.FunctionDef: "def", ast.AsyncFunctionDef: "async def", ast.ClassDef: "class"}[type(item)]
        return [(item.name, (item.lineno, item.col_offset + len(word)))]
    targets = item.targets if isinstance(item, ast.Assign) else [item.target] if isinstance(item, ast.AnnAssign) else []
    return [(target.id, (target.lineno, target.col_offset)) for target in targets if isinstance(target, ast.Name)]


def _set_by(item: ast.stmt) -> Iterator[ast.Attribute]:
    """Return the attributes that a method sets on its object."""
    if isinstance(item, ast.FunctionDef | ast.AsyncFunctionDef) and item.args.args:
        own = item.args.args[0].arg
        for node in ast.walk(item):
            if not isinstance(node, ast.Attribute) or not isinstance(node.ctx, ast.Store):
                continue
            if isinstance(node.value, ast.Name) and node.value.id == own:
                yield node


def derived_spans(text: str, path: str, derives: Sequence[str]) -> list[tuple[int, int]]:
    """The character spans of classes that derive from one of `derives`, by its last name."""
    wanted = {re.split(r"::|\.", name)[-1] for name in derives}
    if path.endswith(PYTHON):
        bodies = [(item.name, item.bases, item.start, item.end) for item in python_classes(text)]
    else:
        tokens = tokenize(text, path)
        spans = class_bodies(tokens)
        bodies = [(name, bases, tokens[first].start, tokens[last - 1].end) for name, bases, first, last in spans]
    one = with_derived(wanted, [(name, bases) for name, bases, _, _ in bodies])
    return [(first, last) for name, bases, first, last in bodies if one & set(bases) or name in one - wanted]


def with_derived(names: Collection[str], classes: Sequence[tuple[str, Sequence[str]]]) -> frozenset[str]:
    """`names`, and the classes of a file, each with its bases, that derive from one of them, in any order."""
    found = frozenset(names)
    while more := {name for name, bases in classes if name not in found and not found.isdisjoint(bases)}:
        found |= more
    return found
