"""Replace missing references: all uses, in any kind of file, changing only the places themselves."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Iterable

from fernshale.core.base.treepath import TreePath
from fernshale.core.links.missing_references import MissingReference
from fernshale.core.links.path_references import spell_path
from fernshale.core.links.reference_reader import Reference, Rules, replace_marks
from fernshale.core.links.renamed_targets import TargetCandidate

Replacements = dict[TreePath, list[tuple[Reference, str]]]


def replacements(chosen: Iterable[tuple[MissingReference, TargetCandidate]]) -> Replacements:
    """Return the marks to replace and their new values, by file."""
    found: Replacements = {}
    for item, candidate in chosen:
        for use in item.uses_in(candidate.slots):
            new = candidate.id
            if item.is_file:
                folder = posixpath.dirname(use.file)
                new = spell_path(TreePath(candidate.id), use.mark.id, folder, TreePath(item.id))
            found.setdefault(use.file, []).append((use.mark, new))
    return found


def rewrite(rules: Rules, changes: Replacements, read: Callable[[TreePath], bytes | None]) -> dict[TreePath, bytes]:
    """Return the new files. Raises FormatError if a file has changed since it was read, or is binary and the lengths differ."""
    found = {}
    for path, listed in sorted(changes.items()):
        data = read(path)
        if data is not None:
            found[path] = replace_marks(data, rules, path, listed)
    return found
