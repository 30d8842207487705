"""Imports that the edits of a rule leave unused in a file: they go together with the last use.

Only imports that name what they import are followed: those of Java, Python, Rust and scripts. A word in a comment, in a string or
in `__all__` counts as a use. So does each use in Rust that is no `Type::Name`, because a trait is needed by its methods.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import lru_cache

from fernshale.core.base.languages import ENDINGS, SCRIPTS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.fix.imports import import_lines, uses_beside_imports, without_import
from fernshale.core.fix.statements import whole_line
from fernshale.core.fix.tokens import name_starts

_PYTHON, _JAVA, _RUST = ENDINGS["python"], ENDINGS["java"], ENDINGS["rust"]
_LANGUAGES = (*_PYTHON, *_JAVA, *_RUST, *SCRIPTS)
# Other files import names from these.
_PACKAGE = "__init__.py"
_WORD = lazy_pattern(r"\w+")

TextEdit = tuple[int, int, str]


def left_imports(
    path: str, text: str, edits: Sequence[TextEdit], after: str, gone: str = ""
) -> Iterator[tuple[int, int, tuple[str, ...]]]:
    """Yield the imports with names that a file does not use `after` some edits and did before.

    Each as the half-open span of its line, or of the import alone if the line has more, and the names. A comment is no use of
    the name `gone`: its import is a fault.
    """
    names = _left_names(path, text, edits, after, gone)
    for found in import_lines(text, path) if names else ():
        start, end = whole_line(text, found.start(), found.end())
        here = tuple(name for name in names if next(without_import(name, path, text[start:end]), None) is not None)
        if here:
            yield start, end, here


def _left_names(path: str, text: str, edits: Sequence[TextEdit], after: str, gone: str) -> tuple[str, ...]:
    if not path.endswith(_LANGUAGES) or path.endswith(_PACKAGE):
        return ()
    lost = {word for start, end, _ in edits for word in _WORD.findall(text[start:end])} & _imported(text, path)
    rest = _beside_imports(after, path) if lost else ""
    return tuple(
        name
        for name in sorted(lost)
        if (uses := [at for at in uses_beside_imports(name, path, text) if not _is_member(text, at)])
        and all(_is_member(rest, at) for at in _places_of(name, rest, path, in_code=name == gone))
        and (not path.endswith(_RUST) or all(re.match(r"\w+::[A-Z]", text[at : at + len(name) + 3]) for at in uses))
    )


def _places_of(name: str, text: str, path: str, *, in_code: bool) -> Iterator[int]:
    if in_code:
        return name_starts(text, path, name)
    return (found.start() for found in re.finditer(rf"\b{re.escape(name)}\b", text))


def _is_member(text: str, at: int) -> bool:
    """Return whether a word follows a dot that is not one of three."""
    return text[max(at - 1, 0) : at] == "." and text[max(at - 2, 0) : at] != ".."


@lru_cache(maxsize=64)
def _imported(text: str, path: str) -> frozenset[str]:
    return frozenset(word for found in import_lines(text, path) for word in _WORD.findall(found[0]))


def _beside_imports(text: str, path: str) -> str:
    parts, end = [], 0
    for found in import_lines(text, path):
        parts.append(text[end : found.start()])
        end = found.end()
    return "\n".join((*parts, text[end:]))
