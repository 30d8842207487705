"""Symbols of a release: the names that programs can use, with the properties that identify them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields
from operator import attrgetter
from typing import Any, Literal

from fernshale.core.base.languages import ENDINGS

SymbolKind = Literal[
    "function",
    "method",
    "constructor",
    "class",
    "interface",
    "enum",
    "enumerator",
    "field",
    "constant",
    "type",
    "macro",
]
_COLONS = "::"
_WITH_COLONS = (".h", ".hpp", ".hh", ".hxx", ".h++", ".c", ".cpp", ".cc", ".cxx", ".c++", ".inl", ".ipp", ".tpp", ".rs")
# Languages in which all methods can be overridden unless they say otherwise.
_ALL_VIRTUAL = ENDINGS["java"]
_NEVER_VIRTUAL = frozenset(("static", "final", "staticmethod"))
_RUST = ENDINGS["rust"]
_OF_THE_CLASS = frozenset(("static", "staticmethod", "classmethod"))
CALLABLE: frozenset[SymbolKind] = frozenset(("function", "method", "constructor"))
CONTAINER: frozenset[SymbolKind] = frozenset(("class", "interface", "enum", "type"))


@dataclass(frozen=True, slots=True)
class Parameter:
    """A parameter; `default` is the source text of its value, "" if it has none. `is_named`: keyword-only."""

    name: str
    type: str
    default: str = ""
    is_named: bool = False

    def __reduce__(self) -> tuple[Callable[..., Parameter], tuple[object, ...]]:
        return Parameter, (self.name, self.type, self.default, self.is_named)


@dataclass(frozen=True, slots=True)
class Symbol:
    """A declaration, joined with its definition if both were read.

    `scope` are the enclosing names, outermost first: namespaces, packages, modules, classes. `line` is 1-based. `marks` are
    words of its declaration (virtual, abstract, static, private ...). `deprecated` is the deprecation text, or "deprecated" if
    there is no text. `doc` is its comment as written. `words` are the names in its body, in order; `value` that of a constant
    or field, of a function the calls that its short body consists of, separated by `; `.
    """

    kind: SymbolKind
    name: str
    scope: tuple[str, ...]
    file: str
    line: int
    parameters: tuple[Parameter, ...] = ()
    returns: str = ""
    bases: tuple[str, ...] = ()
    marks: frozenset[str] = frozenset()
    deprecated: str = ""
    doc: str = ""
    value: str = ""
    words: tuple[str, ...] = ()

    def __reduce__(self) -> tuple[Callable[..., Symbol], tuple[object, ...]]:
        """Pickle the constructor arguments: releases have many symbols, and pickling field by field takes three times as long."""
        values: tuple[object, ...] = _values(self)
        return Symbol, values

    def lower(self, lines: int) -> Symbol:
        """The symbol with its line moved down by a number of lines."""
        values: list[Any] = [*_values(self)]
        values[_LINE] += lines
        return Symbol(*values)

    @property
    def path(self) -> tuple[str, ...]:
        return (*self.scope, self.name)

    @property
    def full(self) -> str:
        """The qualified name as the language writes it."""
        return self.mark.join(self.path)

    @property
    def called(self) -> str:
        """The name in calls: for a constructor, that of its class."""
        return self.scope[-1] if self.kind == "constructor" and self.scope else self.name

    @property
    def mark(self) -> str:
        """The separator between the names of a path."""
        return _COLONS if self.file.endswith(_WITH_COLONS) else "."

    @property
    def is_callable(self) -> bool:
        return self.kind in CALLABLE

    @property
    def given(self) -> tuple[Parameter, ...]:
        """The parameters that a call passes in brackets: without the one before the dot, if it is declared."""
        return self.parameters[1:] if self.parameters and self.parameters[0].name == "self" else self.parameters

    @property
    def is_overridable(self) -> bool:
        """Whether classes of others may have a method in its place."""
        may_be = "virtual" in self.marks or "abstract" in self.marks or self.file.endswith(_ALL_VIRTUAL)
        return may_be and self.kind == "method" and bool(self.scope) and self.marks.isdisjoint(_NEVER_VIRTUAL)

    @property
    def needs_object(self) -> bool:
        """Whether calls are made on an object of the class. A method whose class could not be read is called like a function."""
        takes_self = not self.file.endswith(_RUST) or (bool(self.parameters) and self.parameters[0].name == "self")
        return self.kind == "method" and bool(self.scope) and self.marks.isdisjoint(_OF_THE_CLASS) and takes_self

    @property
    def is_of_class(self) -> bool:
        """Whether it is a member that is written with the name of its class."""
        return (self.kind == "method" and not self.needs_object) or (self.kind == "field" and "static" in self.marks)

    @property
    def is_hidden(self) -> bool:
        """Whether users of the release cannot name it."""
        return "private" in self.marks

    @property
    def signature(self) -> str:
        """Parameters and result as people read them."""
        if not self.is_callable:
            return self.returns
        inner = ", ".join(
            " ".join(part for part in (item.type, item.name) if part) + (f" = {item.default}" if item.default else "")
            for item in self.parameters
        )
        return f"({inner})" + (f" -> {self.returns}" if self.returns else "")


def went_into_class(old: Symbol, new: Symbol) -> bool:
    """Whether a function became one of a class that needs no object of it."""
    return old.kind == "function" and new.kind == "method" and new.is_of_class


_values = attrgetter(*(item.name for item in fields(Symbol)))
_LINE = [item.name for item in fields(Symbol)].index("line")
