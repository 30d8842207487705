"""Functions that give and set the fields of a C structure that the new release hides: their names and types say which.

A structure becomes opaque: `lamp->glow` is `lamp_get_glow(lamp)` then. The functions may have been there before.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.confidence import ACCESSOR_OF_MODULE, ACCESSOR_OF_OTHER_NAME, GETTER, SHARE_OTHER_TYPE
from fernshale.core.base.languages import C_FAMILY
from fernshale.core.base.texts import english
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.names.name_parts import parts_of
from fernshale.core.drift.symbols import Parameter, Symbol
from fernshale.core.drift.type_exchange import names_in_type
from fernshale.core.fix.rules import GetterRule, Takes
from fernshale.core.inference.overrides import rule_id
from fernshale.core.inference.release_lookup import functions_about, names_of_type

# Words of a type that are not its name.
_QUALIFIERS = frozenset(
    ("const", "struct", "union", "enum", "volatile", "unsigned", "signed", "extern", "static", "inline")
)
_READS, _SETS = frozenset(("get", "is", "has", "peek")), frozenset(("set",))
_VERBS = _READS | _SETS
_GIVES_NOTHING = ("void", "int", "")
# From so many functions of a structure on, the beginning of their names is that of their module.
_MIN_FUNCTIONS = 3


@dataclass(frozen=True, slots=True)
class _Accessor:
    """A function that reads or sets a field. `takes` is how it takes the object."""

    symbol: Symbol
    takes: Takes
    score: float


class _Words:
    """The words in names of functions that say nothing about a field: those of the structure, or where no function is named after
    it, the beginning that several of its functions have."""

    def __init__(self, names: Collection[str], about: Sequence[Symbol]) -> None:
        self.names = names
        self._of_struct = {part for name in names for part in parts_of(name)}
        functions = {parts_of(item.name) for item in about}
        is_named_after = any(parts[: len(own)] == own for own in map(parts_of, names) for parts in functions)
        starts = Counter(parts[:end] for parts in functions for end in range(1, len(parts)))
        self._starts = frozenset(
            start
            for start, times in starts.items()
            if times >= _MIN_FUNCTIONS and not is_named_after and _VERBS.isdisjoint(start)
        )

    def score(self, field: Symbol, function: Symbol, verbs: Collection[str]) -> float:
        """How certain a name says that a function is about a field, by its words or else by its ending; 0 where it does not."""
        wanted, parts = "".join(parts_of(field.name)), parts_of(function.name)
        start = max((end for end in range(1, len(parts)) if parts[:end] in self._starts), default=0)
        if self._without(parts, verbs, wanted) == wanted:
            return GETTER
        if start and self._without(parts[start:], verbs, wanted) == wanted:
            return ACCESSOR_OF_MODULE
        return ACCESSOR_OF_OTHER_NAME if "".join(parts).endswith(wanted) else 0.0

    def _without(self, parts: Sequence[str], verbs: Collection[str], wanted: str) -> str:
        """Join the words of a name, without leading verbs and words of the structure; stop early at `wanted`."""
        left = list(parts)
        while left and (left[0] in self._of_struct or left[0] in verbs) and "".join(left) != wanted:
            left.pop(0)
        return "".join(left)


def accessor_rules(changes: Sequence[ApiChange], after: Path) -> Iterator[GetterRule]:
    """Yield rules for fields of structures that are gone, where functions of the new release `after` read them."""
    for change in changes:
        is_gone = change.kind in ("removed", "renamed", "moved")
        if is_gone and change.old is not None and (rule := accessor_rule(change.old, after)) is not None:
            yield rule


def accessor_rule(field: Symbol, after: Path) -> GetterRule | None:
    """Return the rule for a field of a structure of C, None where no function of the release `after` reads it."""
    if not _is_field_of_c(field):
        return None
    names = names_of_type(after, field.scope[-1])
    about = functions_about(after, tuple(sorted(names)))
    words = _Words(names, about)
    read, set_ = _best(_readers(field, words, about)), _best(_setters(field, words, about))
    if read is None:
        return None
    of = _plain_name(field.scope[-1], names)
    why = english(
        "{of} has no field {field} for users any more; {function} reads it",
        of=of,
        field=field.name,
        function=f"{read.symbol.name}()",
    )
    return GetterRule(
        rule_id(field, "accessor"), why, old=field.name, new=read.symbol.name,
        setter=set_.symbol.name if set_ is not None else "", of=of,
        takes=read.takes, setter_takes=set_.takes if set_ is not None else "",
        confidence=round(read.score, 3), named=True,
    )  # fmt: skip


def _is_field_of_c(symbol: Symbol) -> bool:
    return (
        symbol.kind == "field"
        and bool(symbol.scope)
        and symbol.file.endswith(C_FAMILY)
        and "static" not in symbol.marks
    )


def _plain_name(struct: str, names: Collection[str]) -> str:
    """The name that users write: `Lamp` of `struct _Lamp`."""
    return min(names, key=lambda name: (name.startswith("_"), name != struct, name))


def _readers(field: Symbol, words: _Words, about: Sequence[Symbol]) -> Iterator[_Accessor]:
    for symbol in about:
        if len(symbol.parameters) == 1 and (takes := _takes(symbol.parameters[0], words.names)):
            score = words.score(field, symbol, _READS)
            if score and symbol.returns not in ("", "void"):
                is_same = _plain(symbol.returns) == _plain(field.returns)
                yield _Accessor(symbol, takes, score if is_same else score * SHARE_OTHER_TYPE)


def _setters(field: Symbol, words: _Words, about: Sequence[Symbol]) -> Iterator[_Accessor]:
    for symbol in about:
        is_setter = len(symbol.parameters) == 2 and symbol.returns in _GIVES_NOTHING
        if is_setter and (takes := _takes(symbol.parameters[0], words.names)):
            is_same = _plain(symbol.parameters[1].type) == _plain(field.returns)
            score = words.score(field, symbol, _SETS) if is_same else 0.0
            if score:
                yield _Accessor(symbol, takes, score)


def _best(found: Iterator[_Accessor]) -> _Accessor | None:
    """The accessor with the highest score, None where several have it."""
    listed = sorted(found, key=lambda item: -item.score)
    is_only = listed and (len(listed) == 1 or listed[0].score > listed[1].score)
    return listed[0] if is_only else None


def _takes(parameter: Parameter, names: Collection[str]) -> Takes:
    """How a parameter takes a structure: "pointer", "value", or "" where it is of another type."""
    stars = parameter.type.count("*")
    if _type_name(parameter.type) not in names or stars > 1:
        return ""
    return "pointer" if stars else "value"


def _plain(type_: str) -> tuple[str, int]:
    """The last name in a type, and how often it is a pointer or an array."""
    return _type_name(type_), type_.count("*") + type_.count("[")


def _type_name(type_: str) -> str:
    """The last name in a type."""
    return next((name for name in reversed(names_in_type(type_)) if name not in _QUALIFIERS), plain_type(type_))
