"""Show a change set before it is applied: as a tree, and as a unified diff or as facts for each path."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Iterable
from itertools import takewhile

from fernshale.core.base.textfile import read_text, split_lines
from fernshale.core.base.treepath import printable
from fernshale.core.change.changeset import ChangeSet, FileChange
from fernshale.core.snapshot.manifest import EntryKind, TreeEntry

EntryReader = Callable[[TreeEntry], bytes]


# Size limit for reading contents for a preview, bytes; a diff of larger files would not help.
LARGEST_SHOWN = 4 << 20


def unified_diff(changes: ChangeSet, before: Callable[[FileChange], bytes]) -> str:
    """All text changes as a unified diff; other changes as one line of words. `before` reads old content."""
    parts = []
    for change in changes.files:
        old = before(change) if _is_file(change.before) else b""
        new = changes.contents.get(change.after.content, b"") if change.after else b""
        parts.append(_diff(change, old, new) or f"# {printable(change.path)}: {describe(change)}\n")
    return "".join(parts)


def show_change(change: FileChange, before: EntryReader, after: EntryReader) -> str:
    """Return one change in full: a unified diff, or facts if it is not text. The two callables read contents by entry."""
    sides = [side for side in (change.before, change.after) if _is_file(side)]
    if any(side is not None and side.size > LARGEST_SHOWN for side in sides):
        return _facts(change, None, None)
    old = before(change.before) if change.before is not None and _is_file(change.before) else b""
    new = after(change.after) if change.after is not None and _is_file(change.after) else b""
    found = _diff(change, old, new)
    if found is None or not sides:
        return _facts(change, old, new)
    mode = ""
    if change.before and change.after and change.before.mode != change.after.mode:
        mode = f"# mode {change.before.mode:o} becomes {change.after.mode:o}\n"
    return mode + (found or f"# {describe(change)}\n")


def tree_of(changes: Iterable[FileChange], staying: Iterable[str] = ()) -> list[tuple[int, str, FileChange | None]]:
    """Return the changes as a tree: (depth, path, change); the change is None for folders that only contain changes.

    `staying` are unchanged files to include.
    """
    rows: list[tuple[int, str, FileChange | None]] = []
    above: list[str] = []
    items: dict[str, FileChange | None] = {**dict.fromkeys(staying), **{change.path: change for change in changes}}
    for path, change in sorted(items.items(), key=lambda item: item[0].split("/")):
        *folders, name = path.split("/")
        shared = sum(1 for _ in takewhile(lambda pair: pair[0] == pair[1], zip(above, folders, strict=False)))
        rows += [(depth, "/".join(folders[: depth + 1]), None) for depth in range(shared, len(folders))]
        rows.append((len(folders), path, change))
        # An added or removed folder is itself a parent of its contents.
        is_folder = change is not None and (_is_folder(change.before) or _is_folder(change.after))
        above = [*folders, name] if is_folder else folders
    return rows


def show_content(path: str, entry: TreeEntry, read: EntryReader) -> str:
    """Return the text of an unchanged file, or facts if it is not text, in the form of a diff without changes."""
    text = _text(entry, read(entry)) if entry.kind is EntryKind.FILE and entry.size <= LARGEST_SHOWN else None
    if text is None:
        fact = f"a link to {printable(entry.content)}" if entry.kind is EntryKind.LINK else f"{entry.size:,} bytes"
        return f"# {printable(path)}: {fact}, stays as it is\n"
    return f"# {printable(path)}: stays as it is\n" + "".join(f" {line}\n" for line in text.splitlines())


def _diff(change: FileChange, old: bytes, new: bytes) -> str | None:
    """A unified diff, None where one of the two is not text."""
    before, after = _text(change.before, old), _text(change.after, new)
    if before is None or after is None:
        return None
    name = printable(change.path)
    from_name = f"a/{name}" if change.before else "/dev/null"
    to_name = f"b/{name}" if change.after else "/dev/null"
    lines = difflib.unified_diff(split_lines(before), split_lines(after), from_name, to_name)
    return "".join(line if line.endswith("\n") else line + "\n\\ No newline at end of file\n" for line in lines)


def text_diff(old: bytes | None, new: bytes | None) -> bytes | None:
    """Return the hunks of a unified diff, as bytes in any encoding; None if one side is not text, empty if they are equal."""
    if any(side is not None and b"\0" in side for side in (old, new)):
        return None
    before, after = (split_lines((side or b"").decode("latin-1")) for side in (old, new))
    lines = list(difflib.unified_diff(before, after))[2:]
    ends = (line if line.endswith("\n") else line + "\n\\ No newline at end of file\n" for line in lines)
    return "".join(ends).encode("latin-1")


def _facts(change: FileChange, old: bytes | None, new: bytes | None) -> str:
    """Return facts about a change of a file that is not text, one per line."""
    lines = [f"# {printable(change.path)}: {describe(change)}"]
    for words, side in (("before", change.before), ("after", change.after)):
        if side is not None and side.kind is EntryKind.FILE:
            lines.append(f"# {words}: {side.size:,} bytes, content {side.content[:12]}, mode {side.mode:o}")
        elif side is not None and side.kind is EntryKind.LINK:
            lines.append(f"# {words}: a link to {printable(side.content)}")
    if old and new:
        start = _alike(old, new)
        end = min(_alike(old[::-1], new[::-1]), min(len(old), len(new)) - start)
        lines.append(f"# the same: the first {start:,} bytes and the last {end:,}")
    return "\n".join(lines) + "\n"


def describe(change: FileChange) -> str:
    """Describe the change of one path."""
    if change.before is None:
        return f"new {change.after.kind.value}" if change.after else "nothing"
    if change.after is None:
        return f"{change.before.kind.value} removed"
    if change.before.kind is not change.after.kind:
        return f"{change.before.kind.value} becomes {change.after.kind.value}"
    if change.before.content == change.after.content:
        return f"mode {change.before.mode:o} becomes {change.after.mode:o}"
    return f"{change.after.kind.value} changed"


def _alike(old: bytes, new: bytes) -> int:
    """With how many equal bytes the two begin."""
    import numpy as np

    count = min(len(old), len(new))
    differs = np.frombuffer(old, np.uint8, count) != np.frombuffer(new, np.uint8, count)
    return int(differs.argmax()) if differs.any() else count


def _is_folder(entry: TreeEntry | None) -> bool:
    return entry is not None and entry.kind is EntryKind.FOLDER


def _is_file(entry: TreeEntry | None) -> bool:
    return entry is not None and entry.kind is EntryKind.FILE


def _text(entry: TreeEntry | None, content: bytes) -> str | None:
    if entry is None:
        return ""
    file = read_text(content) if _is_file(entry) else None
    return file.text if file else None
