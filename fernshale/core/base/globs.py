"""Globs over tree paths, as git's ignore files write them (`*`, `**`, `name/`)."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import TypeVar

import pathspec

P = TypeVar("P", bound=str)


@lru_cache(maxsize=512)
def _compiled(patterns: tuple[str, ...]) -> pathspec.GitIgnoreSpec:
    return pathspec.GitIgnoreSpec.from_lines([_anchored(pattern) for pattern in patterns])


def matches(patterns: Iterable[str], path: str) -> bool:
    """Whether any of `patterns`, seen from the tree's root, fits `path`."""
    return bool(_compiled(tuple(patterns)).match_file(path))


def literal(path: str) -> str:
    """A glob that fits only `path`."""
    return re.sub(r"([*?\[\]\\!#])", r"\\\1", path)


class FirstFit:
    """Finds the first of several groups of globs that matches a path; create once, use for many paths.

    All globs become one regular expression, so a path takes about a microsecond however many globs there are.
    """

    def __init__(self, groups: Sequence[Iterable[str]]) -> None:
        self._groups = [tuple(group) for group in groups]
        self._of: list[int] = []
        parts: list[str] = []
        self._slow = any(pattern.startswith("!") for group in self._groups for pattern in group)
        for number, group in enumerate(self._groups):
            for compiled in _compiled(group).patterns:
                if compiled.regex is not None:
                    # The library's own groups would count among ours.
                    parts.append("(" + re.sub(r"\(\?P<\w+>", "(?:", compiled.regex.pattern) + ")")
                    self._of.append(number)
        self._match = re.compile("|".join(parts) or r"(?!)").match

    def find(self, path: str) -> int | None:
        """The number of the first group that fits, None when none does."""
        if self._slow:
            return next((at for at, group in enumerate(self._groups) if matches(group, path)), None)
        found = self._match(path)
        return None if found is None or found.lastindex is None else self._of[found.lastindex - 1]

    def those(self, paths: Iterable[P]) -> list[P]:
        """The paths that any group fits, in order."""
        if self._slow:
            return [path for path in paths if self.find(path) is not None]
        match = self._match
        return [path for path in paths if match(path) is not None]


def _anchored(pattern: str) -> str:
    # A profile's `src/*.cpp` is relative to the project's root, and does not match a `src` folder below it.
    return "!/" + pattern[1:].lstrip("/") if pattern.startswith("!") else "/" + pattern.lstrip("/")
