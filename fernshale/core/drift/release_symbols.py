"""The symbols of two releases in files that differ: equal files cannot contain changes.

Files are compared by content; only those that differ in more than comments are parsed, half of them by a second process if
there are many (parsing holds the interpreter lock).
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass
from pathlib import Path

import blake3

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.languages import LANGUAGES, SCRIPTS, language_of
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken, Work, many_values
from fernshale.core.drift.declarations import join_symbols
from fernshale.core.drift.names.script_builds import other_builds
from fernshale.core.drift.parsing import read_both, read_source
from fernshale.core.drift.symbols import Symbol
from fernshale.core.drift.trivia import differ_in_remarks
from fernshale.core.process.workers import WorkerProcess

# Folders with a release's own examples or tests; nobody programs against them.
EXAMPLE_FOLDERS = frozenset(
    ("test", "tests", "spec", "specs", "example", "examples", "sample", "samples", "demo", "demos", "doc", "docs",
     "benchmark", "benchmarks", "bench", "fixtures")
)  # fmt: skip
_SKIPPED_FOLDERS = EXAMPLE_FOLDERS | {"third_party", "thirdparty", "__pycache__", "build", "cmake"}
# Folders into which package tools put what a release depends on; they are read only where it has nothing else.
_PACKAGES = frozenset(("node_modules", "site-packages", "vendor"))
_BUNDLED = (".min.js", ".min.mjs", ".bundle.js", ".umd.js", ".prod.js")
# From so many bytes on a second process is worth its start.
_MUCH = 2_000_000
# Bytes that this process parses before the second one is ready, and while its results arrive.
_AHEAD = 700_000
_PARSE = "fernshale.core.drift.release_symbols:parse_files"


@dataclass(frozen=True, slots=True)
class ReleaseSymbols:
    """One side: its folder, the symbols of the files that differ, and all source files by relative path."""

    folder: Path
    symbols: tuple[Symbol, ...]
    files: frozenset[str]


@dataclass(frozen=True, slots=True)
class Pair:
    """Two releases. `moved` maps files of the old one to where the new one has the same bytes."""

    old: ReleaseSymbols
    new: ReleaseSymbols
    moved: Mapping[str, str]


def read_pair(old: Path, new: Path, language: str, work: Work) -> Pair:
    """The symbols of two releases. `language` narrows it to one, "" for all. Raises MisuseError, Cancelled."""
    folders = (old, new)
    languages = languages_of(language)
    files = [list_sources(folder, languages) for folder in folders]
    everything = [frozenset(listed) for listed in files]
    files = [_without_other_builds(listed) for listed in files]
    # The second process starts while files are compared.
    with many_values(), _second(_differing_bytes(*files)) as second:
        same = _same_files(folders, files, work.token)
        differ = [
            _by_content(folders[at], [path for path in files[at] if path not in same], work.token) for at in (0, 1)
        ]
        moved = {
            path: there
            for digest in differ[0].keys() & differ[1].keys()
            for path, there in zip(differ[0][digest], differ[1][digest], strict=False)
        }
        listed = [[path for paths in differ[at].values() for path in paths] for at in (0, 1)]
        wanted = [frozenset(paths) for paths in listed]
        jobs = []
        for path in dict.fromkeys((*listed[0], *listed[1])):
            sides = [str(folder) if path in wanted[at] else "" for at, folder in enumerate(folders)]
            jobs.append((sides[0], sides[1], path, sum(files[at][path].st_size for at in (0, 1) if sides[at])))
        read = _parse(jobs, second, work)
        symbols = [[item for path in listed[at] for item in read[path][at]] for at in (0, 1)]
        releases = [ReleaseSymbols(folders[at], join_symbols(symbols[at]), everything[at]) for at in (0, 1)]
    return Pair(releases[0], releases[1], moved)


def read_release(folder: Path, language: str, work: Work) -> tuple[Symbol, ...]:
    """All symbols of one release. Raises MisuseError, Cancelled."""
    files = _without_other_builds(list_sources(folder, languages_of(language)))
    jobs = [(str(folder), "", path, stat.st_size) for path, stat in files.items()]
    with many_values(), _second(sum(job[3] for job in jobs)) as second:
        read = _parse(jobs, second, work)
    return join_symbols(item for path in files for item in read[path][0])


def languages_of(language: str) -> frozenset[str]:
    """The languages meant by a name, all for "". Raises MisuseError."""
    if language and language not in LANGUAGES:
        raise MisuseError(
            tr("{language} is no language known here", language=language),
            tr("Known are {languages}.", languages=", ".join(LANGUAGES)),
        )
    return frozenset(name for known, names in LANGUAGES.items() if language in ("", known) for name in names)


def list_sources(folder: Path, languages: frozenset[str]) -> dict[str, os.stat_result]:
    """Return the source files of a release by relative path. Raises MisuseError if the folder does not exist.

    A release that has none of its own is a folder of downloaded packages: then those of the packages are meant.
    """
    if not folder.is_dir():
        raise MisuseError(tr("{folder} is no folder", folder=folder))
    packages: list[str] = []
    found = _sources_below(folder, [""], languages, packages)
    found = found or _sources_below(folder, packages, languages, [])
    return dict(sorted(found.items()))


def _without_other_builds(files: Mapping[str, os.stat_result]) -> dict[str, os.stat_result]:
    left_out = other_builds(files)
    return {path: stat for path, stat in files.items() if path not in left_out}


def _sources_below(
    folder: Path, pending: list[str], languages: frozenset[str], packages: list[str]
) -> dict[str, os.stat_result]:
    """The source files below some folders; folders of downloaded packages are only added to `packages`."""
    found: dict[str, os.stat_result] = {}
    while pending:
        inner = pending.pop()
        with os.scandir(folder / inner) as entries:
            for entry in entries:
                path = f"{inner}/{entry.name}" if inner else entry.name
                if entry.is_symlink() or entry.name.startswith("."):
                    continue
                if entry.is_dir():
                    if entry.name.lower() in _PACKAGES:
                        packages.append(path)
                    elif entry.name.lower() not in _SKIPPED_FOLDERS:
                        pending.append(path)
                elif language_of(entry.name) in languages and not entry.name.endswith(_BUNDLED):
                    found[path] = entry.stat()
    return found


def included(file: str) -> str:
    """A header's path as it is included, after the last folder named include; a script's as it is imported, without the
    folder in which a package keeps its sources."""
    if file.endswith(SCRIPTS):
        return re.sub(r"(?:/index)?(?:\.d)?\.\w+\Z", "", re.sub(r"^(?:.*/)?(?:src|source|lib|dist|types)/", "", file))
    return re.sub(r"^(?:.*/)?(?:include|inc)/", "", file)


def _same_files(
    folders: Sequence[Path], files: Sequence[Mapping[str, os.stat_result]], token: CancelToken
) -> frozenset[str]:
    """The paths at which both releases have the same bytes apart from comments."""
    same = set()
    for path in files[0]:
        token.check()
        if path in files[1]:
            old, new = (read_bytes(f"{folder}/{path}") for folder in folders)
            if old == new or differ_in_remarks(old, new, path):
                same.add(path)
    return frozenset(same)


def _by_content(folder: Path, paths: Sequence[str], token: CancelToken) -> dict[bytes, list[str]]:
    """Return files by the digest of their content."""
    found: dict[bytes, list[str]] = {}
    for path in paths:
        token.check()
        found.setdefault(blake3.blake3(read_bytes(f"{folder}/{path}")).digest(), []).append(path)
    return found


def read_bytes(path: str) -> bytes:
    """Return the bytes of a release's source file; empty if it cannot be read."""
    try:
        with open(path, "rb", buffering=0) as file:
            return file.read()
    except OSError:
        return b""  # an unreadable file has no symbols


_Job = tuple[str, str, str, int]  # folder of the old and of the new release, "" if not read; relative path; bytes
_Both = tuple[tuple[Symbol, ...], tuple[Symbol, ...]]


def _second(size: int) -> AbstractContextManager[WorkerProcess | None]:
    """A second process, if this many bytes are worth starting it."""
    return nullcontext() if size < _MUCH or len(os.sched_getaffinity(0)) < 2 else WorkerProcess(_PARSE)


def _differing_bytes(old: Mapping[str, os.stat_result], new: Mapping[str, os.stat_result]) -> int:
    """About how many bytes are to be parsed: those of files whose size differs on the other side, or that it does not have."""
    return sum(
        stat.st_size
        for mine, theirs in ((old, new), (new, old))
        for path, stat in mine.items()
        if path not in theirs or theirs[path].st_size != stat.st_size
    )


def _parse(jobs: Sequence[_Job], second: WorkerProcess | None, work: Work) -> dict[str, _Both]:
    """The symbols of each file in both releases, by its path."""

    def report(done: int) -> None:
        work.progress("reading symbols", done, len(jobs))

    if second is None:
        return _by_path(jobs, parse_files((jobs, work.token.check), report))
    here, there = _halves(jobs)
    second.give((there, None))
    mine = parse_files((here, work.token.check), lambda done: report(done + second.done))
    return _by_path((*here, *there), (*mine, *second.result(work.token)))


def parse_files(job: tuple[Sequence[_Job], Callable[[], None] | None], tell: Callable[[int], None]) -> list[_Both]:
    """The symbols of each file in both releases; the second process's part as well."""
    files, check = job
    read: list[_Both] = []
    for number, (old, new, path, _) in enumerate(files):
        if number % 50 == 0:
            tell(number)
            if check is not None:
                check()
        if old and new:
            read.append(read_both(read_bytes(f"{old}/{path}"), read_bytes(f"{new}/{path}"), path))
        else:
            symbols = read_source(read_bytes(f"{old or new}/{path}"), path)
            read.append((symbols, ()) if old else ((), symbols))
    return read


def _halves(jobs: Sequence[_Job]) -> tuple[list[_Job], list[_Job]]:
    """Return the files to parse here and in the second process, with equal amounts of work: largest files first."""
    here: list[_Job] = []
    there: list[_Job] = []
    left = -_AHEAD  # how many bytes more are parsed here than there
    for job in sorted(jobs, key=lambda job: -job[3]):
        part, size = (here, job[3]) if left <= 0 else (there, -job[3])
        part.append(job)
        left += size
    return here, there


def _by_path(jobs: Sequence[_Job], read: Sequence[_Both]) -> dict[str, _Both]:
    return {path: both for (*_, path, _), both in zip(jobs, read, strict=True)}
