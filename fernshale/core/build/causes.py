"""Group diagnostics by what is behind them: the symbol, header or type concerned, not the text alone."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from fernshale.core.build.diagnostics import Diagnostic
from fernshale.core.build.owners import Owned

_QUOTED = re.compile(r"[‘'`]([^‘’'`]+)[’'`]")
_NUMBER = re.compile(r"\d+")

# (kind, pattern with a group `symbol` and maybe `scope`, title). The first that fits decides; what GCC, Clang and mypy
# say of one matter stands in one row each.
_KINDS: tuple[tuple[str, re.Pattern[str], str], ...] = tuple(
    (kind, re.compile(pattern), title)
    for kind, pattern, title in (
        ("missing header", r"^(?P<symbol>[^\s:]+): No such file or directory", "{symbol} is not there any more"),
        ("missing header", r"^'(?P<symbol>[^']+)' file not found", "{symbol} is not there any more"),
        (
            "missing name",
            r"[‘'](?P<symbol>\w+)[’'] is not a member of [‘'](?P<scope>[^’']+)[’']",
            "{scope} has no {symbol}",
        ),
        (
            "missing name",
            r"no member named '(?P<symbol>\w+)' in (?:namespace )?'(?P<scope>[^']+)'",
            "{scope} has no {symbol}",
        ),
        (
            "missing member",
            r"[‘'](?:const )?(?:class |struct )?(?P<scope>[^’']+)[’'] has no member named [‘'](?P<symbol>\w+)[’']",
            "{scope} has no {symbol}",
        ),
        ("missing member", r'^"(?P<scope>[^"]+)" has no attribute "(?P<symbol>\w+)"', "{scope} has no {symbol}"),
        ("missing name", r'^Module (?:"[^"]*" )?has no attribute "(?P<symbol>\w+)"', "the module has no {symbol}"),
        ("missing name", r'^Name "(?P<symbol>\w+)" is not defined', "{symbol} is not defined"),
        ("missing name", r"[‘'](?P<symbol>[\w:]+)[’'] has not been declared", "{symbol} is not declared any more"),
        ("missing name", r"[‘'](?P<symbol>[\w:]+)[’'] was not declared in this scope", "{symbol} is not declared"),
        ("missing name", r"use of undeclared identifier '(?P<symbol>[\w:]+)'", "{symbol} is not declared"),
        (
            "missing type",
            r"[‘'](?P<symbol>[\w:]+)[’'](?: in [^.]*)? does not name a (?:template )?type",
            "{symbol} names no type",
        ),
        ("missing type", r"unknown type name '(?P<symbol>[\w:]+)'", "{symbol} names no type"),
        (
            "private",
            r"[‘'](?P<symbol>[^’']+)[’'] is (?:private|protected) within this context",
            "{symbol} is private now",
        ),
        ("private", r"calling a private constructor of class '(?P<symbol>[^']+)'", "{symbol} is private now"),
        (
            "call",
            r"no matching (?:member )?function for call to [‘'](?P<symbol>[^’']+)[’']",
            "no {symbol} takes these arguments",
        ),
        (
            "call",
            r"too (?:few|many) arguments to (?:member )?function [‘'](?P<symbol>[^’']+)[’']",
            "{symbol} takes other arguments",
        ),
        (
            "getter",
            r"invalid use of (?:non-static )?member function [‘'](?P<symbol>[^’']+)[’']",
            "{symbol} is a function now",
        ),
        (
            "override",
            r"[‘'](?P<symbol>[^’']+)[’'] marked [‘']override[’'],? but does not override",
            "no {symbol} to override any more",
        ),
        (
            "conversion",
            r"cannot convert [‘'](?P<from>[^’']+)[’'] to [‘'](?P<symbol>[^’']+)[’']",
            "a {symbol} is wanted",
        ),
        ("link", r"undefined reference to [`‘'](?P<symbol>[^’']+)[’']", "{symbol} is defined nowhere"),
        ("link", r"undefined symbol: (?P<symbol>.+)$", "{symbol} is defined nowhere"),
        ("link twice", r"multiple definition of [`‘'](?P<symbol>[^’']+)[’']", "{symbol} is defined twice"),
        ("build file", r"No rule to make target [`‘'](?P<symbol>[^’']+)[’']", "nothing makes {symbol}"),
    )
)
_ABSTRACT = re.compile(r"abstract (?:class )?(?:type )?[‘'](?P<symbol>[^’']+)[’']")
_PURE = re.compile(
    r"[‘']virtual (?P<symbol>[^’']*\([^’']*\)[^’']*)[’']|unimplemented pure virtual method '(?P<method>\w+)'"
)


@dataclass(frozen=True, slots=True)
class Cause:
    """What a group of errors has in common; `key` stays the same from round to round.

    `symbol` is the last name of what is concerned. `owner` is that of most of its errors.
    """

    key: str
    kind: str
    title: str
    symbol: str
    owner: str
    errors: tuple[Owned, ...]

    @property
    def count(self) -> int:
        return len(self.errors)

    @property
    def files(self) -> tuple[str, ...]:
        return tuple(sorted({error.place.file for error in self.errors if error.place.file}))


def find_causes(diagnostics: Sequence[Owned]) -> tuple[Cause, ...]:
    """Causes of the errors among `diagnostics`; those of the project first, then those that clear most."""
    groups: dict[str, tuple[tuple[str, str, str, str], list[Owned]]] = {}
    for owned in diagnostics:
        if owned.diagnostic.severity == "error":
            named = _name(owned.diagnostic)
            groups.setdefault(named[0], (named, []))[1].append(owned)
    causes = [
        Cause(key, kind, title, symbol, _main_owner(errors), tuple(errors))
        for (key, kind, title, symbol), errors in groups.values()
    ]
    return tuple(sorted(causes, key=lambda cause: (cause.owner in ("engine", "elsewhere"), -cause.count, cause.key)))


def last_name(symbol: str) -> str:
    """The bare name in a signature or qualified name: `keeper` of `const std::string& m::Pier::keeper() const`."""
    head = re.sub(r"\{aka .*", "", symbol)
    head = head.split("(")[0] if "(" in head and not head.startswith("(") else head
    names = re.findall(r"~?\w+", re.sub(r"<[^<>]*>", "", head))
    return names[-1] if names else symbol


def _name(diagnostic: Diagnostic) -> tuple[str, str, str, str]:
    """(key, kind, title, symbol) of an error."""
    if found := _ABSTRACT.search(diagnostic.message):
        # "because the following are pure within ‘X’" quotes a class, the lines after it the methods.
        method = next(
            (
                last_name(hit["symbol"] or hit["method"])
                for hit in (_PURE.search(note.message) for note in diagnostic.notes)
                if hit
            ),
            "",
        )
        if method:
            return f"must implement:{method}", "must implement", f"{method} must be implemented", method
        return f"abstract:{found['symbol']}", "must implement", f"{found['symbol']} is abstract now", found["symbol"]
    return _name_message(diagnostic.message)


@lru_cache(maxsize=4096)
def _name_message(message: str) -> tuple[str, str, str, str]:
    """As `_name`, for what the message alone tells; logs repeat themselves."""
    for kind, pattern, title in _KINDS:
        if found := pattern.search(message):
            groups = {name: _short(value or "") for name, value in found.groupdict().items()}
            symbol = found["symbol"] if kind == "missing header" else last_name(found["symbol"])
            # An override is lost in each class by itself, but it is one method of the base that changed.
            scope = groups.get("scope", "")
            if kind in ("override", "call"):
                groups["symbol"] = symbol
            return f"{kind}:{scope}:{symbol}", kind, title.format(**groups), symbol
    shape = _NUMBER.sub("0", _QUOTED.sub("‘…’", message))
    quoted = _QUOTED.search(message)
    return f"other:{shape}", "other", message, last_name(quoted[1]) if quoted else ""


def _short(symbol: str) -> str:
    """A symbol for people: `m::Pier::keeper` of `const std::string& m::Pier::keeper() const`."""
    head = re.sub(r"\s*\{aka .*", "", symbol).split("(")[0].strip()
    return head if "<" in head else re.split(r"[\s&*]+", head)[-1]


def _main_owner(errors: Sequence[Owned]) -> str:
    owners = [error.owner for error in errors]
    return max(sorted(set(owners)), key=owners.count)
