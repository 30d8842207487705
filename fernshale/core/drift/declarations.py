"""Join declarations with their definitions, so that each symbol occurs once."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from itertools import groupby
from operator import attrgetter

from fernshale.core.base.languages import ENDINGS, SCRIPTS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.names.script_builds import is_declaration, module_of, package_of
from fernshale.core.drift.symbols import CONTAINER, Symbol

_HEADERS = (".h", ".hpp", ".hh", ".hxx", ".h++", ".inl", ".ipp", ".tpp")
# Scripts without types.
_PLAIN_SCRIPTS = ENDINGS["javascript"]
_TYPE = attrgetter("type")
_SOURCES = (".c", ".cpp", ".cc", ".cxx", ".c++")


def join_symbols(symbols: Iterable[Symbol]) -> tuple[Symbol, ...]:
    """Return each symbol once, in the order of files and lines.

    A definition in a C or C++ source file belongs to the declaration in its header. If a release has headers, symbols without a
    declaration in a header are private. A name declared by several files (conditional compilation, type stubs) is one symbol.
    """
    headers: list[Symbol] = []
    sources: list[Symbol] = []
    others: list[Symbol] = []
    for file, of_file in groupby(symbols, attrgetter("file")):
        part = headers if file.endswith(_HEADERS) else sources if file.endswith(_SOURCES) else others
        part += of_file
    if headers and sources:
        sources = _under_declarations(headers, sources)
    others = _with_undeclared(others)
    groups: dict[object, list[Symbol]] = defaultdict(list)
    for item in (*headers, *sources, *others):
        groups[item.kind, item.name, item.scope].append(item)
    joined: list[Symbol] = []
    for group in groups.values():
        joined += group if len(group) == 1 else _overloads(group)
    # Symbols on one line keep their order.
    return tuple(sorted(_with_hidden(joined), key=attrgetter("file", "line")))


def _is_declared(item: Symbol) -> bool:
    """Whether a symbol is from a file that says what others can use."""
    return item.file.endswith(_HEADERS) or (item.file.endswith(SCRIPTS) and is_declaration(item.file))


def _with_undeclared(symbols: Sequence[Symbol]) -> list[Symbol]:
    """Mark what a script module defines and its declarations do not have (`lamp.d.ts` beside `lamp.js`) as hidden."""
    declared: dict[str, set[str]] = defaultdict(set)
    for item in symbols:
        if _is_declared(item):
            declared[module_of(item.file)].add(item.path[0])
    if not declared:
        return list(symbols)
    return [
        replace(item, marks=item.marks | {"private"})
        if item.file.endswith(SCRIPTS) and item.path[0] not in declared.get(module_of(item.file), (item.path[0],))
        else item
        for item in symbols
    ]


def _overloads(group: Sequence[Symbol]) -> Iterable[Symbol]:
    """Of symbols with one name, those with one signature joined, and code without types with its declaration."""
    shapes: dict[object, list[Symbol]] = defaultdict(list)
    untyped: list[Symbol] = []
    for item in group:
        is_code = item.file.endswith(_PLAIN_SCRIPTS) and item.parameters and not any(map(_TYPE, item.parameters))
        if is_code:
            untyped.append(item)
        else:
            shapes[tuple(plain_type(each.type) for each in item.parameters)].append(item)
    for item in untyped:
        typed = [same for same in shapes.values() if _is_of_one(same[0], item)]
        if typed:
            # The code of overloads takes the arguments of the longest.
            nearest = min(
                typed, key=lambda same: (abs(len(same[0].parameters) - len(item.parameters)), -len(same[0].parameters))
            )
            nearest.append(item)
        else:
            shapes[tuple("" for _ in item.parameters)].append(item)
    return [_join(same) for same in shapes.values()]


def _is_of_one(typed: Symbol, code: Symbol) -> bool:
    """Whether code without types is that of a typed declaration: of the same module, or a member of a class of the package."""
    is_typed = typed.file.endswith(SCRIPTS) and not typed.file.endswith(_PLAIN_SCRIPTS)
    is_near = module_of(typed.file) == module_of(code.file) or (
        bool(typed.scope) and package_of(typed.file) == package_of(code.file) is not None
    )
    return is_typed and is_near


def _with_hidden(symbols: Sequence[Symbol]) -> list[Symbol]:
    """Mark members of hidden classes as hidden."""
    holders = [item for item in symbols if item.kind in CONTAINER]
    closed = {item.path for item in holders if item.is_hidden} - {item.path for item in holders if not item.is_hidden}
    if not closed:
        return list(symbols)
    scopes = {item.scope for item in symbols}
    within = {scope for scope in scopes if any(scope[:end] in closed for end in range(1, len(scope) + 1))}
    return [replace(item, marks=item.marks | {"private"}) if item.scope in within else item for item in symbols]


# Words before a type that do not say which one it is.
_OF_DECLARATION = lazy_pattern(r"\b(?:const|volatile|struct|union|enum|class)\s+(?=[A-Za-z_:])")


def without_qualifiers(type_: str) -> str:
    """Return a type without words that only concern its declaration."""
    return _OF_DECLARATION.sub("", type_).strip()


def plain_type(type_: str) -> str:
    """Return a type without spaces and without words that only concern its declaration."""
    return "".join(without_qualifiers(type_).split())


def renamed_type(type_: str, types: Mapping[str, str]) -> str:
    """A type of the old release, plain, in words of the new one."""
    return re.sub(r"\w+", lambda found: types.get(found[0], found[0]), plain_type(type_))


def _under_declarations(headers: Sequence[Symbol], sources: Sequence[Symbol]) -> list[Symbol]:
    """Definitions with the scope their declaration has; those without one are hidden."""
    declared = {item.path for item in headers}
    by_end: dict[tuple[str, ...], set[tuple[str, ...]]] = defaultdict(set)
    for path in declared:
        for start in range(1, len(path)):
            by_end[path[start:]].add(path)
    placed = []
    for item in sources:
        if item.path not in declared:
            fitting = by_end.get(item.path, set()) if len(item.path) > 1 else set()
            if len(fitting) == 1:
                (path,) = fitting
                item = replace(item, scope=path[:-1])
            else:
                item = replace(item, marks=item.marks | {"private"})
        placed.append(item)
    return placed


def _join(group: Sequence[Symbol]) -> Symbol:
    """Return the first declaration, completed by the others."""
    first = group[0]
    if len(group) == 1:
        return first
    named = max(
        group, key=lambda item: sum(bool(each.name) for each in item.parameters) if item.file == first.file else -1
    )
    seen = [item.marks for item in group if _is_declared(item)] or [item.marks for item in group]
    marks = frozenset().union(*seen)
    if any("private" not in item for item in seen):
        marks -= {"private"}
    return replace(
        first,
        parameters=named.parameters,
        marks=marks,
        deprecated=next((item.deprecated for item in group if item.deprecated), ""),
        doc=max((item.doc for item in group), key=len),
        words=max((item.words for item in group), key=len),
        value=next((item.value for item in group if item.value), ""),
        returns=next((item.returns for item in group if item.returns), ""),
    )
