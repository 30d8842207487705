"""Compare two manifests: added, removed, changed, moved."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from fernshale.core.base.treepath import TreePath
from fernshale.core.snapshot.manifest import FACTS, MODE, EntryKind, Folder, Manifest, TreeEntry


@dataclass(frozen=True, slots=True)
class Comparison:
    """Paths in order. `moved` are (before, after) of files with the same content; they are in neither other list."""

    added: tuple[TreePath, ...]
    removed: tuple[TreePath, ...]
    changed: tuple[TreePath, ...]
    moved: tuple[tuple[TreePath, TreePath], ...]

    @property
    def is_empty(self) -> bool:
        return not (self.added or self.removed or self.changed or self.moved)


def compare(before: Manifest, after: Manifest) -> Comparison:
    """Return the changes that turn `before` into `after`."""
    pairs = differing(before, after)
    added = {path: new for path, old, new in pairs if old is None and new is not None}
    removed = {path: old for path, old, new in pairs if new is None and old is not None}
    changed = tuple(path for path, old, new in pairs if old is not None and new is not None)
    sources: dict[str, list[TreePath]] = {}
    for path, entry in removed.items():
        if entry.kind is EntryKind.FILE and entry.size:
            sources.setdefault(entry.content, []).append(path)
    moved: list[tuple[TreePath, TreePath]] = []
    for path, entry in added.items():
        if entry.kind is EntryKind.FILE and sources.get(entry.content):
            moved.append((sources[entry.content].pop(0), path))
    gone, come = {old for old, _ in moved}, {new for _, new in moved}
    return Comparison(
        tuple(path for path in added if path not in come),
        tuple(path for path in removed if path not in gone),
        changed,
        tuple(moved),
    )


def differing(before: Manifest, after: Manifest) -> list[tuple[TreePath, TreeEntry | None, TreeEntry | None]]:
    """Yield the paths that differ, in order, with their entries before and after."""
    found = [item for path in {*before.folders, *after.folders} for item in _in_folder(before, after, path)]
    return sorted(found, key=lambda item: item[0])


def _in_folder(
    before: Manifest, after: Manifest, path: str
) -> Iterator[tuple[TreePath, TreeEntry | None, TreeEntry | None]]:
    old, new = before.folders.get(path), after.folders.get(path)
    if old is not None and new is not None and _same(old, new):
        return
    olds = dict(old.entries) if old else {}
    news = dict(new.entries) if new else {}
    for at in {**olds, **news}:
        if olds.get(at) != news.get(at):
            yield at, olds.get(at), news.get(at)


def _same(old: Folder, new: Folder) -> bool:
    """A quick test whether two folders are equal; False proves nothing."""
    return old is new or (
        old.names == new.names
        and old.digests == new.digests
        and old.facts[MODE::FACTS] == new.facts[MODE::FACTS]
        and old.extras == new.extras
    )
