"""Check whether a function accepts a call as written: number, names and kinds of its arguments.

A signature is a list of parameters: `room, hour=, ~quiet=, *rest`. `=` marks an optional parameter, `~` a keyword-only one, `!`
one whose kind changed, so that no argument written for the old one fits; `*` and `**` take any number.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from fernshale.core.fix.calls import split_arguments
from fernshale.core.fix.tokens import Token, group_end, tokenize


class _Parameter(NamedTuple):
    name: str
    has_default: bool
    is_named: bool
    has_other_kind: bool


def accepts(signature: str, given: Sequence[str]) -> bool:
    """Return whether a function accepts arguments, each given by its keyword, or "" for a positional one."""
    listed = [_read(item.strip()) for item in signature.split(",") if item.strip()]
    by_place = [at for at, item in enumerate(listed) if not item.is_named and not item.name.startswith("*")]
    by_name = {item.name: at for at, item in enumerate(listed)}
    takes_names = any(item.name.startswith("**") for item in listed)
    takes_more = any(item.name.startswith("*") and not item.name.startswith("**") for item in listed)
    places = sum(not name for name in given)
    if places > len(by_place) and not takes_more:
        return False
    met = by_place[:places]
    for name in filter(None, given):
        if name in by_name:
            met.append(by_name[name])
        elif not takes_names:
            return False
    is_given_twice = len(set(met)) < len(met)
    missing = [item for at, item in enumerate(listed) if at not in met and not item.name.startswith("*")]
    fits = not any(listed[at].has_other_kind for at in met)
    return fits and not is_given_twice and all(item.has_default for item in missing)


def _read(text: str) -> _Parameter:
    marks = text[: len(text) - len(text.lstrip("!~"))]
    name = text[len(marks) :]
    return _Parameter(name.rstrip("="), name.endswith("="), "~" in marks, "!" in marks)


def arguments_after(text: str, path: str, at: int) -> tuple[str, ...] | None:
    """Return the arguments of the call whose name ends at character `at`, by keyword; None if that is no call.

    An expanded argument (`*rest`, `...rest`) gets the keyword "*", which no function has.
    """
    tokens = tokenize(text, path)
    index = next((number for number, token in enumerate(tokens) if token.start >= at), len(tokens))
    if index >= len(tokens) or tokens[index].text != "(":
        return None
    end = group_end(tokens, index)
    return tuple(
        _name_of(tokens[first:last]) for first, last in split_arguments(tokens, index + 1, end - 1) if first < last
    )


def _name_of(argument: Sequence[Token]) -> str:
    if argument[0].text in ("*", "...") and len(argument) > 1:
        return "*"
    is_named = len(argument) > 2 and argument[0].kind == "name" and argument[1].text in ("=", ":")
    return argument[0].text if is_named else ""


def is_accepted(signatures: Iterable[str], given: Sequence[str]) -> bool:
    """Return whether any overload accepts the arguments."""
    return any(accepts(signature, given) for signature in signatures)
