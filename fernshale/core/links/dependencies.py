"""What a file needs: those it includes or names, and those that declare the ids it uses, and what these need in turn."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.reference_reader import ReferenceReader, with_includes
from fernshale.core.profile.model import LinkShape


@dataclass(frozen=True, slots=True)
class Needed:
    """A file and why it is needed: `by` is the file that needs it ("" for a chosen one), `line` (1-based) where, `what` the
    id or the path that stands there."""

    path: TreePath
    by: str
    line: int
    what: str


@dataclass(frozen=True, slots=True)
class MissingDependency:
    """Something that a file needs and nobody has."""

    by: TreePath
    line: int
    what: str


@dataclass(frozen=True, slots=True)
class Closure:
    """Files in the order they were found, chosen ones first, and what could not be met."""

    needed: tuple[Needed, ...]
    unmet: tuple[MissingDependency, ...]


def find_closure(
    shape: LinkShape,
    chosen: Sequence[TreePath],
    files: Collection[TreePath],
    read: ReferenceReader,
    is_met: Callable[[TreePath], bool],
    there: LinkIndex,
    found_there: Callable[[str, TreePath], bool],
    token: CancelToken,
) -> Closure:
    """Everything `chosen` files of a tree need, found in its `files`.

    A file for which `is_met` is needed but not followed: where things are going to, it is there. `there` are the ids that
    are declared there, `found_there` whether a path that a file names is. Raises FormatError for a pattern that runs away.
    """
    index = LinkIndex(with_includes(shape, of_code=True))
    index.update(dict.fromkeys(files, ""), read, Work(token=token))
    needed: dict[TreePath, Needed] = {path: Needed(path, "", 0, "") for path in chosen}
    unmet: dict[MissingDependency, None] = {}
    waiting = list(chosen)
    while waiting:
        path = waiting.pop(0)
        if needed[path].by and is_met(path):
            continue
        for what, line, targets in _wants(index, path):
            if not targets:
                if not (there.declares(what) or found_there(what, path)):
                    unmet[MissingDependency(path, line, what)] = None
                continue
            if there.declares(what):
                continue
            for target in targets:
                if target not in needed:
                    needed[target] = Needed(target, path, line, what)
                    waiting.append(target)
    return Closure(tuple(needed.values()), tuple(unmet))


def _wants(index: LinkIndex, path: TreePath) -> Iterator[tuple[str, int, list[TreePath]]]:
    """What a file names: the id or path, its line, and the files of the tree that would meet it."""
    marks = index.files.get(path)
    for mark in marks.used if marks is not None else ():
        if index.rules.names_files(mark):
            target = index.paths.resolve(mark.id, posixpath.dirname(path), index.rules.all[mark.rule].roots)
            yield mark.id, mark.line, [target] if target is not None and target in index.paths else []
        else:
            yield mark.id, mark.line, list(dict.fromkeys(use.file for use in index.declarations(mark.id)))
