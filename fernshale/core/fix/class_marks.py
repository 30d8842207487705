"""The marks of classes: decorators, annotations, attributes, derived traits, and macros at the start of the body."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from fernshale.core.base.languages import C_FAMILY, ENDINGS, SCRIPTS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.fix.classes import PYTHON, class_bodies
from fernshale.core.fix.python_ast import Characters, last_name, parse_python
from fernshale.core.fix.tokens import Token, group_end, group_start, tokenize

_JAVA, _C_SHARP, _RUST = ENDINGS["java"], ENDINGS["c#"], ENDINGS["rust"]
_KEYWORDS = ("class", "struct", "interface", "enum", "record")
# The word for the name of the class in a mark.
CLASS = "$class"
_MACRO = lazy_pattern(r"[A-Z][A-Z0-9_]{2,}")
_DERIVED = lazy_pattern(r"#\[derive\((?P<traits>[^()]*)\)\]")


@dataclass(frozen=True, slots=True)
class MarkedClass:
    """A class with the last names of its bases, its marks with `$class` in the place of its name, and the character where a mark
    of its language is put."""

    name: str
    bases: tuple[str, ...]
    marks: frozenset[str]
    spot: int


def marked_classes(text: str, path: str) -> Iterator[MarkedClass]:
    """The classes of a file that derive from others."""
    if path.endswith(PYTHON):
        yield from _in_python(text)
        return
    tokens = tokenize(text, path)
    for name, bases, opening, _ in class_bodies(tokens):
        if not bases:
            continue
        if path.endswith(C_FAMILY):
            marks, spot = _macros(tokens, opening, text), tokens[opening].end
        else:
            head = _head_of(tokens, name, opening, path)
            if head is None:
                continue
            marks, spot = _before(tokens, head, text, path)
        yield MarkedClass(name, bases, frozenset(_named(mark, name) for mark in marks), spot)


def _named(mark: str, name: str) -> str:
    return re.sub(rf"\b{re.escape(name)}\b", CLASS, " ".join(mark.split()))


def _in_python(text: str) -> Iterator[MarkedClass]:
    tree = parse_python(text)
    places = Characters(text)
    for node in ast.walk(tree) if tree is not None else ():
        if isinstance(node, ast.ClassDef) and node.bases:
            bases = tuple(name for base in node.bases if (name := last_name(base)))
            marks = frozenset(_named(f"@{ast.unparse(item)}", node.name) for item in node.decorator_list)
            yield MarkedClass(node.name, bases, marks, places.starts[node.lineno - 1])


def _macros(tokens: Sequence[Token], opening: int, text: str) -> list[str]:
    """The macros at the beginning of a class's body."""
    found, at = [], opening + 1
    while at < len(tokens) and _MACRO.fullmatch(tokens[at].text):
        end = group_end(tokens, at + 1) if at + 1 < len(tokens) and tokens[at + 1].text == "(" else at + 1
        found.append(text[tokens[at].start : tokens[end - 1].end])
        at = end + (end < len(tokens) and tokens[end].text == ";")
    return found


def _head_of(tokens: Sequence[Token], name: str, opening: int, path: str) -> int | None:
    """The keyword of the declaration of a class; in Rust, that of the type that a trait is implemented for."""
    if path.endswith(_RUST):
        pairs = range(len(tokens) - 1)
        return next((at for at in pairs if tokens[at].text in _KEYWORDS and tokens[at + 1].text == name), None)
    for at in range(opening - 1, -1, -1):
        if tokens[at].text in _KEYWORDS and tokens[at + 1].text == name:
            return at
    return None


def _before(tokens: Sequence[Token], head: int, text: str, path: str) -> tuple[list[str], int]:
    """The annotations or attributes before a declaration, and where its line begins."""
    found, at = [], head
    while at:
        before = tokens[at - 1]
        if before.text == ")" and path.endswith(_RUST) and tokens[group_start(tokens, at - 1) - 1].text == "pub":
            at = group_start(tokens, at - 1) - 1  # pub(crate)
        elif before.text == "]" and path.endswith((*_C_SHARP, *_RUST)):
            start = group_start(tokens, at - 1)
            if tokens[start].text != "[":
                break
            start -= path.endswith(_RUST) and start > 0 and tokens[start - 1].text == "#"
            found += _each(text[tokens[start].start : before.end], path)
            at = start
        elif path.endswith((*_JAVA, *SCRIPTS)) and (annotation := _annotation_start(tokens, at)) is not None:
            found.append(text[tokens[annotation].start : before.end])
            at = annotation
        elif before.kind == "name" and before.text.islower():
            at -= 1  # a modifier
        else:
            break
    first = next((number for number in range(at, head + 1) if not _is_mark(tokens, number, at, path)), head)
    return found, text.rfind("\n", 0, tokens[first].start) + 1


def _is_mark(tokens: Sequence[Token], number: int, at: int, path: str) -> bool:
    """Whether a token before a declaration is not one of its modifiers."""
    depth = sum({"[": 1, "(": 1, "]": -1, ")": -1}.get(token.text, 0) for token in tokens[at:number])
    is_name_of_mark = number and tokens[number - 1].text in ("@", ".") and not path.endswith(_RUST)
    return depth > 0 or tokens[number].text in ("@", "#", "[", "]", "(", ")", ".") or bool(is_name_of_mark)


def _annotation_start(tokens: Sequence[Token], end: int) -> int | None:
    """The `@` of an annotation that ends before a token."""
    at = end - 1
    if tokens[at].text == ")":
        at = group_start(tokens, at) - 1
    while at > 1 and tokens[at].kind == "name" and tokens[at - 1].text == ".":
        at -= 2
    return at - 1 if at > 0 and tokens[at].kind == "name" and tokens[at - 1].text == "@" else None


def _each(attribute: str, path: str) -> list[str]:
    """An attribute, or one for each of the traits that it derives."""
    derived = _DERIVED.fullmatch("".join(attribute.split()))
    if derived is None or not path.endswith(_RUST):
        return [attribute]
    return [f"#[derive({trait})]" for trait in derived["traits"].split(",") if trait]
