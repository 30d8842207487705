"""Compare two manifests: added, removed, changed, moved."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.base.treepath import TreePath
from fernshale.core.snapshot.manifest import Kind, Manifest


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
    """What has to be done to `before` to make it `after`."""
    added = [path for path in after.entries if path not in before.entries]
    removed = [path for path in before.entries if path not in after.entries]
    changed = [
        path for path, entry in after.entries.items() if path in before.entries and before.entries[path] != entry
    ]
    sources: dict[str, list[TreePath]] = {}
    for path in removed:
        entry = before.entries[path]
        if entry.kind is Kind.FILE and entry.size:
            sources.setdefault(entry.content, []).append(path)
    moved: list[tuple[TreePath, TreePath]] = []
    for path in added:
        entry = after.entries[path]
        if entry.kind is Kind.FILE and sources.get(entry.content):
            moved.append((sources[entry.content].pop(0), path))
    gone, come = {old for old, _ in moved}, {new for _, new in moved}
    return Comparison(
        tuple(path for path in added if path not in come),
        tuple(path for path in removed if path not in gone),
        tuple(changed),
        tuple(moved),
    )
