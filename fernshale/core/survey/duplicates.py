"""Find duplicate libraries in a project, and generated files that are older than their sources.

Two libraries are duplicates if they have the same bytes, if most of their exported names are equal, or if their file names differ
only in a version. Two folders are duplicates if most of their files are equal and some of these are code: reports and expected
outputs are often alike.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from fernshale.core.base.globs import FirstFit
from fernshale.core.base.languages import language_of
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, on_disk, under
from fernshale.core.base.work import CancelToken
from fernshale.core.profile.model import Profile
from fernshale.core.snapshot.manifest import Manifest, TreeEntry
from fernshale.core.survey.library_exports import exported_names

_KINDS = (".a", ".so", ".dylib", ".dll", ".lib", ".jar")
# So many of the names of the smaller library must be in the larger one, and so many must there be at least.
_SHARE = 0.7
_MIN_NAMES = 3
_MIN_FILES = 3
_MAX_ALIKE = 12
# Unpacking or checking out files can set their times this far apart.
_SLACK_NS = 2_000_000_000
_VERSION = lazy_pattern(r"[-_.]?v?\d+(?:[._-]\d+)*(?:[-_.]?(?:alpha|beta|rc|pre)\d*)?")


@dataclass(frozen=True, slots=True)
class DuplicateLibrary:
    """Two files or folders that seem to be one library. `how` is the kind of evidence, `why` describes it."""

    one: TreePath
    other: TreePath
    how: Literal["content", "exported names", "name", "files"]
    why: str


@dataclass(frozen=True, slots=True)
class Stale:
    """A generated file that is older than one it is made from."""

    file: TreePath
    source: TreePath


def find_doubles(
    profile: Profile, project: Path, manifest: Manifest, token: CancelToken
) -> tuple[DuplicateLibrary, ...]:
    """Libraries and folders that are there twice, by path. Raises Cancelled."""
    key = ("doubles", profile.libraries)
    return manifest.derived(key, lambda: tuple(_doubles(profile, project, manifest, token)))


def find_stale(profile: Profile, manifest: Manifest) -> tuple[Stale, ...]:
    """Return generated files that are older than the newest of their sources in the profile."""
    return manifest.derived(("stale", profile.role), lambda: _stale(profile, manifest))


def _stale(profile: Profile, manifest: Manifest) -> tuple[Stale, ...]:
    found: list[Stale] = []
    for rule in profile.role:
        if rule.role != "generated" or not rule.made_from:
            continue
        given = FirstFit([rule.made_from]).those(manifest.paths())
        if not given:
            continue
        newest = max(given, key=lambda path: _entry(manifest, path).mtime_ns)
        limit = _entry(manifest, newest).mtime_ns - _SLACK_NS
        made = FirstFit([rule.files]).those(manifest.paths())
        found += [Stale(path, newest) for path in made if _entry(manifest, path).mtime_ns < limit]
    return tuple(found)


def _entry(manifest: Manifest, path: TreePath) -> TreeEntry:
    """The entry of a file that is there; the entries of all files take longer than the rest of a survey."""
    entry = manifest.entry(path)
    assert entry is not None
    return entry


def _doubles(profile: Profile, project: Path, manifest: Manifest, token: CancelToken) -> Iterator[DuplicateLibrary]:
    named = set(FirstFit([profile.libraries]).those(manifest.paths())) if profile.libraries else ()
    libraries = [path for path in manifest.paths() if path.endswith(_KINDS) or ".so." in path or path in named]
    names = {}
    for path in libraries:
        token.check()
        try:
            names[path] = exported_names(on_disk(project, path))
        except OSError:
            names[path] = frozenset()
    told: set[TreePath] = set()
    for one, other in sorted(_likely_pairs(libraries, manifest, names)):
        token.check()
        double = _same_library(one, other, manifest, names)
        if double is not None and other not in told:
            told.add(other)
            yield double
    yield from _same_folders(manifest)


def _likely_pairs(
    libraries: Sequence[TreePath], manifest: Manifest, names: Mapping[TreePath, frozenset[str]]
) -> set[tuple[TreePath, TreePath]]:
    """Pairs worth checking: of equal bytes, of one stem, or with a name in common that not every library exports."""
    groups: dict[object, list[TreePath]] = {}
    for path in libraries:
        for key in (_entry(manifest, path).content, ("stem", _stem(path)), *names[path]):
            if key:
                groups.setdefault(key, []).append(path)
    return {pair for group in groups.values() if len(group) <= _MAX_ALIKE for pair in _pairs(group)}


def _same_library(
    one: TreePath, other: TreePath, manifest: Manifest, names: Mapping[TreePath, frozenset[str]]
) -> DuplicateLibrary | None:
    first, second = _entry(manifest, one), _entry(manifest, other)
    if first.content and first.content == second.content:
        return DuplicateLibrary(one, other, "content", tr("both have the same bytes"))
    small, large = sorted((names[one], names[other]), key=len)
    shared = len(small & large)
    if len(small) >= _MIN_NAMES and shared >= _SHARE * len(small):
        some = ", ".join(sorted(small & large)[:3])
        return DuplicateLibrary(
            one,
            other,
            "exported names",
            tr(
                "{shared} of {number} exported names are the same, as {some}",
                shared=shared,
                number=len(small),
                some=some,
            ),
        )
    if (
        _stem(one) == _stem(other)
        and _ending(one) == _ending(other)
        and one.rsplit("/", 1)[-1] != other.rsplit("/", 1)[-1]
    ):
        return DuplicateLibrary(one, other, "name", tr("their names differ in a version only"))
    return None


def _pairs(paths: Sequence[TreePath]) -> Iterator[tuple[TreePath, TreePath]]:
    for at, one in enumerate(paths):
        for other in paths[at + 1 :]:
            yield one, other


def _stem(path: str) -> str:
    name = path.rsplit("/", 1)[-1].lower()
    stem = re.sub(r"\.(?:a|lib|dll|jar|dylib|so(?:\.[\d.]+)?)$", "", name)
    return _VERSION.sub("", stem.removeprefix("lib"))


def _ending(path: str) -> str:
    return re.sub(r"\.[\d.]+$", "", path.rsplit("/", 1)[-1].lower()).rsplit(".", 1)[-1]


def _same_folders(manifest: Manifest) -> Iterator[DuplicateLibrary]:
    """Return pairs of outermost folders that have most files in common, at the same relative paths."""
    by_name: dict[tuple[str, bytes], list[TreePath]] = {}
    for path, digest, size in sorted(manifest.read_files()):
        if size:
            by_name.setdefault((path.rsplit("/", 1)[-1], digest), []).append(path)
    shared: dict[tuple[str, str], int] = {}
    with_code: set[tuple[str, str]] = set()
    for paths in by_name.values():
        # A file that occurs everywhere, such as a licence, proves nothing.
        if 1 < len(paths) <= 4:
            for one, other in _pairs(paths):
                is_code = bool(language_of(one))
                for pair in _common_roots(one, other):
                    shared[pair] = shared.get(pair, 0) + 1
                    if is_code:
                        with_code.add(pair)
    shared = {pair: count for pair, count in shared.items() if pair in with_code}
    if not shared:
        return
    sizes = _folder_sizes(manifest, {folder for pair in shared for folder in pair})
    shared = dict(_without_what_holds_more(shared, sizes))
    told: list[tuple[str, str]] = []
    for (left, right), count in sorted(shared.items(), key=lambda item: (item[0][0].count("/"), item[0])):
        small = min(sizes[left], sizes[right])
        nested = under(left, right) or under(right, left)
        if nested or count < _MIN_FILES or count < _SHARE * small:
            continue
        if any(under(left, known) and under(right, known_other) for known, known_other in told):
            continue
        told.append((left, right))
        why = tr("{number} of {small} files are the same", number=count, small=small)
        yield DuplicateLibrary(TreePath(left), TreePath(right), "files", why)


def _without_what_holds_more(
    shared: Mapping[tuple[str, str], int], sizes: Mapping[str, int]
) -> Iterator[tuple[tuple[str, str], int]]:
    """Remove pairs that merely contain a better pair among many other files."""
    looser = set()
    for (left, right), count in shared.items():
        outer = left.rpartition("/")[0], right.rpartition("/")[0]
        grows = any(sizes.get(out, 0) > 2 * sizes[inner] for out, inner in zip(outer, (left, right), strict=True))
        if shared.get(outer) == count and grows:
            looser.add(outer)
    return ((pair, count) for pair, count in shared.items() if pair not in looser)


def _common_roots(one: str, other: str) -> Iterator[tuple[str, str]]:
    """Yield pairs of folders below which two paths are equal."""
    left, right = one.split("/"), other.split("/")
    for depth in range(1, min(len(left), len(right))):
        if left[-depth:] != right[-depth:]:
            return
        pair = ("/".join(left[:-depth]), "/".join(right[:-depth]))
        if pair[0] != pair[1]:
            yield pair


def _folder_sizes(manifest: Manifest, folders: set[str]) -> dict[str, int]:
    sizes = dict.fromkeys(folders, 0)
    for path in manifest.paths():
        at = path.rfind("/")
        while at > 0:
            folder = path[:at]
            if folder in sizes:
                sizes[folder] += 1
            at = path.rfind("/", 0, at)
    return sizes
