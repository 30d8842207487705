"""Find the type that a member name belongs to, from the tokens of one file: by the enclosing class, a qualifier, or the type of
the object. If it is unknown, the name may belong to any type."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import cached_property

from fernshale.core.base.languages import C_FAMILY, TYPE_AFTER_NAME
from fernshale.core.fix.classes import PYTHON, class_bodies, methods_outside, with_derived
from fernshale.core.fix.tokens import Token, group_end

# Words in the position of a type that are none.
_NO_TYPES = frozenset(
    ("return", "auto", "new", "delete", "else", "const", "var", "let", "case", "throw", "await", "in", "not", "and", "or",
     "typename", "using", "import", "from", "goto", "yield", "if", "while", "mut", "ref", "val", "readonly", "static", "final",
     "mutable", "public", "private", "protected", "export", "function", "fn", "async", "local", "pub", "impl", "for")
)  # fmt: skip
# The object whose method it is.
_OWN = ("this", "self")
# The tokens after a name that is declared.
_AFTER_NAMES = ("=", ";", ",", ")", "(", "{", ":", "in")


class Owners:
    """Decides for names in a file whether they belong to a type other than `of`, which is compared by its last name."""

    def __init__(self, tokens: Sequence[Token], of: str, path: str = "") -> None:
        self._tokens = tokens
        self._path = path
        self._is_python = path.endswith(PYTHON)
        self._of = re.split(r"::|\.", of)[-1]

    def is_another(self, index: int, *, is_reported: bool = False) -> bool:
        """Return whether the name at `index` certainly belongs to another type. `is_reported`: a tool reports the place, so a type
        from elsewhere may derive from the one."""
        before = self._tokens[index - 1].text if index else ""
        if before in (".", "->") and index >= 2:
            type_ = self._type_of_receiver(index - 2)
            if type_ is None or (is_reported and type_ not in self._classes):
                return False
            return not self._is_one(type_)
        if before == "::" and index >= 2 and self._tokens[index - 2].kind == "name":
            named = self._tokens[index - 2].text
            return named in self._classes and not self._is_one(named)
        inner = next((name for name, first, last in reversed(self._bodies) if first < index < last), None)
        if inner is None or not self._is_declared_here(index):
            return False
        return not self._is_one(inner)

    def is_certain(self, index: int) -> bool:
        """Return whether the name at `index` is certainly that of a member of the type: this file declares the object with it."""
        if index < 2 or self._tokens[index - 1].text not in (".", "->") or self._tokens[index - 2].text in _OWN:
            return False
        type_ = self._type_of_receiver(index - 2)
        return type_ is not None and type_ in with_derived({self._of}, list(self._bases.items()))

    def is_no_member(self, index: int) -> bool:
        """Return whether the name at `index` is certainly no member's: it has no object, and stands outside all classes."""
        before = self._tokens[index - 1].text if index else ""
        if before in (".", "->", "::"):
            return False
        if self._is_python:
            return before != "def" and not any(
                token.text in ("=", ":") for token in self._tokens[index + 1 : index + 2]
            )
        return self._path.endswith(C_FAMILY) and not any(first <= index < last for first, last in self._of_classes)

    @cached_property
    def _of_classes(self) -> list[tuple[int, int]]:
        """The tokens of classes, and of functions that are defined outside their class."""
        bodies = [(first, last) for _, first, last in self._bodies]
        return bodies + [(first, last) for _, first, last in methods_outside(self._tokens)]

    def _is_declared_here(self, index: int) -> bool:
        """Return whether the name is declared here: after a type, and before a parameter list or the end."""
        before, after = self._tokens[index - 1], self._tokens[index + 1 : index + 2]
        declares = (before.kind == "name" and before.text not in _NO_TYPES) or before.text in ("&", "*", ">", "def")
        return declares and bool(after) and after[0].text in ("(", ";", "=", "{", ":")

    def _is_one(self, type_: str) -> bool:
        """Whether a type is the one or derives from it, through classes of this file."""
        seen: set[str] = set()
        pending = [type_]
        while pending:
            name = pending.pop()
            if name == self._of:
                return True
            if name not in seen:
                seen.add(name)
                # The bases of a class in another file are unknown.
                pending += self._bases.get(name, ())
        return any(name not in self._classes and name != type_ for name in seen)

    def _type_of_receiver(self, index: int) -> str | None:
        token = self._tokens[index]
        if token.text in _OWN:
            return next((name for name, first, last in reversed(self._bodies) if first < index < last), None)
        if token.kind != "name" or (index and self._tokens[index - 1].text in (".", "->", "::")):
            return None
        return self._declared.get(token.text)

    @cached_property
    def _declared(self) -> dict[str, str]:
        """The type of each name that is declared with one type only in this file."""
        types: dict[str, set[str]] = {}
        for index, type_ in declared_names(self._tokens, self._path):
            types.setdefault(self._tokens[index].text, set()).add(type_)
        return {name: next(iter(found)) for name, found in types.items() if len(found) == 1}

    @cached_property
    def _classes(self) -> frozenset[str]:
        return frozenset(self._bases)

    @cached_property
    def _bases(self) -> dict[str, tuple[str, ...]]:
        if self._is_python:
            return dict(self._bases_of_python())
        return {name: bases for name, bases, _, _ in class_bodies(self._tokens)}

    def _bases_of_python(self) -> Iterator[tuple[str, tuple[str, ...]]]:
        tokens = self._tokens
        for index in range(len(tokens) - 2):
            if tokens[index].text == "class" and tokens[index + 1].kind == "name":
                listed = tokens[index + 3 : group_end(tokens, index + 2) - 1] if tokens[index + 2].text == "(" else ()
                yield tokens[index + 1].text, tuple(token.text for token in listed if token.kind == "name")

    @cached_property
    def _bodies(self) -> list[tuple[str, int, int]]:
        return [(name, first, last) for name, _, first, last in class_bodies(self._tokens)]


def declared_names(tokens: Sequence[Token], path: str) -> Iterator[tuple[int, str]]:
    """Yield the names that a file declares with a type: the index of the name, and the last name of the type."""
    if path.endswith(PYTHON):
        yield from _in_python(tokens)
        return
    yield from _type_first(tokens)
    if path.endswith(TYPE_AFTER_NAME):
        yield from _type_after(tokens)


def _in_python(tokens: Sequence[Token]) -> Iterator[tuple[int, str]]:
    """`x: wick.Lamp` and `x = wick.Lamp(…)`: the last name of the chain is the type if it looks like one."""
    for index in range(len(tokens) - 2):
        if tokens[index].kind != "name" or tokens[index + 1].text not in (":", "="):
            continue
        at = index + 2
        while at + 2 < len(tokens) and tokens[at + 1].text == "." and tokens[at].kind == tokens[at + 2].kind == "name":
            at += 2
        is_made = tokens[index + 1].text == ":" or (at + 1 < len(tokens) and tokens[at + 1].text == "(")
        if tokens[at].kind == "name" and tokens[at].text[:1].isupper() and is_made:
            yield index, tokens[at].text


def _type_first(tokens: Sequence[Token]) -> Iterator[tuple[int, str]]:
    """`Lamp x`, `const Lamp& x` and `x = Lamp(…)`."""
    for index in range(len(tokens) - 2):
        token = tokens[index]
        if token.kind != "name" or token.text in _NO_TYPES:
            continue
        at = index + 1
        while at < len(tokens) and tokens[at].text in ("&", "*", "const"):
            at += 1
        named = tokens[at] if at + 1 < len(tokens) else None
        if named is not None and named.kind == "name" and tokens[at + 1].text in _AFTER_NAMES:
            yield at, token.text
        elif tokens[index + 1].text == "=" and tokens[index + 2].kind == "name":
            made = tokens[index + 2]
            if index + 3 < len(tokens) and tokens[index + 3].text == "(" and made.text[:1].isupper():
                yield index, made.text


def _type_after(tokens: Sequence[Token]) -> Iterator[tuple[int, str]]:
    """`x: Lamp`, `x: &mut Lamp`, `x = Lamp::new(` and `x = new Lamp(`."""
    for index in range(len(tokens) - 3):
        if tokens[index].kind != "name" or tokens[index + 1].text not in (":", "="):
            continue
        at = index + 2
        while at + 1 < len(tokens) and tokens[at].text in ("&", "mut", "new"):
            at += 1
        is_made = tokens[at - 1].text == "new" or [token.text for token in tokens[at + 1 : at + 3]] == ["::", "new"]
        if tokens[at].text[:1].isupper() and (tokens[index + 1].text == ":" or is_made):
            yield index, tokens[at].text
