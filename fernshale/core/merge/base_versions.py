"""Find the old version of each file for a folder that is a mixture of several releases.

Folders that were updated by hand contain files from different releases. The base of each file is the release that has an equal
file, or else the most similar one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fernshale.core.base.treepath import TreePath
from fernshale.core.merge.folder_merge import FolderSide
from fernshale.core.merge.moved_files import telling_lines
from fernshale.core.snapshot.manifest import EntryKind, Manifest, TreeEntry

# So much more alike another release must be than the best one before a file is merged from it.
_CLEARLY = 0.02
_STRANGER = 0.4


@dataclass(frozen=True, slots=True)
class Base:
    """The old side, assembled; `others` has the release of each file that is not from the best one."""

    side: FolderSide
    others: Mapping[TreePath, str]


def compose_base(mine: FolderSide, releases: Mapping[str, FolderSide], best: str) -> Base:
    """The old version of each file: from `best`, or from another of the `releases` if `mine` has that release's file."""
    ours = mine.things
    chosen = {path: name for path, entry in ours.items() if (name := _choose(path, entry, mine, releases, best))}
    # A file that the best has and mine has not was deleted here, unless the folder is partly of a release without it.
    mixed = sorted({name for name in chosen.values() if name != best})
    for path in releases[best].things:
        if path not in ours and not any(releases[name].entry(path) is None for name in mixed):
            chosen[path] = best
    entries = {
        path: entry for path, name in sorted(chosen.items()) if (entry := releases[name].entry(path)) is not None
    }
    side = FolderSide(Manifest.of(entries), lambda path: releases[chosen[path]].read(path))
    return Base(side, {path: name for path, name in chosen.items() if name != best})


def _choose(
    path: TreePath, entry: TreeEntry, mine: FolderSide, releases: Mapping[str, FolderSide], best: str
) -> str | None:
    """The release a local file is an edition of; None for one that is of no release."""
    names = [best, *(name for name in releases if name != best)]
    having = [name for name in names if (old := releases[name].entry(path)) is not None and old.kind is entry.kind]
    same = [name for name in having if _equal(releases[name].entry(path), entry)]
    if same:
        return same[0]
    if not having or len(having) == 1 == len(names) or entry.kind is not EntryKind.FILE:
        return having[0] if having else None
    own = set(telling_lines(mine.read(path)))
    scores = {name: _alike(own, telling_lines(releases[name].read(path))) for name in having}
    nearest = max(having, key=lambda name: scores[name])
    if best in having and scores[nearest] <= scores[best] + _CLEARLY:
        return best
    # A file the best release has not, and that only resembles another's a little, is the user's own.
    return nearest if best in having or scores[nearest] >= _STRANGER else None


def _equal(left: TreeEntry | None, right: TreeEntry) -> bool:
    return left is not None and left.content == right.content


def _alike(own: set[str], lines: Sequence[str]) -> float:
    other = set(lines)
    return 2 * len(own & other) / max(1, len(own) + len(other))
