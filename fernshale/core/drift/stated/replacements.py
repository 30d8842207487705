"""Find the replacement that a deprecation text names, as a symbol of the new release."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.names.name_parts import Rarity
from fernshale.core.drift.symbols import Symbol

_NAME = r"[`'\"‘“]*:?(?:\w+:)?[`'\"‘“{<(]*(?:@?link\s+)?[~.!]*(?P<name>[A-Za-z_$#~][\w$]*(?:(?:\.|::|#|->)[A-Za-z_$][\w$]*)*)"
_SAYINGS = tuple(
    lazy_pattern(pattern + _NAME, re.IGNORECASE)
    for pattern in (
        r"\b(?:renamed|moved) (?:to|into|as) ",
        r"\buse(?: the)?(?: new)?(?: function| method| class| property| attribute| module)? ",
        r"\b(?:renamed|moved|changed)(?: to| into| as)? ",
        r"\b(?:replaced|superseded|obsoleted)(?: by| with)(?: either)? ",
        r"\bin fav(?:ou?r|or) of(?: the| using)? ",
        r"\b(?:see|prefer|call|switch to|migrate to|consider)(?: the| using| calling)? ",
        r"\bit is now(?: called| named)? ",
        r"\balias (?:for|of|to) ",
        r"\bis now ",
    )
)
_STOP = frozenset(
    ("the", "this", "instead", "of", "a", "an", "it", "is", "version", "and", "for", "with", "your", "new", "other")
)


_PLAIN = frozenset(
    ("self", "this", "return", "cls", "super", "await", "const", "auto", "let", "var", "std", "forward", "move")
)


# Text that may follow a name that is the complete replacement: the end of its markup, then of the sentence.
_WHOLE = lazy_pattern(
    r"[`'\"’”}>)]*(?:\(\))?[`'\"’”}>]*(?:\s+(?:instead(?: of \S+)?|now|directly))?(?: for new code)?"
    r"\s*(?:[.;!\n](?![\w(])|[@\\]\w|\Z)",
    re.IGNORECASE,
)


_WHOLE_NAME = lazy_pattern(r"[A-Za-z_$][\w$.:]*")
# A macro that is another name, or a call with its own arguments.
_MACRO_CALL = lazy_pattern(r"(?P<name>[A-Za-z_]\w*)\s*(?:\((?P<given>[\w\s,()]*)\))?")
# An alias that a function makes, which is given its name and what it stands for: add_alias("loadSheet", load_sheet).
_MADE_ALIAS = lazy_pattern(
    r"(?:(?:static|class)method\(\s*)?[\w.]+\(\s*['\"](?P<own>[\w$]+)['\"]\s*,\s*(?P<name>[A-Za-z_$][\w$.]*)\s*\)\s*\)?;?"
)
# The type of a constant that is declared with the value of another one: `const glow: typeof shine`.
_TYPE_OF = lazy_pattern(r"typeof\s+([\w$.]+)")
# The same with a cast of the result: ((int)reed_check(L, (n))).
_CAST = lazy_pattern(r"\(\s*\([\w\s*]+\)\s*(?P<call>.+)\)")
# The sentence up to the saying starts with a purpose or a case, or doubts; or the text shows how a call differs.
_CONDITION = lazy_pattern(
    r"(?:\A|[.;!?]\s+)\s*(?:to|if|when|for|in order to|in case|unless|where)\b[^.;!?]*\Z"
    r"|\b(?:most likely|probably|perhaps|maybe|usually|often|in most cases|you (?:may|might|could))\b[^.;!?]*\Z",
    re.IGNORECASE,
)
_OTHERWISE = lazy_pattern(r"\binstead of [`'\"]?[\w.]+\(|\bis equivalent to\b|\bconfiguration object\b", re.IGNORECASE)
# Characters after the name in which such a difference is described.
_NEAR = 200


@dataclass(frozen=True, slots=True)
class StatedReplacement:
    """A replacement named by a text. `written` is the path from the old symbol's owner (`name.ending` in place of `ending`), ""
    if the name alone is enough. `is_whole`: the text asks for no other change. `is_plain`: it has the bare name without an
    owner."""

    symbol: Symbol
    written: str
    is_whole: bool
    is_plain: bool


class ReleaseNames:
    """Symbols of a release by their last name, to find the ones that a text refers to. `gone` are names that only the release
    before it has."""

    def __init__(self, symbols: Iterable[Symbol], gone: frozenset[str] = frozenset()) -> None:
        symbols = tuple(symbols)
        self.gone = gone
        self.rarity = Rarity(item.name for item in symbols)
        self._paths = frozenset(item.path for item in symbols)
        self._by_name: dict[str, list[Symbol]] = defaultdict(list)
        for item in symbols:
            if not item.is_hidden:
                self._by_name[item.name].append(item)

    def at(self, path: tuple[str, ...]) -> Symbol | None:
        """The public symbol of a path."""
        return next((item for item in self._by_name.get(path[-1], ()) if item.path == path), None)

    def named(self, name: str) -> Sequence[Symbol]:
        """The public symbols of a name."""
        return self._by_name.get(name, ())

    def find(self, name: str, near: Symbol) -> Symbol | None:
        """Return the symbol for a name in a text about `near`: first in its scope, then of its kind."""
        parts = tuple(part for part in re.split(r"\.|::|#|->", name.strip("~#.")) if part)
        if not parts:
            return None
        fitting = [item for item in self._by_name.get(parts[-1], ()) if item.path != near.path]
        named = [item for item in fitting if item.path[-len(parts) :] == parts]
        pool = named or ([] if len(parts) > 1 and parts[0][:1].isupper() else fitting)
        return max(
            pool, key=lambda item: (_shared(item.scope, near.scope), item.is_callable == near.is_callable), default=None
        )

    def written_from(self, name: str, near: Symbol) -> str:
        """Return `name` if it leads through another member of the owner of `near`, else ""."""
        parts = name.split(".")
        is_member = near.kind in ("method", "field") and len(parts) > 1 and parts[0] not in near.scope
        return name if is_member and (*near.scope, parts[0]) in self._paths else ""

    def find_only(self, name: str, near: Symbol) -> Symbol | None:
        """As `find`, where no other symbol of that name is as near."""
        found = self.find(name, near)
        if found is None:
            return None
        depth = _shared(found.scope, near.scope)
        rivals = [
            item
            for item in self._by_name[found.name]
            if _shared(item.scope, near.scope) == depth and item.path != near.path
        ]
        return found if len({item.path for item in rivals}) == 1 else None


def named_replacements(text: str) -> Iterator[tuple[str, bool]]:
    """Yield names that a text proposes as replacement, most explicit first, and whether it asks for no other change."""
    for saying in _SAYINGS:
        for found in saying.finditer(text):
            if found["name"].lower() not in _STOP:
                is_whole = _WHOLE.match(text, found.end()) is not None
                yield found["name"], is_whole and not _depends(text, found.start(), found.end())


def _depends(text: str, start: int, end: int) -> bool:
    """Whether a text names a replacement for one purpose only, with doubt, or with another call than before."""
    return is_conditional(text, start) or _OTHERWISE.search(text, 0, end + _NEAR) is not None


def is_conditional(text: str, start: int) -> bool:
    """Whether what a text says from a place on is for one purpose only, or in doubt."""
    return _CONDITION.search(text, 0, start) is not None


def find_replacement(text: str, near: Symbol, names: ReleaseNames) -> StatedReplacement | None:
    """Return the replacement that a deprecation text names."""
    for name, is_whole in named_replacements(text):
        if (found := names.find(name, near)) is not None:
            return StatedReplacement(found, names.written_from(name, near), is_whole, name.strip("#~").isidentifier())
    return None


def forwards_to(symbol: Symbol, names: ReleaseNames) -> tuple[Symbol, bool] | None:
    """Return the symbol that this one is an alias of, and whether it does nothing else.

    Its value names it, or its short body calls it. A body with only the call and its arguments is certain; one that contains
    its own name asks another object for the same.
    """
    if named := named_value(symbol):
        # A class's attribute has a value and is not another name for it.
        found = names.find_only(named[0], symbol)
        return None if found is None else (found, named[1])
    if not symbol.is_callable or not 0 < len(symbol.words) <= 14:
        return None
    given = {item.name.lstrip("*") for item in symbol.parameters}
    # The words of a body are also those of its documentation, which mentions more than it calls.
    body = re.findall(r"[^\W\d]\w*", symbol.value) if symbol.value else symbol.words
    words = [word for word in dict.fromkeys(body) if word not in given and word not in _PLAIN]
    called = [found for word in words if word != symbol.name and (found := names.find(word, symbol)) is not None]
    near = [item for item in called if item.kind in ("function", "method") and item.scope == symbol.scope]
    return (near[0], words == [near[0].name] and _passes_all(symbol)) if len(near) == 1 else None


def _passes_all(symbol: Symbol) -> bool:
    """Whether the call that a body consists of has the function's own parameters in their order, as far as it is known."""
    called = re.fullmatch(r"[\w.:>\s-]*\((?P<given>[^()]*)\)", symbol.value)
    if called is None:
        return not symbol.value
    passed = [part.strip().lstrip("*&") for part in called["given"].split(",") if part.strip()]
    return passed == [item.name.lstrip("*&") for item in symbol.given]


def named_value(symbol: Symbol) -> tuple[str, bool] | None:
    """The name that a constant, macro, enumerator or type is defined as, and whether that is all; None for anything else."""
    if symbol.kind == "macro":
        return _named_by_macro(symbol)
    if made := made_alias(symbol):
        return made, True
    text = symbol.returns if symbol.kind == "type" else symbol.value
    if not text and (same := _TYPE_OF.fullmatch(symbol.returns)):
        text = same[1]
    is_name = symbol.kind in ("constant", "enumerator", "type") and _WHOLE_NAME.fullmatch(text)
    return (text, True) if is_name else None


def made_alias(symbol: Symbol) -> str:
    """The name that a constant or field stands for which a function made of its own name and that one, "" if it is none."""
    made = _MADE_ALIAS.fullmatch(symbol.value)
    return made["name"].split(".")[-1] if made and made["own"] == symbol.name else ""


def _named_by_macro(symbol: Symbol) -> tuple[str, bool] | None:
    """The name that a macro is defined as or calls with its own parameters, and whether it does no more, as a cast."""
    cast = _CAST.fullmatch(symbol.value)
    called = _MACRO_CALL.fullmatch(cast["call"] if cast else symbol.value)
    if called is None:
        return None
    passed = tuple(part.strip(" ()") for part in (called["given"] or "").split(","))
    is_same = not symbol.parameters or passed == tuple(item.name for item in symbol.parameters)
    return (called["name"], cast is None) if is_same else None


def _shared(one: Sequence[str], other: Sequence[str]) -> int:
    """How many names two scopes have in common, from the outside."""
    return next((at for at, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
