"""Each step as a patch that git applies, text and binary, so that a crossing can be repeated elsewhere step by step."""

from __future__ import annotations

import base64
import hashlib
import re
import zlib
from collections.abc import Callable, Sequence
from email.utils import formatdate
from pathlib import Path

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.change.changeset import FileChange
from fernshale.core.change.preview import text_diff
from fernshale.core.crossing.record.database import Crossing, LogEntry
from fernshale.core.snapshot.manifest import EntryKind
from fernshale.core.snapshot.manifest import TreeEntry as TreeEntry

_NO_OBJECT = "0" * 40


def write_patches(crossing: Crossing, folder: Path) -> tuple[str, ...]:
    """One file for each step that wrote and was not undone, in order; their names. Raises MisuseError for a folder in use."""
    folder.mkdir(parents=True, exist_ok=True)
    if any(folder.iterdir()):
        raise MisuseError(
            tr("{folder} is not empty", folder=folder), tr("Patches are numbered; those of two crossings would mix.")
        )
    entries = [entry for entry in crossing.logbook() if entry.state == "done" and entry.changes]
    names = []
    for number, entry in enumerate(entries, 1):
        slug = re.sub(r"[^a-z0-9]+", "-", entry.title.lower()).strip("-")[:48]
        name = f"{number:04d}-{slug}.patch"
        write_atomic(folder / name, patch_of(crossing, entry, number, len(entries)))
        names.append(name)
    return tuple(names)


def patch_of(crossing: Crossing, entry: LogEntry, number: int, of: int) -> bytes:
    """A step as a mail with a patch, as git reads it. Raises StoreError where a content is missing."""
    subject = " ".join(entry.title.split())
    head = [
        f"From {_NO_OBJECT} Mon Sep 17 00:00:00 2001",
        "From: Fernshale <fernshale@localhost>",
        f"Date: {formatdate(entry.time, localtime=True)}",
        f"Subject: [PATCH {number}/{of}] {entry.stage.value}: {subject}",
        "MIME-Version: 1.0",
        "Content-Type: text/plain; charset=UTF-8",
        "Content-Transfer-Encoding: 8bit",
        "",
        entry.why or "(no reason was written down)",
        "---",
    ]
    parts = ["\n".join(head).encode() + b"\n"]
    for change in entry.changes.files if entry.changes else ():
        parts.append(_change(change, lambda side: crossing.store.get(side.content)))
    parts.append(b"-- \nfernshale\n")
    return b"".join(parts)


def _change(change: FileChange, read: Callable[[TreeEntry], bytes]) -> bytes:
    if change.before is not None and change.after is not None and change.before.kind is not change.after.kind:
        # Git has no change of kind: the old entry is deleted, the new one added.
        gone, come = FileChange(change.path, change.before, None), FileChange(change.path, None, change.after)
        return _change(gone, read) + _change(come, read)
    sides = [side for side in (change.before, change.after) if side is not None]
    if any(side.kind not in (EntryKind.FILE, EntryKind.LINK) for side in sides):
        return b""  # git keeps no folders
    old, new = (_content(side, read) for side in (change.before, change.after))
    name = change.path.encode("utf-8", "surrogateescape")
    quoted = [_quoted(prefix + name) for prefix in (b"a/", b"b/")]
    lines = [b"diff --git " + quoted[0] + b" " + quoted[1]]
    before, after = _mode(change.before), _mode(change.after)
    if change.before is None:
        lines.append(b"new file mode " + after)
    elif change.after is None:
        lines.append(b"deleted file mode " + before)
    elif before != after:
        lines += [b"old mode " + before, b"new mode " + after]
    if old == new and change.before is not None and change.after is not None:
        return b"\n".join(lines) + b"\n" if len(lines) > 1 else b""
    lines.append(b"index " + _object(old) + b".." + _object(new))
    text = text_diff(old, new)
    if text is None:
        return b"\n".join(lines) + b"\n" + _binary(old, new)
    from_, to = (b"/dev/null" if side is None else quoted[at] for at, side in enumerate((change.before, change.after)))
    if not text:
        return b"\n".join(lines) + b"\n"  # an empty file is added or deleted
    return b"\n".join([*lines, b"--- " + from_, b"+++ " + to]) + b"\n" + text


def _content(side: TreeEntry | None, read: Callable[[TreeEntry], bytes]) -> bytes | None:
    if side is None:
        return None
    if side.kind is EntryKind.LINK:
        return side.content.encode("utf-8", "surrogateescape")
    try:
        return read(side)
    except FernshaleError as error:
        raise type(error)(f"a patch cannot be written: {error.message}") from error


def _mode(side: TreeEntry | None) -> bytes:
    if side is None:
        return b""
    if side.kind is EntryKind.LINK:
        return b"120000"
    return b"100755" if side.mode & 0o100 else b"100644"


def _object(data: bytes | None) -> bytes:
    """The object id of a content in git."""
    if data is None:
        return _NO_OBJECT.encode()
    return hashlib.sha1(b"blob %d\0" % len(data) + data, usedforsecurity=False).hexdigest().encode()


def _binary(old: bytes | None, new: bytes | None) -> bytes:
    """Both contents as git writes them in a binary patch: deflated, in base 85, with the length of each line as a letter."""
    return b"GIT binary patch\n" + _literal(new or b"") + b"\n" + _literal(old or b"") + b"\n"


def _literal(data: bytes) -> bytes:
    packed = zlib.compress(data)
    lines: Sequence[bytes] = [packed[at : at + 52] for at in range(0, len(packed), 52)]
    parts = [b"literal %d" % len(data)]
    for line in lines:
        size = len(line)
        letter = chr(ord("A") + size - 1) if size <= 26 else chr(ord("a") + size - 27)
        parts.append(letter.encode() + base64.b85encode(line, pad=True))
    return b"\n".join(parts) + b"\n"


def _quoted(name: bytes) -> bytes:
    """A name as git writes it: quoted with escapes unless it is plain."""
    if all(32 <= byte < 127 and byte not in b'"\\' for byte in name):
        return name
    escapes = {ord("\n"): b"\\n", ord("\t"): b"\\t", ord('"'): b'\\"', ord("\\"): b"\\\\"}
    return (
        b'"'
        + b"".join(escapes.get(byte) or (bytes([byte]) if 32 <= byte < 127 else b"\\%03o" % byte) for byte in name)
        + b'"'
    )
