"""The members that the classes of a file declare themselves, and where: by their tokens, and those of Python by its own parser."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from fernshale.core.base.languages import SCRIPTS
from fernshale.core.fix.classes import PYTHON, class_bodies, python_classes
from fernshale.core.fix.tokens import Token, group_end, tokenize

# Text after the name of a declared member, and text before it that can end its type.
_AFTER_NAME = frozenset(("(", ";", "=", "{", ","))
_TYPE_ENDS = frozenset((">", "]", "*", "&", "?"))
# In scripts a member has no type before it.
_AFTER_NAME_IN_SCRIPTS = frozenset(("(", ";", "=", ":", "?", "!"))
_NO_TYPES = frozenset(
    ("return", "new", "throw", "typedef", "using", "operator", "class", "struct", "enum", "interface")
)


@dataclass(frozen=True, slots=True)
class OwnClass:
    """A class: its name, the last names of its bases, and the character each member that it declares is declared at first."""

    name: str
    bases: tuple[str, ...]
    members: Mapping[str, int]


@lru_cache(maxsize=256)
def own_classes(text: str, path: str) -> tuple[OwnClass, ...]:
    """The classes a file defines."""
    if path.endswith(PYTHON):
        return tuple(OwnClass(item.name, item.bases, {**item.fields, **item.members}) for item in python_classes(text))
    tokens = tokenize(text, path)
    is_script = path.endswith(SCRIPTS)
    return tuple(
        OwnClass(name, bases, dict(reversed(list(declared_members(tokens, first, last, is_script=is_script)))))
        for name, bases, first, last in class_bodies(tokens)
    )


def declared_members(tokens: Sequence[Token], first: int, last: int, *, is_script: bool) -> Iterator[tuple[str, int]]:
    """Names at the level of a class body that begin a member, each with its character."""
    at = first + 1
    while at < last - 1:
        token, before, after = tokens[at], tokens[at - 1], tokens[at + 1]
        if token.text in ("(", "[", "{"):
            at = group_end(tokens, at)
            continue
        has_type = (before.kind == "name" and before.text not in _NO_TYPES) or before.text in _TYPE_ENDS
        begins = is_script and (before.text in (";", "}", "{") or before.kind == "name")
        if token.kind == "name" and (
            (has_type and after.text in _AFTER_NAME) or (begins and after.text in _AFTER_NAME_IN_SCRIPTS)
        ):
            yield token.text, token.start
        if token.text == "=":
            # A member's value declares nothing.
            while at < last - 1 and tokens[at].text != ";" and not (is_script and tokens[at + 1].text in (";", "}")):
                at = group_end(tokens, at) if tokens[at].text in ("(", "[", "{") else at + 1
            continue
        at += 1
