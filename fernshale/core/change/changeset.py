"""A change set as a value: the entry before and after for each path."""

from __future__ import annotations

import base64
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from fernshale.core.base.treepath import TreePath, tree_path
from fernshale.core.snapshot.manifest import EntryKind, Manifest, TreeEntry
from fernshale.core.snapshot.manifest_diff import differing


@dataclass(frozen=True, slots=True)
class FileChange:
    """`before` and `after` of one path; None where there is no such file. They always differ."""

    path: TreePath
    before: TreeEntry | None
    after: TreeEntry | None


@dataclass(frozen=True, slots=True)
class ChangeSet:
    """The file operations of one step, in path order.

    `contents` holds new file contents by digest; the contents of `before` are in the store once the change set was applied.
    """

    changes: tuple[FileChange, ...]
    contents: Mapping[str, bytes] = field(default_factory=dict, repr=False, compare=False)

    @property
    def is_empty(self) -> bool:
        return not self.changes

    @property
    def files(self) -> tuple[FileChange, ...]:
        """Changes of files and links, without those of folders."""
        return tuple(change for change in self.changes if not _is_folder(change))

    @property
    def removed(self) -> tuple[TreePath, ...]:
        """The files and links that exist before and have no replacement."""
        return tuple(item.path for item in self.files if item.after is None)

    def inverse(self) -> ChangeSet:
        """The change set that undoes this one."""
        return ChangeSet(tuple(FileChange(item.path, item.after, item.before) for item in self.changes))

    @staticmethod
    def joined(steps: Iterable[ChangeSet]) -> ChangeSet:
        """Combine several consecutive steps into one: for each path, the first entry before and the last entry after."""
        first: dict[TreePath, TreeEntry | None] = {}
        last: dict[TreePath, TreeEntry | None] = {}
        for step in steps:
            for item in step.changes:
                first.setdefault(item.path, item.before)
                last[item.path] = item.after
        paths = sorted(path for path in first if first[path] != last[path])
        return ChangeSet(tuple(FileChange(path, first[path], last[path]) for path in paths))

    def to_json(self) -> list[Any]:
        return [[item.path, _entry_json(item.before), _entry_json(item.after)] for item in self.changes]

    @staticmethod
    def from_json(data: Iterable[Any]) -> ChangeSet:
        return ChangeSet(tuple(FileChange(tree_path(path), _entry(old), _entry(new)) for path, old, new in data))


def changes_between(before: Manifest, after: Manifest) -> ChangeSet:
    """Return the changes made by a command, from the manifests before and after it."""
    return ChangeSet(tuple(FileChange(path, old, new) for path, old, new in differing(before, after)))


def _is_folder(change: FileChange) -> bool:
    sides = [side for side in (change.before, change.after) if side is not None]
    return all(side.kind is EntryKind.FOLDER for side in sides)


def _entry_json(entry: TreeEntry | None) -> list[Any] | None:
    if entry is None:
        return None
    attributes = [[name, base64.b64encode(value).decode()] for name, value in entry.attributes]
    return [entry.kind.value, entry.mode, entry.content, entry.size, *([attributes] if attributes else [])]


def _entry(data: list[Any] | None) -> TreeEntry | None:
    if data is None:
        return None
    kind, mode, content, size, *rest = data
    attributes = tuple((name, base64.b64decode(value)) for name, value in (rest[0] if rest else ()))
    return TreeEntry(EntryKind(kind), mode, content, size, attributes=attributes)
