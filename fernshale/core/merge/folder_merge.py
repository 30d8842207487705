"""Merge three folders: old vendor release, local folder, new vendor release.

Each file of any side gets one of these outcomes:

    same      no difference                        updated  the vendor's new version
    carried   local edits kept, vendor unchanged   merged   both changed, all changes kept
    own       only in the local folder, kept       added    new from the vendor
    removed   removed on one side                  decide   needs a decision
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property
from pathlib import Path
from typing import Literal, Protocol

from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.base.texts import english_of, tr
from fernshale.core.base.treepath import TreePath, parents, reader
from fernshale.core.base.work import CancelToken, Progress, Work, many_values
from fernshale.core.merge.likeness import likeness
from fernshale.core.merge.moved_files import find_moves, telling_lines
from fernshale.core.merge.split_texts import Regrouping, cut_merge, find_regrouping, in_a_row
from fernshale.core.merge.text_merge import (
    Conflict,
    Resolution,
    Taking,
    Undecided,
    WovenLine,
    fingerprint,
    merge_text,
    merge_two_texts,
)
from fernshale.core.snapshot.manifest import EntryKind, Manifest, TreeEntry

Outcome = Literal["same", "updated", "carried", "merged", "own", "added", "removed", "decide"]
Takes = Literal["mine", "incoming", "nothing"]
FileContent = Callable[[TreePath], bytes]

_NOWHERE = (0, 0)


@dataclass(frozen=True)
class FolderSide:
    """One of the three folders: its entries and how to read a file of it."""

    manifest: Manifest
    read: FileContent

    @cached_property
    def things(self) -> Mapping[TreePath, TreeEntry]:
        """Files and links."""
        return {path: entry for path, entry in self.manifest.entries.items() if entry.kind is not EntryKind.FOLDER}

    def entry(self, path: TreePath | None) -> TreeEntry | None:
        """The file or link at `path`."""
        return self.things.get(path) if path is not None else None

    def text(self, path: TreePath | None) -> TextFile | None:
        """Return the file at `path` as text; None if there is none, or if it is a link or binary."""
        entry = self.entry(path)
        if path is None or entry is None or entry.kind is not EntryKind.FILE:
            return None
        return read_text(self.read(path))


class ContentMerge(Protocol):
    """The merge of a file's content: by lines, or by keys."""

    @property
    def decisions(self) -> tuple[Conflict, ...]: ...

    def result(self, choices: Mapping[str, Resolution], undecided: Undecided) -> TextFile | None: ...

    def weave(self, choices: Mapping[str, Resolution]) -> tuple[WovenLine, ...]: ...


@dataclass(frozen=True, slots=True)
class FileMerge:
    """The merge of one file.

    `path` is the result's path (None: no result); `base`, `mine`, `incoming` are its paths on the three sides. `takes` is the
    side whose version is the result; with `merge`, the result is woven instead. `joined` are further files (old and local path,
    and the first line of each in the woven local text) that the vendor joined into this one.
    """

    path: TreePath | None
    base: TreePath | None
    mine: TreePath | None
    incoming: TreePath | None
    outcome: Outcome
    why: str
    takes: Takes
    merge: ContentMerge | None = None
    decisions: tuple[Conflict, ...] = ()
    mode: int = 0o644
    joined: tuple[tuple[TreePath, TreePath, int], ...] = ()

    @property
    def shown(self) -> TreePath:
        """The path to name this file by."""
        path = self.path or self.mine or self.incoming or self.base
        assert path is not None
        return path


@dataclass(frozen=True)
class FolderMerge:
    """The merge of three folders, files sorted by the path that is shown.

    If no base is known, `base` is empty, and local edits cannot be distinguished from other differences.
    """

    base: FolderSide
    mine: FolderSide
    incoming: FolderSide
    files: tuple[FileMerge, ...]
    is_base_known: bool = True

    @cached_property
    def decisions(self) -> tuple[tuple[FileMerge, Conflict], ...]:
        return tuple((file, conflict) for file in self.files for conflict in file.decisions)

    @cached_property
    def likenesses(self) -> Mapping[str, str]:
        """A value for each conflict, by its id; equal for those that are alike."""
        return {conflict.id: likeness(file.merge, english_of(file.why), conflict) for file, conflict in self.decisions}


# Merges the contents of a file, given its path and the three versions; None means to merge by lines.
ByFormat = Callable[[TreePath, TextFile, TextFile, TextFile], ContentMerge | None]


def disk_side(folder: Path, manifest: Manifest) -> FolderSide:
    """A side that is read from disk when it is needed."""
    return FolderSide(manifest, reader(folder))


def no_format(_path: TreePath, _base: TextFile, _mine: TextFile, _incoming: TextFile) -> None:
    """Every text is merged by lines."""


def merge_folders(
    base: FolderSide | None,
    mine: FolderSide,
    incoming: FolderSide,
    work: Work,
    by_format: ByFormat = no_format,
) -> FolderMerge:
    """Merge the folders; nothing is written. Each file of each side is in the result; split or joined files with each of their
    parts.

    Without a base, nothing that could be an edit is replaced: differences need decisions.
    """
    with many_values():
        return _Merger(base, mine, incoming, work.token, by_format).merge(work.progress)


class _Merger:
    """The three sides while they are merged."""

    def __init__(
        self, base: FolderSide | None, mine: FolderSide, incoming: FolderSide, token: CancelToken, by_format: ByFormat
    ) -> None:
        self._known = base is not None
        self._base = base or FolderSide(Manifest({}), lambda path: b"")
        self._mine, self._incoming = mine, incoming
        self._token, self._by_format = token, by_format
        self._olds, self._ours, self._theirs = self._base.things, mine.things, incoming.things
        self._their_moves = _moves(self._olds, self._theirs, self._base, incoming, token)
        self._our_moves = _moves(self._olds, self._ours, self._base, mine, token)

    def merge(self, progress: Progress) -> FolderMerge:
        groups = self._regrouped()
        joined = {path for sources in groups.sources.values() for path in sources}
        files: list[FileMerge] = []
        used_mine: set[TreePath] = set()
        used_incoming: set[TreePath] = set()
        for number, path in enumerate(self._olds):
            self._token.check()
            progress(tr("merging"), number, len(self._olds))
            here, there = self._here(path), self._there(path)
            if path in groups.parts and here is not None:
                made = self._split(path, here, groups.parts[path])
                used_incoming.update(groups.parts[path])
            elif path in joined and here is not None:
                made = ()
            else:
                sources = groups.sources.get(there, ()) if there else ()
                made = (self._known_file(path, here, there, sources),)
            used_mine.update(item for item in (here,) if item)
            used_incoming.update(item for item in (there,) if item)
            files += made
        for target, sources in groups.sources.items():
            if target not in used_incoming:
                # A new file made only of old ones: it counts as a successor of the first.
                used_incoming.add(target)
                here = self._here(sources[0])
                assert here is not None
                files.append(self._known_file(sources[0], here, target, sources[1:]))
        for path in [path for path in self._ours if path not in used_mine]:
            if path in self._theirs and path not in used_incoming:
                used_incoming.add(path)
                files.append(self._new_on_both(path))
            else:
                mode = self._ours[path].mode
                files.append(FileMerge(path, None, path, None, "own", tr("only here; stays"), "mine", mode=mode))
        folders = self._moved_folders()
        for path in [path for path in self._theirs if path not in used_incoming]:
            files.append(self._added(path, folders))
        whole = sorted(_without_clashes(files), key=lambda file: file.shown)
        noted = tuple(_with_case_notes(whole, self._ours))
        return FolderMerge(self._base, self._mine, self._incoming, noted, self._known)

    def _here(self, path: TreePath) -> TreePath | None:
        return self._our_moves.get(path, path if path in self._ours else None)

    def _there(self, path: TreePath) -> TreePath | None:
        return self._their_moves.get(path, path if path in self._theirs else None)

    # -- split and joined files

    def _regrouped(self) -> Regrouping:
        """Return splits and joins of files with local edits. Others have no edits to keep, and a file that the user moved keeps
        its path."""
        there = {path: at for path in self._olds if (at := self._there(path)) is not None}
        edited = [
            path
            for path, old in self._olds.items()
            if self._here(path) == path
            and (ours := self._ours[path]).kind is old.kind is EntryKind.FILE
            and ours.content != old.content
            and (path not in there or self._theirs[there[path]].content not in (old.content, ours.content))
        ]
        if not edited:
            return Regrouping({}, {})
        known = set(there.values())
        new = [path for path, entry in self._theirs.items() if path not in known and entry.kind is EntryKind.FILE]
        changed = {
            at: path
            for path, at in there.items()
            if self._theirs[at].kind is EntryKind.FILE and self._theirs[at].content != self._olds[path].content
        }
        found = find_regrouping(
            edited,
            there,
            [path for path in new if path not in self._olds],
            changed,
            cache(lambda path: telling_lines(self._base.read(path))),
            cache(lambda path: telling_lines(self._incoming.read(path))),
        )
        owners = {at: path for path, at in there.items()}
        parts: dict[TreePath, tuple[TreePath, ...]] = {}
        taken: set[TreePath] = set()
        for path, pieces in found.parts.items():
            # A new file is a part of one old file only.
            mine = tuple(piece for piece in pieces if piece not in taken)
            if len(mine) > 1 and self._can_weave([path], mine):
                parts[path] = mine
                taken.update(mine)
        sources = {
            target: olds
            for target, olds in found.sources.items()
            if target not in taken
            and self._can_weave([*([owners[target]] if target in owners else []), *olds], [target])
        }
        return Regrouping(parts, sources)

    def _can_weave(self, olds: Sequence[TreePath], targets: Sequence[TreePath]) -> bool:
        """Return whether all parts exist and are text, so that they can be woven; otherwise each file is merged separately."""
        texts = [self._incoming.text(target) for target in targets]
        for path in olds:
            texts += [self._base.text(path), self._mine.text(self._here(path))]
        return None not in texts

    def _split(self, path: TreePath, here: TreePath, parts: Sequence[TreePath]) -> tuple[FileMerge, ...]:
        olds, ours = self._base.text(path), self._mine.text(here)
        theirs = [self._incoming.text(part) for part in parts]
        assert olds is not None and ours is not None
        whole, counts = in_a_row([text for text in theirs if text is not None])
        merges = cut_merge(merge_text(olds, ours, whole), counts)
        names = ", ".join(parts) if len(parts) < 4 else tr("{number} files", number=len(parts))
        return tuple(
            FileMerge(
                part,
                path,
                here,
                part,
                "decide" if merge.decisions else "merged",
                tr("the vendor split {path} into {names}", path=path, names=names),
                "mine",
                merge,
                merge.decisions,
                self._theirs[part].mode,
            )
            for part, merge in zip(parts, merges, strict=True)
        )

    def _join(self, path: TreePath, here: TreePath, there: TreePath, sources: Sequence[TreePath]) -> FileMerge:
        """Join old files into one; `_can_weave` has checked that all of them exist and are text."""
        olds = [text for source in (path, *sources) if (text := self._base.text(source)) is not None]
        ours = [text for place in (here, *sources) if (text := self._mine.text(place)) is not None]
        theirs = self._incoming.text(there)
        assert theirs is not None and len(olds) == len(ours) == len(sources) + 1
        old, _ = in_a_row(olds)
        mine, counts = in_a_row(ours)
        starts = [sum(counts[:at]) for at in range(1, len(counts))]
        merge = merge_text(old, mine, theirs)
        why = tr("the vendor joined {files} in {there}", files=", ".join([path, *sources]), there=there)
        outcome: Outcome = "decide" if merge.decisions else "merged"
        target, _ = _target(path, here, there)
        others = tuple(zip(sources, sources, starts, strict=True))  # a file that was moved here is not joined
        mode = self._theirs[there].mode
        return FileMerge(target, path, here, there, outcome, why, "mine", merge, merge.decisions, mode, others)

    # -- one file

    def _known_file(
        self, path: TreePath, here: TreePath | None, there: TreePath | None, sources: Sequence[TreePath] = ()
    ) -> FileMerge:
        """A file the old release had."""
        old, ours, theirs = self._olds[path], self._entry(self._ours, here), self._entry(self._theirs, there)
        if sources and here is not None and there is not None:
            return self._join(path, here, there, sources)
        if ours is None and theirs is None:
            return FileMerge(None, path, None, None, "removed", tr("gone on both sides"), "nothing")
        if ours is None:
            if _same(theirs, old):
                why = tr("you had deleted it; the vendor left it as it was")
                return FileMerge(None, path, None, there, "removed", why, "nothing")
            return _as_conflict(there, (path, None, there), tr("you had deleted it, the vendor changed it"), "nothing")
        if theirs is None:
            if _same(ours, old) and here == path:
                why = tr("the vendor dropped it; it was never edited here")
                return FileMerge(None, path, here, None, "removed", why, "nothing")
            why = (
                tr("the vendor dropped it, but it was moved here")
                if _same(ours, old)
                else tr("the vendor dropped it, but it was edited here")
            )
            return _as_conflict(here, (path, here, None), why, "mine", mode=ours.mode)
        target, moved = _target(path, here, there)
        mode = _merge_modes(old.mode, ours.mode, theirs.mode)
        if _same(ours, theirs):
            known = _same(ours, old)
            why = tr("nothing differs") if known else tr("your edit is already in the new release")
            outcome: Outcome = (
                "same" if known and target == here and mode == ours.mode else "updated" if known else "carried"
            )
            return FileMerge(target, path, here, there, outcome, why + moved, "mine", mode=mode)
        if _same(ours, old):
            return FileMerge(target, path, here, there, "updated", tr("not edited here") + moved, "incoming", mode=mode)
        if _same(theirs, old):
            why = tr("edited here; the vendor left it") + moved
            return FileMerge(target, path, here, there, "carried", why, "mine", mode=mode)
        texts = self._texts((self._base, path), (self._mine, here), (self._incoming, there))
        if texts is None:
            return _as_conflict(
                target, (path, here, there), tr("both changed it, and it is no text") + moved, "mine", mode=mode
            )
        assert target is not None
        merge: ContentMerge = self._by_format(target, *texts) or merge_text(*texts)
        outcome = "decide" if merge.decisions else "merged"
        what = tr("value") if any(conflict.kind == "key" for conflict in merge.decisions) else tr("lines")
        why = (
            tr("both changed the same {what}", what=what)
            if merge.decisions
            else tr("both changed it, in different places")
        )
        return FileMerge(target, path, here, there, outcome, why + moved, "mine", merge, merge.decisions, mode)

    @staticmethod
    def _entry(side: Mapping[TreePath, TreeEntry], path: TreePath | None) -> TreeEntry | None:
        return side.get(path) if path is not None else None

    def _texts(self, *places: tuple[FolderSide, TreePath | None]) -> tuple[TextFile, TextFile, TextFile] | None:
        base, mine, incoming = (side.text(path) for side, path in places)
        return (base, mine, incoming) if base and mine and incoming else None

    def _new_on_both(self, path: TreePath) -> FileMerge:
        """Merge a file that both sides have and the old release does not, or whose old release is unknown."""
        ours, theirs = self._ours[path], self._theirs[path]
        if _same(ours, theirs):
            why = tr("your file is already in the new release") if self._known else tr("nothing differs")
            outcome: Outcome = "carried" if self._known else "same"
            return FileMerge(path, None, path, path, outcome, why, "mine", mode=ours.mode)
        texts = self._texts((self._mine, path), (self._mine, path), (self._incoming, path))
        if self._known:
            why = tr("yours and the vendor's new file have one name")
        else:
            why = tr("it differs, and no old release tells what of it is your edit")
        if texts is None:
            return _as_conflict(path, (None, path, path), why, "mine", mode=ours.mode)
        by_format = self._by_format(path, TextFile(""), texts[1], texts[2]) if self._known else None
        merge: ContentMerge = by_format or merge_two_texts(texts[1], texts[2])
        outcome = "decide" if merge.decisions else "carried"
        why = why if merge.decisions else tr("your file says what the new release's says")
        return FileMerge(path, None, path, path, outcome, why, "mine", merge, merge.decisions, ours.mode)

    def _added(self, path: TreePath, folders: Mapping[str, str]) -> FileMerge:
        folder, _, name = path.rpartition("/")
        mode = self._theirs[path].mode
        moved = folders.get(folder)
        if moved is not None and f"{moved}/{name}" not in self._ours:
            why = tr("new from the vendor; you moved its folder from {folder}", folder=folder)
            return FileMerge(TreePath(f"{moved}/{name}"), None, None, path, "added", why, "incoming", mode=mode)
        why = tr("new from the vendor") if self._known else tr("only in the new release; you may have deleted it")
        return FileMerge(path, None, None, path, "added", why, "incoming", mode=mode)

    def _moved_folders(self) -> dict[str, str]:
        """Return folders that the user moved as a whole: files that the vendor adds to them move, too."""
        left = {path.rpartition("/")[0] for path in self._ours}
        found: dict[str, set[str]] = {}
        for old, new in self._our_moves.items():
            if old.rpartition("/")[2] == new.rpartition("/")[2]:
                found.setdefault(old.rpartition("/")[0], set()).add(new.rpartition("/")[0])
        return {
            old: min(news) for old, news in found.items() if old and len(news) == 1 and min(news) and old not in left
        }


def _moves(
    olds: Mapping[TreePath, TreeEntry],
    others: Mapping[TreePath, TreeEntry],
    base: FolderSide,
    other: FolderSide,
    token: CancelToken,
) -> dict[TreePath, TreePath]:
    gone = [(path, entry) for path, entry in olds.items() if entry.kind is EntryKind.FILE and path not in others]
    come = [(path, entry) for path, entry in others.items() if entry.kind is EntryKind.FILE and path not in olds]
    return find_moves(gone, come, base.read, other.read, token) if gone and come else {}


def _target(path: TreePath, here: TreePath | None, there: TreePath | None) -> tuple[TreePath | None, str]:
    """Return the path of the result, and a description if it is a move. The user's own move has priority."""
    if here != path:
        return here, tr("; you moved it from {path}", path=path)
    if there != path:
        return there, tr("; the vendor moved it from {path}", path=path)
    return path, ""


def _merge_modes(old: int, ours: int, theirs: int) -> int:
    """Merge modes bit by bit. This cannot conflict: a bit that both changed has the same value."""
    return ours ^ ((old ^ theirs) & ~(old ^ ours))


def _same(left: TreeEntry | None, right: TreeEntry | None) -> bool:
    """Return whether kind and content are equal; the mode is merged separately."""
    return left is not None and right is not None and (left.kind, left.content) == (right.kind, right.content)


def _as_conflict(
    path: TreePath | None,
    sides: tuple[TreePath | None, TreePath | None, TreePath | None],
    why: str,
    takes: Takes,
    mode: int = 0o644,
) -> FileMerge:
    """A file that needs a decision; `sides` are its paths in the base, on your side and on the vendor's."""
    base, mine, incoming = sides
    id = fingerprint(base or "", mine or "", incoming or "", english_of(why))
    options: tuple[Taking, ...] = ("mine", "incoming")
    conflict = Conflict(id, "file", _NOWHERE, _NOWHERE, _NOWHERE, options)
    return FileMerge(path, base, mine, incoming, "decide", why, takes, None, (conflict,), mode)


def _without_clashes(files: Sequence[FileMerge]) -> Iterator[FileMerge]:
    """Resolve path collisions: if two files have one path, or one is needed as a folder, the user's file keeps the path, and
    the vendor's file needs a decision.

    A user's file that the vendor's move would bring there stays where it is; a new one can get another name.
    """
    taken: set[TreePath] = set()
    folders: set[TreePath] = set()
    above = cache(parents)

    def is_free(path: TreePath) -> bool:
        head = path.rpartition("/")[0]
        return path not in taken and path not in folders and taken.isdisjoint((head, *above(head)))

    # A user's file keeps its path before a vendor's move can claim it.
    for file in sorted(files, key=lambda file: (file.outcome != "own", file.mine != file.path, file.mine is None)):
        made = file
        if file.path is not None and not is_free(file.path):
            if file.mine is not None and is_free(file.mine):
                why = tr("your own file stands where the vendor's {incoming} goes", incoming=file.incoming)
                made = _as_conflict(file.mine, (file.base, file.mine, file.incoming), why, "mine", file.mode)
            else:
                # There is no folder below a user's file, so put the file next to it, under a name that shows its original path.
                other_path = TreePath(f"{file.path if file.path in taken else file.path.replace('/', '-')}.incoming")
                why = tr(
                    "your file stands where the vendor's {incoming} goes; it can be put beside it",
                    incoming=file.incoming,
                )
                # The user now has another part of the split file, which counts as existing.
                base = file.base if file.mine is None else None
                made = _as_conflict(other_path, (base, None, file.incoming), why, "nothing", file.mode)
        if made.path is not None:
            taken.add(made.path)
            head = TreePath(made.path.rpartition("/")[0])
            if head not in folders:
                folders.update(parents(made.path))
        yield made


def _with_case_notes(files: Sequence[FileMerge], before: Mapping[TreePath, TreeEntry]) -> Iterator[FileMerge]:
    """Add a note where the merge creates names that differ only by case, since they are one file on some systems."""
    first: dict[str, TreePath] = {}
    for file in files:
        if file.path is not None:
            other = first.setdefault(file.path.casefold(), file.path)
            if other != file.path and not (other in before and file.path in before):
                why = tr(
                    "{why}; its name differs from {other} by case only, which some systems do not distinguish",
                    why=file.why,
                    other=other,
                )
                file = replace(file, why=why)
        yield file
