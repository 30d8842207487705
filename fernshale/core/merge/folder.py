"""Merge three folders: old vendor release, the local folder, new vendor release.

For each file of any side the outcome is one of

    same      nothing differs                      updated  the vendor's new version
    carried   local edits stand, the vendor left   merged   both changed, all taken
    own       only here, stays                     added    new from the vendor
    removed   gone on either side                  decide   something is to be decided
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.merge.moves import find_moves
from fernshale.core.merge.textmerge import Due, TextMerge, fingerprint, merge_text
from fernshale.core.snapshot.manifest import Entry, Kind, Manifest

Outcome = Literal["same", "updated", "carried", "merged", "own", "added", "removed", "decide"]
Content = Callable[[TreePath], bytes]

_NOWHERE = (0, 0)


@dataclass(frozen=True, slots=True)
class Side:
    """One of the three folders: its entries and how to read a file of it."""

    manifest: Manifest
    read: Content

    def entry(self, path: TreePath | None) -> Entry | None:
        return self.manifest.entries.get(path) if path is not None else None

    def things(self) -> dict[TreePath, Entry]:
        """Files and links."""
        return {path: entry for path, entry in self.manifest.entries.items() if entry.kind is not Kind.FOLDER}


@dataclass(frozen=True, slots=True)
class FileMerge:
    """What becomes of one file.

    `path` is where the result stands (None: nowhere); `base`, `mine`, `incoming` are its paths on the three sides.
    `takes` is the side whose version is the result; with `text` the result is woven instead.
    """

    path: TreePath | None
    base: TreePath | None
    mine: TreePath | None
    incoming: TreePath | None
    outcome: Outcome
    why: str
    takes: Literal["mine", "incoming", "nothing"]
    text: TextMerge | None = None
    decisions: tuple[Due, ...] = ()
    mode: int = 0o644

    @property
    def shown(self) -> TreePath:
        """The path to name this file by."""
        path = self.path or self.mine or self.incoming or self.base
        assert path is not None
        return path


@dataclass(frozen=True, slots=True)
class FolderMerge:
    """The merge of three folders, files in the order of the path they are shown by."""

    base: Side
    mine: Side
    incoming: Side
    files: tuple[FileMerge, ...]

    @property
    def decisions(self) -> tuple[tuple[FileMerge, Due], ...]:
        return tuple((file, due) for file in self.files for due in file.decisions)


def disk_side(folder: Path, manifest: Manifest) -> Side:
    """A side that is read from disk when it is needed."""
    return Side(manifest, lambda path: on_disk(folder, path).read_bytes())


def merge_folders(base: Side, mine: Side, incoming: Side, progress: Progress, token: CancelToken) -> FolderMerge:
    """Merge; nothing is written. Each file of each side is accounted for exactly once."""
    their_moves = _moves(base, incoming, token)
    our_moves = _moves(base, mine, token)
    files: list[FileMerge] = []
    ours, theirs, olds = mine.things(), incoming.things(), base.things()
    used_mine: set[TreePath] = set()
    used_incoming: set[TreePath] = set()
    for number, path in enumerate(olds):
        token.check()
        progress("merging", number, len(olds))
        here = our_moves.get(path, path if path in ours else None)
        there = their_moves.get(path, path if path in theirs else None)
        used_mine.update(item for item in (here,) if item)
        used_incoming.update(item for item in (there,) if item)
        files.append(_merge_known(base, mine, incoming, path, here, there))
    for path in [path for path in ours if path not in used_mine]:
        if path in theirs and path not in used_incoming:
            used_incoming.add(path)
            files.append(_merge_new(mine, incoming, path))
        else:
            files.append(_whole(path, None, path, None, "own", "only here; stays", "mine", ours[path].mode))
    for path in [path for path in theirs if path not in used_incoming]:
        files.append(_whole(path, None, None, path, "added", "new from the vendor", "incoming", theirs[path].mode))
    return FolderMerge(base, mine, incoming, tuple(sorted(_without_clashes(files), key=lambda file: file.shown)))


def _moves(base: Side, other: Side, token: CancelToken) -> dict[TreePath, TreePath]:
    gone = [(path, entry) for path, entry in base.manifest.files.items() if path not in other.manifest.entries]
    come = [(path, entry) for path, entry in other.manifest.files.items() if path not in base.manifest.entries]
    return find_moves(gone, come, base.read, other.read, token)


def _merge_known(
    base: Side, mine: Side, incoming: Side, path: TreePath, here: TreePath | None, there: TreePath | None
) -> FileMerge:
    """A file the old release had."""
    old, ours, theirs = base.entry(path), mine.entry(here), incoming.entry(there)
    assert old is not None
    if ours is None and theirs is None:
        return _whole(None, path, None, None, "removed", "gone on both sides", "nothing")
    if ours is None:
        if _same(theirs, old):
            return _whole(
                None, path, None, there, "removed", "you had deleted it; the vendor left it as it was", "nothing"
            )
        return _due(there, path, None, there, "you had deleted it, the vendor changed it", "nothing")
    if theirs is None:
        if _same(ours, old) and here == path:
            return _whole(
                None, path, here, None, "removed", "the vendor dropped it; it was never edited here", "nothing"
            )
        why = f"the vendor dropped it, but it was {'moved' if _same(ours, old) else 'edited'} here"
        return _due(here, path, here, None, why, "mine", mode=ours.mode)
    target, moved = _target(path, here, there)
    mode = theirs.mode if ours.mode == old.mode else ours.mode
    if _same(ours, theirs):
        known = _same(ours, old)
        why = "nothing differs" if known else "your edit is already in the new release"
        outcome: Outcome = "same" if known and target == here else "updated" if known else "carried"
        return _whole(target, path, here, there, outcome, why + moved, "mine", mode)
    if _same(ours, old):
        return _whole(target, path, here, there, "updated", "not edited here" + moved, "incoming", mode)
    if _same(theirs, old):
        return _whole(target, path, here, there, "carried", "edited here; the vendor left it" + moved, "mine", mode)
    texts = _texts((base, path), (mine, here), (incoming, there))
    if texts is None:
        return _due(target, path, here, there, "both changed it, and it is no text" + moved, "mine", mode=mode)
    merged = merge_text(*texts)
    outcome = "decide" if merged.decisions else "merged"
    why = "both changed the same lines" if merged.decisions else "both changed it, in different places"
    return FileMerge(target, path, here, there, outcome, why + moved, "mine", merged, merged.decisions, mode)


def _merge_new(mine: Side, incoming: Side, path: TreePath) -> FileMerge:
    """A file both sides have and the old release had not."""
    ours, theirs = mine.entry(path), incoming.entry(path)
    assert ours is not None and theirs is not None
    if _same(ours, theirs):
        return _whole(path, None, path, path, "carried", "your file is already in the new release", "mine", ours.mode)
    texts = _texts((mine, path), (mine, path), (incoming, path))
    if texts is None:
        return _due(path, None, path, path, "yours and the vendor's new file have one name", "mine", mode=ours.mode)
    merged = merge_text(TextFile(""), texts[1], texts[2])
    why = "yours and the vendor's new file have one name"
    return FileMerge(path, None, path, path, "decide", why, "mine", merged, merged.decisions, ours.mode)


def _target(path: TreePath, here: TreePath | None, there: TreePath | None) -> tuple[TreePath | None, str]:
    """Where the result stands, and a few words where that is a move. The user's own move is kept."""
    if here != path:
        return here, f"; you moved it from {path}"
    if there != path:
        return there, f"; the vendor moved it from {path}"
    return path, ""


def _texts(*places: tuple[Side, TreePath | None]) -> tuple[TextFile, TextFile, TextFile] | None:
    """The three versions as text; None when one is a link or binary."""
    texts = []
    for side, path in places:
        entry = side.entry(path)
        if path is None or entry is None or entry.kind is not Kind.FILE:
            return None
        text = read_text(side.read(path))
        if text is None:
            return None
        texts.append(text)
    return texts[0], texts[1], texts[2]


def _same(left: Entry | None, right: Entry | None) -> bool:
    """Same kind and content; the mode is merged by itself."""
    return left is not None and right is not None and (left.kind, left.content) == (right.kind, right.content)


def _whole(
    path: TreePath | None,
    base: TreePath | None,
    mine: TreePath | None,
    incoming: TreePath | None,
    outcome: Outcome,
    why: str,
    takes: Literal["mine", "incoming", "nothing"],
    mode: int = 0o644,
) -> FileMerge:
    return FileMerge(path, base, mine, incoming, outcome, why, takes, mode=mode)


def _due(
    path: TreePath | None,
    base: TreePath | None,
    mine: TreePath | None,
    incoming: TreePath | None,
    why: str,
    takes: Literal["mine", "incoming", "nothing"],
    mode: int = 0o644,
) -> FileMerge:
    id = fingerprint(base or "", mine or "", incoming or "", why)
    due = Due(id, "file", _NOWHERE, _NOWHERE, _NOWHERE)
    return FileMerge(path, base, mine, incoming, "decide", why, takes, None, (due,), mode)


def _without_clashes(files: list[FileMerge]) -> Iterator[FileMerge]:
    """Where two files would stand at one path, ours keeps it and what to do with the vendor's is a decision.

    A file of ours that the vendor's move would bring there stays where it is; a new one can be put beside it.
    """
    taken: set[TreePath] = set()
    for file in sorted(files, key=lambda file: (file.outcome != "own", file.mine is None)):
        if file.path is None or file.path not in taken:
            taken.update(path for path in (file.path,) if path)
            yield file
        elif file.mine is not None:
            why = f"your own file stands where the vendor's {file.incoming} goes"
            taken.add(file.mine)
            yield _due(file.mine, file.base, file.mine, file.incoming, why, "mine", file.mode)
        else:
            beside = TreePath(f"{file.path}.incoming")
            why = f"your file stands where the vendor's {file.incoming} goes; it can be put beside it"
            yield _due(beside, file.base, None, file.incoming, why, "nothing", file.mode)
