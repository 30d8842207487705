"""The names in a release's files, to find names used by the project that another release no longer has.

A cheap forecast without parsing: any word of code anywhere in the release counts as a name.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from pathlib import Path

from fernshale.core.base.cache import Cache
from fernshale.core.base.cached_file import cached_file
from fernshale.core.base.data_folder import cache_folder
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.work import CancelToken

_NAME = lazy_pattern(rb"[A-Za-z_][A-Za-z0-9_]{2,}")
# Skip prose, which also mentions removed names.
_PROSE = (".md", ".txt", ".rst", ".html", ".adoc")
_MAX_BYTES = 4_000_000


def names_of(place: Path, cache: Cache, token: CancelToken) -> frozenset[str]:
    """All names in the files of a release, kept on disk for the next time. Raises Cancelled."""
    key = hashlib.sha256(f"{place}\0{place.stat().st_mtime_ns}".encode("utf-8", "surrogateescape")).hexdigest()[:24]
    known = cache.find("names", key, lambda: frozenset[str]())
    if known is not None:
        return known
    kept = cache_folder() / "shelves" / "names" / f"{key}.txt"
    names = cached_file(
        kept,
        lambda data: frozenset(data.decode("ascii").split()),
        lambda: _read_names(place, token),
        lambda found: "\n".join(sorted(found)).encode("ascii"),
        token,
    )
    cache.put("names", key, names, len(names))
    return names


def count_names(texts: Iterable[str]) -> Mapping[str, int]:
    """Count how often each name occurs in a project's texts."""
    counts: dict[str, int] = {}
    for text in texts:
        for found in _NAME.findall(text.encode("utf-8", "replace")):
            name = found.decode("ascii")
            counts[name] = counts.get(name, 0) + 1
    return counts


def gone_names(old: frozenset[str], new: frozenset[str], used: Mapping[str, int]) -> Mapping[str, int]:
    """The names that only the old release has, with how often the project uses each; most used first."""
    found = {name: used[name] for name in (old - new) & used.keys()}
    return dict(sorted(found.items(), key=lambda item: (-item[1], item[0])))


def _read_names(place: Path, token: CancelToken) -> frozenset[str]:
    names: set[bytes] = set()
    for path in place.rglob("*"):
        token.check()
        if path.suffix.lower() in _PROSE or path.is_symlink() or not path.is_file():
            continue
        try:
            if path.stat().st_size > _MAX_BYTES:
                continue
            data = path.read_bytes()
        except OSError:
            continue
        if b"\0" not in data[:4096]:
            names.update(_NAME.findall(data))
    return frozenset(name.decode("ascii") for name in names)
