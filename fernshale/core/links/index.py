"""All ids and paths of a tree: read once, then only what changed."""

from __future__ import annotations

import os
import posixpath
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work, many_values
from fernshale.core.links.path_references import TreePaths
from fernshale.core.links.reference_reader import NOTHING, FileMarks, ReadPlan, Reference, ReferenceReader, Rules
from fernshale.core.process.workers import WorkerProcess, is_worthwhile
from fernshale.core.profile.model import DataFormat, LinkShape

_READ = "fernshale.core.links.index:read_files"
_PROGRESS_EVERY = 200
_HEAD_START = 3000
# More at once would cost most files, which are small, a new mapping of memory each.
_PIECE = 1 << 15
_LARGE_PIECE = 1 << 24


@dataclass(frozen=True, slots=True)
class Use:
    """A place with an id or a path."""

    file: TreePath
    mark: Reference

    @property
    def line(self) -> int:
        return self.mark.line


class LinkIndex:
    """The marks of a tree's files, and where each id is declared and used.

    Not to be changed by two threads at once.
    """

    def __init__(self, shape: LinkShape, formats: Sequence[DataFormat] = ()) -> None:
        self.rules = Rules(shape, formats)
        self.shape, self.formats = shape, tuple(formats)
        self.files: dict[TreePath, FileMarks] = {}
        self.paths = TreePaths()
        self._stamps: dict[TreePath, object] = {}
        self._plans: dict[TreePath, ReadPlan | None] = {}  # None: no rule concerns it
        # Which files, each with how many marks; ids are looked up far more often than files are read.
        self._declared: dict[str, dict[TreePath, int]] = {}
        self._used: dict[str, dict[TreePath, int]] = {}
        self._named: dict[tuple[str, str], dict[TreePath, int]] = {}

    def update(
        self,
        stamps: Mapping[TreePath, object],
        root: Path | ReferenceReader,
        work: Work,
        like: LinkIndex | None = None,
    ) -> int:
        """Read the files whose stamp has changed; return how many. `root` is a folder, or a function that returns bytes.

        Results of `like`, an index by the same rules, are reused for equal paths and stamps. Raises FormatError, Cancelled;
        files read before that stay in the index.
        """
        plans = self._plans
        for path in stamps.keys() - plans.keys():
            plans[path] = self.rules.plan(path)
        wanted = [path for path, stamp in stamps.items() if self._stamps.get(path) != stamp and plans[path]]
        for path in [path for path in self._stamps if path not in stamps]:
            self._remove(path)
        if self.paths.files != stamps.keys():
            self.paths = TreePaths(set(stamps))
        with many_values():
            for path in wanted if like is not None else ():
                if like is not None and like._stamps.get(path) == stamps[path]:
                    self._take(path, stamps[path], like.files.get(path, NOTHING))
            wanted = [path for path in wanted if self._stamps.get(path) != stamps[path]]
            for path, marks in self._read(wanted, root, work):
                self._take(path, stamps[path], marks)
        return len(wanted)

    # -- queries

    def ids_declared(self) -> Collection[str]:
        return self._declared.keys()

    def ids_used(self) -> Collection[str]:
        return self._used.keys()

    def declares(self, id: str) -> bool:
        return id in self._declared

    def declarations(self, id: str) -> tuple[Use, ...]:
        return self._places(self._declared.get(id, ()), id, True)

    def uses(self, id: str) -> tuple[Use, ...]:
        return self._places(self._used.get(id, ()), id, False)

    def users(self, id: str) -> Collection[TreePath]:
        """The files that use an id."""
        return self._used.get(id, {}).keys()

    @property
    def missing(self) -> tuple[str, ...]:
        """Used ids that nothing declares, in order."""
        return tuple(sorted(id for id in self._used if id and id not in self._declared))

    @property
    def doubled(self) -> tuple[str, ...]:
        """Ids that are declared more than once, in order."""
        return tuple(sorted(id for id, files in self._declared.items() if len(files) > 1 or sum(files.values()) > 1))

    def named_files(self) -> dict[TreePath, list[Use]]:
        """Return uses of paths by the file they name; paths that lead out of the tree or elsewhere are left out."""
        return self._by_target(self.paths)

    def missing_files(self, before: TreePaths) -> dict[TreePath, list[Use]]:
        """Return uses of paths to missing files, by the file they named `before`, else by the file they would name."""
        return self._by_target(before, but_not=self.paths)

    def _by_target(self, paths: TreePaths, but_not: TreePaths | None = None) -> dict[TreePath, list[Use]]:
        found: dict[TreePath, list[Use]] = {}
        roots = tuple(dict.fromkeys(root for rule in self.rules.all for root in rule.roots))
        for (folder, written), files in self._named.items():
            if but_not is not None and but_not.resolve(written, folder, roots) in but_not:
                continue
            target = paths.resolve(written, folder, roots)
            if target is not None:
                for path in files:
                    marks = [mark for mark in self.files[path].used if mark.id == written]
                    found.setdefault(target, []).extend(
                        Use(path, mark) for mark in marks if self.rules.names_files(mark)
                    )
        return found

    # -- keeping count

    def _count(self, path: TreePath, marks: FileMarks) -> None:
        declared, used, naming, first_use = self._declared, self._used, self.rules.naming, self.rules.declaring
        for id, _, _, _, rule in marks.all:
            if rule in naming:
                _add(self._named, (posixpath.dirname(path), id), path)
            else:
                _add(declared if rule < first_use else used, id, path)

    def _take(self, path: TreePath, stamp: object, marks: FileMarks) -> None:
        if path in self._stamps:
            self._remove(path)
        self._stamps[path] = stamp
        if marks.all or marks.trouble:
            self.files[path] = marks
            self._count(path, marks)

    def _remove(self, path: TreePath) -> None:
        self._stamps.pop(path, None)
        marks = self.files.pop(path, NOTHING)
        for mark in marks.all:
            if self.rules.names_files(mark):
                _drop(self._named, (posixpath.dirname(path), mark.id), path)
            else:
                _drop(self._declared if mark.rule < marks.uses_from else self._used, mark.id, path)

    def _places(self, files: Iterable[TreePath], id: str, declared: bool) -> tuple[Use, ...]:
        found = []
        for path in sorted(files):
            marks = self.files[path].declared if declared else self.files[path].used
            found += [
                Use(path, mark) for mark in marks if mark.id == id and (declared or not self.rules.names_files(mark))
            ]
        return tuple(found)

    # -- reading

    def _read(
        self, wanted: Sequence[TreePath], root: Path | ReferenceReader, work: Work
    ) -> Iterator[tuple[TreePath, FileMarks]]:
        # Finding keys is about as fast as receiving marks from another process.
        is_slow = any(not rule.key for rule in self.rules.all)
        if is_slow and isinstance(root, Path) and is_worthwhile(len(wanted), 0):
            # The second process has to start first.
            half = len(wanted) // 2 + min(len(wanted) // 8, _HEAD_START)
            job = (self.shape, self.formats, str(root), wanted[half:])
            with WorkerProcess(_READ, job) as second:
                told = lambda done: work.progress(tr("reading links"), done + second.done, len(wanted))  # noqa: E731
                mine = list(_read_marks(self.rules, root, wanted[:half], told, work.token))
                theirs = second.result(work.token)
            yield from zip(wanted, (*mine, *map(_unpacked, theirs)), strict=True)
            return
        for number, path in enumerate(wanted):
            if number % _PROGRESS_EVERY == 0:
                work.check()
                work.progress(tr("reading links"), number, len(wanted))
            data = _bytes(root, path) if isinstance(root, Path) else root(path)
            yield path, self.rules.read(path, data, self._plans[path]) if data is not None else NOTHING


def _read_marks(
    rules: Rules, folder: Path, paths: Sequence[TreePath], tell: Callable[[int], None], token: CancelToken | None
) -> Iterator[FileMarks]:
    for number, path in enumerate(paths):
        if number % _PROGRESS_EVERY == 0:
            tell(number)
            if token is not None:
                token.check()
        data = _bytes(folder, path)
        yield rules.read(path, data) if data is not None else NOTHING


def read_files(
    job: tuple[LinkShape, Sequence[DataFormat], str, Sequence[TreePath]], tell: Callable[[int], None]
) -> list[Any]:
    """Read the marks of many files as plain tuples; runs in the second process."""
    shape, formats, root, paths = job
    marks = _read_marks(Rules(shape, formats), Path(root), paths, tell, None)
    return [(tuple(map(tuple, item.all)), item.uses_from, item.trouble) for item in marks]


def _unpacked(item: Any) -> FileMarks:
    marks, uses_from, trouble = item
    return FileMarks(tuple(map(Reference._make, marks)), uses_from, trouble)


def _bytes(root: Path, path: TreePath) -> bytes | None:
    try:
        handle = os.open(f"{root}/{path}", os.O_RDONLY | os.O_CLOEXEC)
        try:
            data = os.read(handle, _PIECE)
            if len(data) < _PIECE:
                return data  # as most files are
            parts = [data]
            while part := os.read(handle, _LARGE_PIECE):
                parts.append(part)
            return b"".join(parts)
        finally:
            os.close(handle)
    except OSError:
        return None  # removed meanwhile, or unreadable: no links


def _add(counted: dict[Any, dict[TreePath, int]], key: Any, path: TreePath) -> None:
    files = counted.get(key)
    if files is None:
        counted[key] = {path: 1}
    else:
        files[path] = files.get(path, 0) + 1


def _drop(counted: dict[Any, dict[TreePath, int]], key: Any, path: TreePath) -> None:
    files = counted.get(key)
    if files is not None:
        files.pop(path, None)
        if not files:
            del counted[key]
