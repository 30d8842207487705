"""The files of a release that use it as its users do: examples, templates and tests."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from fernshale.core.drift.release_symbols import languages_of, list_sources

_EXAMPLES = ("examples", "example", "samples", "sample", "demos", "demo", "templates", "tests", "test")
# More files of these folders show nothing new.
_MAX_FILES = 400


@lru_cache(maxsize=16)
def example_files(folder: Path) -> tuple[str, ...]:
    """Return the source files in the folders with examples, relative to the release; cached, since a release does not change."""
    listed = (
        f"{name}/{path}"
        for name in _EXAMPLES
        if (folder / name).is_dir()
        for path in list_sources(folder / name, languages_of(""))
    )
    return tuple(listed)[:_MAX_FILES]
