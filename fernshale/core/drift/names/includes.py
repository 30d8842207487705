"""Which headers of a release a source already sees through those that it includes."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.release_symbols import languages_of, list_sources, read_bytes

_INCLUDE = lazy_pattern(r"(?m)^[ \t]*#[ \t]*include[ \t]*[<\"](?P<path>[^>\"\n]+)[>\"]")


def sees_header(text: str, header: str, folder: Path) -> bool:
    """Whether a source that includes what `text` does includes `header`, a path in the release in `folder`, at some depth."""
    graph = include_graph(folder)
    by_name: dict[str, list[str]] = defaultdict(list)
    for path in graph:
        by_name[path.rpartition("/")[2]].append(path)

    def resolved(written: Iterable[str]) -> set[str]:
        return {
            path
            for name in written
            for path in by_name.get(name.rpartition("/")[2], ())
            if path == name or path.endswith(f"/{name}") or name.startswith("../")
        }

    waiting = resolved(_INCLUDE.findall(text))
    seen: set[str] = set()
    while waiting:
        path = waiting.pop()
        if path == header:
            return True
        seen.add(path)
        waiting |= resolved(graph[path]) - seen
    return False


@lru_cache(maxsize=16)
def include_graph(folder: Path) -> Mapping[str, tuple[str, ...]]:
    """The paths that each header of a release includes, as written; cached, since a release does not change."""
    return {
        path: tuple(_INCLUDE.findall(read_bytes(f"{folder}/{path}").decode("utf-8", "replace")))
        for path in list_sources(folder, languages_of("c++"))
    }
