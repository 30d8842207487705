"""Show a change set before it is applied: a unified diff, or lines for each path."""

from __future__ import annotations

import difflib
from collections.abc import Callable

from fernshale.core.base.textfile import read_text, split_lines
from fernshale.core.base.treepath import printable
from fernshale.core.change.model import ChangeSet, FileChange
from fernshale.core.snapshot.manifest import Entry, Kind


def unified_diff(changes: ChangeSet, before: Callable[[FileChange], bytes]) -> str:
    """All text changes as a unified diff; other changes as one line of words. `before` reads old content."""
    parts = []
    for change in changes.files:
        old = _text(change.before, before(change) if _is_file(change.before) else b"")
        new = _text(change.after, changes.contents.get(change.after.content, b"") if change.after else b"")
        name = printable(change.path)
        if old is None or new is None:
            parts.append(f"# {name}: {describe(change)}\n")
            continue
        from_name = f"a/{name}" if change.before else "/dev/null"
        to_name = f"b/{name}" if change.after else "/dev/null"
        for line in difflib.unified_diff(split_lines(old), split_lines(new), from_name, to_name):
            parts.append(line if line.endswith("\n") else line + "\n\\ No newline at end of file\n")
    return "".join(parts)


def describe(change: FileChange) -> str:
    """What happens to one path, in words."""
    if change.before is None:
        return f"new {change.after.kind.value}" if change.after else "nothing"
    if change.after is None:
        return f"{change.before.kind.value} removed"
    if change.before.kind is not change.after.kind:
        return f"{change.before.kind.value} becomes {change.after.kind.value}"
    if change.before.content == change.after.content:
        return f"mode {change.before.mode:o} becomes {change.after.mode:o}"
    return f"{change.after.kind.value} changed"


def _is_file(entry: Entry | None) -> bool:
    return entry is not None and entry.kind is Kind.FILE


def _text(entry: Entry | None, content: bytes) -> str | None:
    if entry is None:
        return ""
    file = read_text(content) if _is_file(entry) else None
    return file.text if file else None
