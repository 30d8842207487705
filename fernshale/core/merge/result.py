"""The result of a folder merge once choices are known: what stands at each path, and the ledger of edits.

The ledger is computed from the result itself: each local edit is looked for there. It must balance.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.textfile import read_text, split_lines
from fernshale.core.base.treepath import TreePath
from fernshale.core.merge.align import Hunk, Span, align_lines, equal_lines
from fernshale.core.merge.folder import FileMerge, FolderMerge, Side
from fernshale.core.merge.textmerge import Choice, TextMerge, region_spans, result_text
from fernshale.core.merge.threeway import RegionKind, line_keys
from fernshale.core.snapshot.manifest import Entry, Kind, digest_of

Fate = Literal["carried", "already", "decide", "dropped"]


class LedgerUnbalanced(FernshaleError):
    """A local edit is neither in the result nor given up by a decision; nothing may be written."""


@dataclass(frozen=True, slots=True)
class Result:
    """What stands at each path; `contents` of files by digest."""

    entries: Mapping[TreePath, Entry]
    contents: Mapping[str, bytes]


@dataclass(frozen=True, slots=True)
class LedgerEntry:
    """One local edit: the file it is in, its lines there (1-based, "" for whole files), what it does, its fate, where now."""

    path: TreePath
    lines: str
    what: str
    fate: Fate
    now: str


@dataclass(frozen=True, slots=True)
class Ledger:
    """The account of every local edit."""

    entries: tuple[LedgerEntry, ...]

    def count(self, fate: Fate) -> int:
        return sum(entry.fate == fate for entry in self.entries)

    @property
    def edits(self) -> int:
        return len(self.entries)


def build_result(merge: FolderMerge, choices: Mapping[str, Choice], undecided: Literal["marked", "mine"]) -> Result:
    """The merged folder. What is not decided yet stands as mine, or marked in the text where that is asked for."""
    entries: dict[TreePath, Entry] = {}
    contents: dict[str, bytes] = {}
    for file in merge.files:
        placed = _outcome(merge, file, choices, undecided == "marked")
        if placed is None:
            continue
        path, entry, data = placed
        entries[path] = entry
        if data is not None:
            contents[entry.content] = data
    return Result(dict(sorted(entries.items())), contents)


def build_ledger(merge: FolderMerge, result: Result, choices: Mapping[str, Choice]) -> Ledger:
    """Look for every local edit in `result`. Raises LedgerUnbalanced when one is nowhere and nobody gave it up."""
    return Ledger(tuple(entry for file in merge.files for entry in _edits(merge, file, result, choices)))


def _outcome(
    merge: FolderMerge, file: FileMerge, choices: Mapping[str, Choice], marked: bool
) -> tuple[TreePath, Entry, bytes | None] | None:
    if file.text is not None:
        text = result_text(file.text, choices, marked)
        data = text.encode() if text is not None else file.text.local.encode()
        assert file.path is not None
        return file.path, Entry(Kind.FILE, file.mode, digest_of(data), len(data)), data
    takes = _file_choice(file, choices)
    side, path = {"mine": (merge.mine, file.mine), "incoming": (merge.incoming, file.incoming)}.get(takes, (None, None))
    entry = side.entry(path) if side else None
    if side is None or path is None or entry is None:
        return None
    target = file.path if file.path is not None else path
    if entry.kind is not Kind.FILE:
        return target, entry, None
    return target, Entry(Kind.FILE, file.mode, entry.content, entry.size), side.read(path)


def _file_choice(file: FileMerge, choices: Mapping[str, Choice]) -> str:
    for due in file.decisions:
        choice = choices.get(due.id)
        if choice is not None and choice.take in ("mine", "incoming"):
            return choice.take
    return file.takes


def _edits(merge: FolderMerge, file: FileMerge, result: Result, choices: Mapping[str, Choice]) -> Iterator[LedgerEntry]:
    old, ours = merge.base.entry(file.base), merge.mine.entry(file.mine)
    if old is None and ours is None:
        return
    if old is None or ours is None:
        yield _whole_file(merge, file, result, choices, "file added" if old is None else "file deleted")
        return
    if file.mine != file.base:
        assert file.mine is not None
        stands = file.mine in result.entries
        yield LedgerEntry(file.mine, "", "file moved", *_fate(file, choices, stands, False, file.mine))
    if ours.mode != old.mode and ours.kind is old.kind is Kind.FILE:
        here = result.entries.get(file.path) if file.path else None
        done = here is not None and here.mode == ours.mode
        theirs = merge.incoming.entry(file.incoming)
        already = theirs is not None and theirs.mode == ours.mode
        yield LedgerEntry(file.shown, "", f"mode {ours.mode:o}", *_fate(file, choices, done, already, file.shown))
    if (old.kind, old.content) != (ours.kind, ours.content):
        yield from _content_edits(merge, file, result, choices)


def _whole_file(
    merge: FolderMerge, file: FileMerge, result: Result, choices: Mapping[str, Choice], what: str
) -> LedgerEntry:
    ours, theirs = merge.mine.entry(file.mine), merge.incoming.entry(file.incoming)
    path = file.mine or file.base
    assert path is not None
    if ours is None:
        # A deletion is carried when the file is gone from the result under every name it had; another file may have
        # taken one of them.
        places = [place for place in (file.path, file.incoming, file.base) if place and place in result.entries]
        done = all(any(other.path == place and other is not file for other in merge.files) for place in places)
        return LedgerEntry(path, "", what, *_fate(file, choices, done, theirs is None, "gone"))
    here = result.entries.get(file.path) if file.path else None
    if file.text is not None:
        return LedgerEntry(path, "", what, *_text_file_fate(file, file.text, choices))
    done = here is not None and here.content == ours.content
    already = theirs is not None and theirs.content == ours.content
    return LedgerEntry(path, "", what, *_fate(file, choices, done, already, file.path or ""))


def _text_file_fate(file: FileMerge, text: TextMerge, choices: Mapping[str, Choice]) -> tuple[Fate, str]:
    """Of a file both sides added: to decide while anything in it is, dropped only when all of it was given up."""
    taken = [choices.get(due.id) for due in text.decisions]
    if any(choice is None for choice in taken):
        return "decide", file.shown
    gone = taken and all(choice is not None and choice.take == "incoming" for choice in taken)
    return ("dropped", "") if gone else ("carried", file.shown)


def _content_edits(
    merge: FolderMerge, file: FileMerge, result: Result, choices: Mapping[str, Choice]
) -> Iterator[LedgerEntry]:
    assert file.mine is not None
    here = result.entries.get(file.path) if file.path else None
    base, mine = _lines(merge.base, file.base), _lines(merge.mine, file.mine)
    incoming = _lines(merge.incoming, file.incoming)
    if base is None or mine is None:
        ours, theirs = merge.mine.entry(file.mine), merge.incoming.entry(file.incoming)
        done = here is not None and ours is not None and here.content == ours.content
        already = theirs is not None and ours is not None and theirs.content == ours.content
        yield LedgerEntry(file.mine, "", "content changed", *_fate(file, choices, done, already, file.shown))
        return
    data = result.contents.get(here.content) if here is not None else None
    text = read_text(data) if data is not None else None
    now = line_keys(split_lines(text.text)) if text is not None else []
    finder = _Finder(base, mine, now)
    vendor = _Finder(base, mine, incoming) if incoming is not None else None
    for hunk, span in _mine_hunks(file, base, mine, choices):
        placed = now[slice(*span)] if span is not None else None
        wanted = mine[slice(*hunk.new)]
        # At the place the merge gave it, if it gave it one; the lines there are the result's own, read anew.
        done = finder.holds(hunk) if placed is None else placed[: len(wanted)] == wanted
        already = vendor is not None and vendor.holds(hunk)
        spot = span[0] + 1 if span is not None else finder.place(hunk)
        where = f"{file.path}:{spot}" if spot else str(file.path or "")
        fate = _fate(file, choices, done and text is not None, already, where, hunk)
        yield LedgerEntry(file.mine, _span(hunk), _what(hunk, mine), *fate)


def _mine_hunks(
    file: FileMerge, base: Sequence[str], mine: Sequence[str], choices: Mapping[str, Choice]
) -> list[tuple[Hunk, Span | None]]:
    """The local edits, and for a woven text the lines of the result where each must stand."""
    if file.text is None:
        return [(hunk, None) for hunk in align_lines(base, mine)]
    if result_text(file.text, choices, marked=False) is None:
        spans: tuple[Span | None, ...] = (None,) * len(file.text.regions)
    else:
        spans = region_spans(file.text, choices)
    kinds = (RegionKind.MINE, RegionKind.BOTH, RegionKind.DECIDE)
    pairs = zip(file.text.regions, spans, strict=True)
    return [(Hunk(region.base, region.mine), span) for region, span in pairs if region.kind in kinds]


class _Finder:
    """Looks for edits of base -> mine in a third text."""

    def __init__(self, base: Sequence[str], mine: Sequence[str], text: Sequence[str]) -> None:
        self._from_base = equal_lines(align_lines(base, text), len(base))
        self._from_mine = equal_lines(align_lines(mine, text), len(mine))
        self._base, self._mine = base, mine

    def holds(self, hunk: Hunk) -> bool:
        """All lines of mine stand there, and none of those mine took out does (at its place)."""
        if any(line not in self._from_mine for line in range(*hunk.new)):
            return False
        kept = {self._from_mine[line] for line in range(*hunk.new)}
        replaced = set(self._mine[slice(*hunk.new)])
        stays = [line for line in range(*hunk.old) if self._from_base.get(line, -1) not in ({-1} | kept)]
        return not any(self._base[line] not in replaced for line in stays)

    def place(self, hunk: Hunk) -> int:
        """1-based line where the edit stands, 0 when unknown."""
        for line in (*range(*hunk.new), hunk.new[0] - 1):
            if line in self._from_mine:
                return self._from_mine[line] + 1
        return 0


def _fate(
    file: FileMerge, choices: Mapping[str, Choice], done: bool, already: bool, where: str, hunk: Hunk | None = None
) -> tuple[Fate, str]:
    """The fate of an edit that was looked for. Raises LedgerUnbalanced."""
    asked = [
        due
        for due in file.decisions
        if due.kind == "file" or hunk is None or (due.mine, due.base) == (hunk.new, hunk.old)
    ]
    if any(due.id not in choices for due in asked):
        return "decide", where
    if done:
        return ("already" if already else "carried"), where
    if asked:
        # Given up, or written anew by hand: either way by a decision that is on record.
        written = any(choices[due.id].take == "text" for due in asked)
        return ("carried", where) if written else ("dropped", "")
    raise LedgerUnbalanced(
        f"a local edit in {file.shown} is not in the merged result, and no decision gave it up",
        "Nothing was written. Please keep both plugin folders and report this.",
    )


def _lines(side: Side, path: TreePath | None) -> list[str] | None:
    entry = side.entry(path)
    if path is None or entry is None or entry.kind is not Kind.FILE:
        return None
    text = read_text(side.read(path))
    return line_keys(split_lines(text.text)) if text is not None else None


def _span(hunk: Hunk) -> str:
    first, last = hunk.new[0] + 1, max(hunk.new[1], hunk.new[0] + 1)
    return str(first) if first == last else f"{first}-{last}"


def _what(hunk: Hunk, mine: Sequence[str]) -> str:
    removed, added = hunk.old[1] - hunk.old[0], hunk.new[1] - hunk.new[0]
    first = next((mine[line].strip() for line in range(*hunk.new) if mine[line].strip()), "")
    count = (
        f"{added} lines added" if not removed else f"{removed} lines removed" if not added else f"{added} lines changed"
    )
    if max(added, removed) == 1:
        count = count.replace("lines", "line")
    return f"{count}: {first[:60]}" if first else count
