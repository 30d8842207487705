"""Read the calls that the body of an old function consists of: they show what to write in place of a call of it."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from types import MappingProxyType
from typing import NamedTuple

from fernshale.core.base.languages import C_FAMILY, ENDINGS, language_of
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.stated.replacements import ReleaseNames
from fernshale.core.drift.symbols import CONTAINER, Symbol

_TOKEN = lazy_pattern(
    r"""(?P<string>[rbuRBU]{0,2}"(?:[^"\\]|\\.)*"|[rbuRBU]{0,2}'(?:[^'\\]|\\.)*')|(?P<number>\d[\w.]*)|(?P<name>[A-Za-z_]\w*)"""
    r"|(?P<mark>::|->|\s+|.)",
    re.DOTALL,
)
# Words that mean the same everywhere.
_WORDS = frozenset(
    ("true", "false", "True", "False", "None", "null", "nullptr", "NULL", "undefined", "nil", "new", "await", "not", "and", "or",
     "in", "is", "typeof")
)  # fmt: skip
# Languages that mark methods that can be overridden, and their words for that.
_SAY_SO = (*C_FAMILY, *ENDINGS["c#"])
_OVERRIDDEN = frozenset(("virtual", "override", "abstract"))
_OBJECT = ("this", "self")
_MEMBERS = ("method", "constructor")
# Tokens before the name of an argument or of an object's field.
_OPENINGS = ("(", ",", "{")
_ACCESS = (".", "->", "::")
# Names of a language's own library that files have without an import of their own.
_EVERYWHERE: Mapping[str, tuple[str, ...]] = {
    "java": ("Boolean", "Byte", "Character", "Double", "Float", "Integer", "Long", "Math", "Object", "Short", "String", "System"),
    "c++": ("std",),
}  # fmt: skip
METAVARIABLE = lazy_pattern(r"\$(\w+)")
_JAVA_IMPORT = lazy_pattern(r"\bimport[ \t]+[\w.]+\.(?P<name>\w+)[ \t]*;")
# Languages in which members are named without the object inside their class.
_BARE_MEMBERS = (*ENDINGS["c++"], *ENDINGS["java"], *ENDINGS["c#"])


class PassedCall(NamedTuple):
    """The symbol that a body calls first, and what to write in place of a call of its function: `$name` for an argument, `$it` for
    the object. `is_plain`: the same arguments in the same order, so that another name is enough."""

    target: Symbol
    text: str
    is_plain: bool


def passed_call(symbol: Symbol, scope: tuple[str, ...], names: ReleaseNames) -> PassedCall | None:
    """Return the calls that a function consists of, where all it names is public in the release of `names`.

    `scope` is where the names next to the function are in that release.
    """
    is_function = symbol.kind in ("function", "method") and symbol.name.isidentifier()
    if not symbol.value or not is_function or _may_be_overridden(symbol):
        return None
    reader = _Reader(symbol, scope, names)
    text = reader.read()
    if text is None or reader.target is None or reader.target.path == symbol.path:
        return None
    if "$" not in text and (symbol.given or symbol.kind == "method"):
        return None  # it ignores its arguments, like a function that only raises an error
    passed = ", ".join(f"${item.name}" for item in symbol.given)
    is_plain = text in {f"{front}{reader.target.name}({passed})" for front in ("", "$it.", "$it->", "$it:")}
    return PassedCall(reader.target, text, is_plain)


def _may_be_overridden(symbol: Symbol) -> bool:
    """Whether an override may run instead of a body."""
    return symbol.file.endswith(_SAY_SO) and not _OVERRIDDEN.isdisjoint(symbol.marks)


class PassedOverload(NamedTuple):
    """What to write in place of a call of an overload, as in `PassedCall`, its arguments, and the line that imports what it needs,
    "" if nothing."""

    text: str
    arguments: tuple[str, ...]
    imports: str


def passed_overload(
    symbol: Symbol, scope: tuple[str, ...], names: ReleaseNames, outside: Mapping[str, str]
) -> PassedOverload | None:
    """Return the call of another overload that a function consists of, with its further arguments.

    `outside` are the names that the function's file has from elsewhere, each with the line that imports it, "" where all files
    have it. None where the body does more, names what users cannot name, or needs more than one import.
    """
    is_one_call = bool(symbol.value) and ";" not in symbol.value
    is_function = symbol.kind in ("function", "method", "constructor")
    if not is_one_call or not is_function or _may_be_overridden(symbol):
        return None
    reader = _Reader(symbol, scope, names, outside)
    text = reader.read()
    if text is None or reader.target is None or reader.target.path != (*scope, symbol.name):
        return None
    passed = sorted(name for name in METAVARIABLE.findall(text) if name != "it")
    passes_all = passed == sorted(item.name for item in symbol.given)
    lines = reader.imports
    return PassedOverload(text, _arguments_of(text), "".join(lines)) if passes_all and len(lines) < 2 else None


def _arguments_of(call: str) -> tuple[str, ...]:
    """The arguments of the one call that a text is."""
    depth, start = 0, call.index("(") + 1
    found: list[str] = []
    for token in _TOKEN.finditer(call):
        depth += (token[0] in ("(", "[", "{")) - (token[0] in (")", "]", "}"))
        if (token[0] == "," and depth == 1) or (token[0] == ")" and depth == 0):
            found.append(call[start : token.start()].strip())
            start = token.end()
    return tuple(filter(None, found))


def outside_names(text: str, path: str, own: Collection[str]) -> dict[str, str]:
    """Return the names that a file has from outside its release, each with the line that imports it; "" if none is needed.

    `own` are the names of the release. Only for languages in which a line imports one name.
    """
    found = dict.fromkeys(_EVERYWHERE.get(language_of(path), ()), "")
    if path.endswith(ENDINGS["java"]):
        for line in _JAVA_IMPORT.finditer(text):
            if line["name"] not in own:
                found[line["name"]] = line[0].strip()
    return found


class _Reader:
    """Reads the text of a body, name by name."""

    def __init__(
        self,
        symbol: Symbol,
        scope: tuple[str, ...],
        names: ReleaseNames,
        outside: Mapping[str, str] = MappingProxyType({}),
    ) -> None:
        self._symbol, self._scope, self._names, self._outside = symbol, scope, names, outside
        self.imports: set[str] = set()
        self._beyond: set[str] = set()
        self._given = {item.name for item in symbol.given if item.name}
        self._access = (*_ACCESS, ":") if symbol.file.endswith(ENDINGS["lua"]) else _ACCESS
        self.target: Symbol | None = None

    def read(self) -> str | None:
        """The text with metavariables; None where a name is not known to users."""
        tokens = [(found.lastgroup or "", found[0]) for found in _TOKEN.finditer(self._symbol.value)]
        parts: list[str] = []
        owner = ""
        for at, (kind, text) in enumerate(tokens):
            if kind == "mark":
                if not text.isspace() and text not in self._access:
                    owner = ""
                parts.append(text)
                continue
            if kind == "name":
                before = next((item for _, item in reversed(tokens[:at]) if not item.isspace()), "")
                after = "".join(item for _, item in tokens[at + 1 :] if not item.isspace())[:2]
                is_key = before in _OPENINGS and after[:1] in ("=", ":") and after not in ("==", "::")
                written = text if is_key else self._name(text, owner if before in self._access else "", after)
                if written is None:
                    return None
                owner = written.rpartition("::")[2]
                if written == "$it" and self._symbol.file.endswith(C_FAMILY) and after != "->":
                    # There, `this` is a pointer.
                    if before == "*":
                        parts.pop()
                    else:
                        written = "&$it"
                parts.append(written)
            else:
                parts.append(text)
        return "".join(parts)

    def _name(self, name: str, owner: str, after: str) -> str | None:
        """A name as users write it, after the member access of `owner` if there is one."""
        is_called = after[:1] == "("
        if owner in self._beyond:
            self._beyond.add(name)
            return name
        if owner:
            found = self._member(name, owner)
            if found is None:
                return None
            self._note(found, is_called)
            return name
        if name in self._given:
            return f"${name}"
        if name in _WORDS:
            return name
        if self._symbol.kind == "constructor" and is_called and name in ("this", self._symbol.name):
            self.target = self.target or self._names.at((*self._scope, self._symbol.name))
            return self._scope[-1]
        if name in self._outside:
            self._beyond.add(name)
            self.imports.update(filter(None, (self._outside[name],)))
            return name
        if name in _OBJECT:
            return "$it" if self._symbol.kind == "method" else None
        if name == "Self" and self._symbol.scope:
            return self._scope[-1]
        return self._plain(name, is_called)

    def _member(self, name: str, owner: str) -> Symbol | None:
        if owner == "$it":
            return self._names.at((*self._scope, name))
        named = self._names.named(name)
        # Prefer members of the owner, if it is a type or a module.
        own = [item for item in named if item.scope[-1:] == (owner,)]
        return next(iter(own or named), None)

    def _plain(self, name: str, is_called: bool) -> str | None:
        """A name without an owner: of the own class, of the same module, or a type."""
        is_bare = self._symbol.kind in _MEMBERS and self._symbol.file.endswith(_BARE_MEMBERS)
        if is_bare and (found := self._names.at((*self._scope, name))) is not None:
            self._note(found, is_called)
            is_static = (
                not found.needs_object if found.is_callable else "static" in found.marks or found.kind == "constant"
            )
            if "static" not in self._symbol.marks and not (self._symbol.kind == "constructor" and is_static):
                return f"$it.{name}" if self._symbol.kind == "method" else None
            is_c = self._symbol.file.endswith(C_FAMILY)
            return "::".join((*self._scope, name)) if is_c else f"{self._scope[-1]}.{name}"
        scope = self._scope[:-1] if self._symbol.kind in _MEMBERS else self._scope
        found = next(
            (item for end in range(len(scope), -1, -1) if (item := self._names.at((*scope[:end], name))) is not None),
            None,
        )
        if found is None:
            return None
        self._note(found, is_called)
        if found.file.endswith(ENDINGS["java"]) and found.kind in CONTAINER and found.path != self._scope:
            self.imports.add(f"import {found.full};")
        return found.full if found.file.endswith(C_FAMILY) else name

    def _note(self, found: Symbol, is_called: bool) -> None:
        if is_called and self.target is None and found.is_callable:
            self.target = found
