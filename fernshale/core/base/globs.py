"""Globs over tree paths, as git's ignore files write them (`*`, `**`, `name/`)."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

import pathspec


@lru_cache(maxsize=512)
def _compiled(patterns: tuple[str, ...]) -> pathspec.GitIgnoreSpec:
    # Anchored: a profile's `src/*.cpp` speaks of the project's root, not of every `src` below it.
    anchored = ["/" + pattern.lstrip("/") for pattern in patterns]
    return pathspec.GitIgnoreSpec.from_lines(anchored)


def matches(patterns: Iterable[str], path: str) -> bool:
    """Whether any of `patterns`, seen from the tree's root, fits `path`."""
    return bool(_compiled(tuple(patterns)).match_file(path))
