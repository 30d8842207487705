"""Compare values in source notation by meaning.

These are no changes: another notation of a literal (1 and 1.0, 'a' and "a", !0 and true), a name in place of the constant it
stands for, the same literals with a constructor ((0, 0) and Point(0, 0)), and a declaration without a value ("..." in a type stub,
an optional parameter in a declaration file).
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Mapping
from functools import cached_property
from pathlib import Path

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.release_symbols import read_bytes

# Values in declarations without bodies whose definitions have the real value.
NO_VALUE = frozenset(("...", "?", "…"))
_NAME = lazy_pattern(r"[A-Za-z_]\w*(?:(?:::|\.)[A-Za-z_]\w*)*")
_NUMBER = lazy_pattern(
    r"([-+]?)(0[xX][0-9a-fA-F]+|0[bB][01]+|(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)(?:[uUlLfFdDnm]|[iu]\d+|f(?:32|64))*"
)
# Literals in brackets, with or without the name of what they make: (0, 0), Point(0, 0), {1.0f, 2.0f}.
_GROUPED = r"""(?:[A-Za-z_][\w.:]*)?(?:\([-+\w.,"' \t]{1,120}\)|\{[-+\w.,"' \t]{1,120}\})"""
_LITERAL = rf"""{_GROUPED}|[-+]?\.?\d[\w.]*|"[^"\n]*"|'[^'\n]*'|\w+"""
_GROUP = lazy_pattern(r"([A-Za-z_][\w.:]*)?[({]([^(){}]*)[)}]")
_DEFINED = lazy_pattern(
    rf"#[ \t]*define[ \t]+(\w+)[ \t]+({_LITERAL})[ \t]*(?://|/\*|\r?$)"
    rf"|\b([A-Za-z_]\w+)[ \t]*(?::[^=\n;(){{}}]{{0,60}})?=[ \t]*({_LITERAL})[ \t]*(?:[;,}}#]|//|/\*|\r?$)",
    re.MULTILINE,
)
# Words that several languages have for one value.
_WORDS = {
    "!0": "true", "!1": "false", "True": "true", "False": "false", "TRUE": "true", "FALSE": "false",
    "void 0": "undefined", "nullptr": "null", "NULL": "null", "nil": "null", "None": "null",
}  # fmt: skip
# An alias of an alias of a constant: no release uses more levels.
_MAX_NAMES = 4


class Constants:
    """The values of constants that a release's sources define, by their last names; made when the first is asked for."""

    def __init__(self, folder: Path, files: Iterable[str]) -> None:
        self._folder, self._files = folder, sorted(files)

    def value_of(self, name: str) -> str:
        """Return the text of a name's only defined value, "" if it has none or several."""
        return self._values.get(re.split(r"::|\.", name)[-1], "")

    @cached_property
    def _values(self) -> Mapping[str, str]:
        found: dict[str, set[str]] = {}
        for path in self._files:
            text = read_bytes(f"{self._folder}/{path}").decode("utf-8", "replace")
            for match in _DEFINED.finditer(text):
                name, value = match[1] or match[3], match[2] or match[4]
                if value != name:  # one that is imported and shown again
                    found.setdefault(name, set()).add(value)
        return {name: next(iter(values)) for name, values in found.items() if len(values) == 1}


def is_same_value(one: str, other: str, old: Constants, new: Constants) -> bool:
    """Return whether the texts of an old and a new value mean the same, or one of them is no value."""
    if one.strip() in NO_VALUE or other.strip() in NO_VALUE or "".join(one.split()) == "".join(other.split()):
        return True
    before, after = _plain(one), _plain(other)
    if before == after:
        return True
    one, other = _resolved(one, old), _resolved(other, new)
    return _plain(one) == _plain(other) or _are_same_group(_group_of(one), _group_of(other))


def _group_of(text: str) -> tuple[str, tuple[object, ...]] | None:
    """The name and the literals of several in brackets; None for anything else."""
    found = _GROUP.fullmatch(text.strip())
    parts = [part.strip() for part in found[2].split(",")] if found else []
    parts = parts[:-1] if parts and not parts[-1] else parts
    values = tuple(map(_plain, parts))
    # Only literals and sums of numbers are values; a text with names in it may mean anything.
    known = (isinstance(value, tuple) or not re.search(r"[^\W\d]", str(value)) for value in values)
    if found is None or len(values) < 2 or not all(known):
        return None
    return re.split(r"::|\.", found[1] or "")[-1], values


def _are_same_group(one: tuple[str, tuple[object, ...]] | None, other: tuple[str, tuple[object, ...]] | None) -> bool:
    """Return whether both have the same literals, and the names of both do not say that they make different things."""
    return (
        one is not None
        and other is not None
        and one[1] == other[1]
        and (not one[0] or not other[0] or one[0] == other[0])
    )


def _is_name(text: str) -> bool:
    return (
        _NAME.fullmatch(text.strip()) is not None and text.strip() not in _WORDS and text.strip() not in _WORDS.values()
    )


def _resolved(text: str, constants: Constants) -> str:
    """Return the value that a name stands for, or the text itself."""
    for _ in range(_MAX_NAMES):
        if not _is_name(text):
            break
        value = constants.value_of(text.strip())
        if not value or value == text:
            break
        text = value
    return text


def _plain(text: str) -> object:
    """A literal as a value that others compare with; any other text without white space."""
    text = text.strip()
    if text in _WORDS or text in _WORDS.values():
        return ("word", _WORDS.get(text, text))
    if number := _NUMBER.fullmatch(text.replace("'", "").replace("_", "")):
        digits = number[2]
        try:
            value: float = int(digits, 0) if digits[:2].lower() in ("0x", "0b") else float(digits)
        except (ValueError, OverflowError):
            return "".join(text.split())
        return ("number", -value if number[1] == "-" else value)
    try:
        value_ = ast.literal_eval(text)
    except (ValueError, SyntaxError, MemoryError, RecursionError, TypeError):
        return "".join(text.split())
    return (type(value_).__name__, repr(value_))
