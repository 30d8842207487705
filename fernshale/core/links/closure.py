"""What a file needs: those it includes or names, and those that declare the ids it uses, and what these need in turn."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

import regex

from fernshale.core.base.errors import FormatError
from fernshale.core.base.globs import matches
from fernshale.core.base.textfile import position
from fernshale.core.base.treepath import TreePath
from fernshale.core.links.ids import Ids, read_ids
from fernshale.core.profile.model import LinkShape

_TIMEOUT_S = 5.0
Read = Callable[[TreePath], str | None]


@dataclass(frozen=True, slots=True)
class Needed:
    """A file and why it is needed: `by` is the file that needs it ("" for a chosen one), `line` (1-based) where, `what` the
    id or the path that stands there."""

    path: TreePath
    by: str
    line: int
    what: str


@dataclass(frozen=True, slots=True)
class Unmet:
    """Something that a file needs and nobody has."""

    by: TreePath
    line: int
    what: str


@dataclass(frozen=True, slots=True)
class Closure:
    """Files in the order they were found, chosen ones first, and what could not be met."""

    needed: tuple[Needed, ...]
    unmet: tuple[Unmet, ...]


def find_closure(
    shape: LinkShape,
    chosen: Sequence[TreePath],
    files: Collection[TreePath],
    read: Read,
    is_met: Callable[[TreePath], bool],
    there: Ids,
    found_there: Callable[[str, TreePath], bool],
) -> Closure:
    """Everything `chosen` files of a tree need, found in its `files`.

    A file for which `is_met` is needed but not followed: where things are going to, it is there. `there` are the ids that
    are declared there, `found_there` whether a path that a file names is. Raises FormatError for a pattern that runs away.
    """
    declared = read_ids(LinkShape(declare=shape.declare), sorted(files), read).declared
    names = _by_name(files)
    needed: dict[TreePath, Needed] = {path: Needed(path, "", 0, "") for path in chosen}
    unmet: dict[Unmet, None] = {}
    waiting = list(chosen)
    while waiting:
        path = waiting.pop(0)
        if needed[path].by and is_met(path):
            continue
        for what, line, targets in _wants(shape, path, read, declared, files, names):
            if not targets:
                if not (what in there.declared or found_there(what, path)):
                    unmet[Unmet(path, line, what)] = None
                continue
            if what in there.declared:
                continue
            for target in targets:
                if target not in needed:
                    needed[target] = Needed(target, path, line, what)
                    waiting.append(target)
    return Closure(tuple(needed.values()), tuple(unmet))


def resolve(what: str, path: TreePath, roots: Sequence[str], files: Collection[TreePath]) -> TreePath | None:
    """The file of a tree that `what` names in the file at `path`: seen from there, from the tree, or from a root."""
    folder = posixpath.dirname(path)
    for place in (posixpath.join(folder, what), what):
        place = posixpath.normpath(place)
        if TreePath(place) in files:
            return TreePath(place)
    ends = "/" + posixpath.normpath(what)
    found = sorted(item for item in files if item.endswith(ends) and matches(roots, item[: -len(ends)] + "/x"))
    return found[0] if found else None


def _wants(
    shape: LinkShape,
    path: TreePath,
    read: Read,
    declared: Mapping[str, Sequence[object]],
    files: Collection[TreePath],
    names: Mapping[str, list[TreePath]],
) -> Iterator[tuple[str, int, list[TreePath]]]:
    """What a file names: the id or path, its line, and the files of the tree that would meet it."""
    for use in shape.use:
        if matches(use.files, path):
            for id, line in _hits(use.pattern, "id", path, read):
                places = declared.get(id, ())
                yield id, line, list(dict.fromkeys(item.file for item in places))  # type: ignore[attr-defined]
    for include in shape.include:
        if matches(include.files, path):
            for what, line in _hits(include.pattern, "path", path, read):
                known = names.get(posixpath.basename(what), [])
                target = resolve(what, path, include.roots, known)
                yield what, line, [target] if target is not None else []


def _hits(pattern: str, group: str, path: TreePath, read: Read) -> Iterator[tuple[str, int]]:
    text = read(path)
    if text is None:
        return
    try:
        for hit in regex.finditer(pattern, text, timeout=_TIMEOUT_S):
            yield hit[group], position(text, hit.start(group))[0]
    except TimeoutError as error:
        raise FormatError(path, [(0, f"the pattern {pattern!r} takes too long on this file")]) from error


def _by_name(files: Collection[TreePath]) -> dict[str, list[TreePath]]:
    names: dict[str, list[TreePath]] = {}
    for path in files:
        names.setdefault(posixpath.basename(path), []).append(path)
    return names
