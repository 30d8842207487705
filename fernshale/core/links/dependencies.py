"""Find the dependencies of files: files they include or name, files that declare ids they use, and their dependencies in turn."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.links.index import LinkIndex


@dataclass(frozen=True, slots=True)
class Needed:
    """A required file and the reason: `by` is the file that needs it ("" for a chosen one), `line` (1-based) the place, `what`
    the id or path there."""

    path: TreePath
    by: str
    line: int
    what: str


@dataclass(frozen=True, slots=True)
class MissingDependency:
    """A dependency that no file satisfies."""

    by: TreePath
    line: int
    what: str


@dataclass(frozen=True, slots=True)
class Closure:
    """Files in the order found, chosen ones first, and the missing dependencies."""

    needed: tuple[Needed, ...]
    unmet: tuple[MissingDependency, ...]


@dataclass(frozen=True, slots=True)
class Destination:
    """The tree that files are brought into: the ids declared there, whether it has a file of a path (`is_met`), and whether a
    path written in a file is found there (`finds`)."""

    index: LinkIndex
    is_met: Callable[[TreePath], bool]
    finds: Callable[[str, TreePath], bool]


def find_closure(index: LinkIndex, chosen: Sequence[TreePath], to: Destination, token: CancelToken) -> Closure:
    """Return everything that the `chosen` files of an indexed tree need, found in that tree.

    A file that exists at the destination is listed but not followed. Raises Cancelled.
    """
    needed: dict[TreePath, Needed] = {path: Needed(path, "", 0, "") for path in chosen}
    unmet: dict[MissingDependency, None] = {}
    waiting = list(chosen)
    while waiting:
        token.check()
        path = waiting.pop(0)
        if needed[path].by and to.is_met(path):
            continue
        for what, line, targets in _wants(index, path):
            if not targets:
                if not (to.index.declares(what) or to.finds(what, path)):
                    unmet[MissingDependency(path, line, what)] = None
                continue
            if to.index.declares(what):
                continue
            for target in targets:
                if target not in needed:
                    needed[target] = Needed(target, path, line, what)
                    waiting.append(target)
    return Closure(tuple(needed.values()), tuple(unmet))


def _wants(index: LinkIndex, path: TreePath) -> Iterator[tuple[str, int, list[TreePath]]]:
    """Yield what a file names: the id or path, its line, and the files of the tree that satisfy it."""
    marks = index.files.get(path)
    for mark in marks.used if marks is not None else ():
        if index.rules.names_files(mark):
            target = index.paths.resolve(mark.id, posixpath.dirname(path), index.rules.all[mark.rule].roots)
            yield mark.id, mark.line, [target] if target is not None and target in index.paths else []
        else:
            yield mark.id, mark.line, list(dict.fromkeys(use.file for use in index.declarations(mark.id)))
