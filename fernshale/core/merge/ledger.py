"""The ledger of edits: every local edit, its place before, its fate, its place in the result, and the reason.

It is computed from the result itself: each edit is searched in the text to be written, parsed again. The merge only suggests
where to look first. An edit that is missing, and that no decision dropped, stops the update.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.merge.align import Hunk, Span, align_lines, equal_lines
from fernshale.core.merge.folder_merge import FileMerge, FolderMerge
from fernshale.core.merge.line_merge import Region, RegionKind
from fernshale.core.merge.merge_result import Result
from fernshale.core.merge.text_merge import Resolution, TextMerge, Undecided, region_spans
from fernshale.core.merge.text_style import read_lines, traits
from fernshale.core.merge.token_merge import split_tokens
from fernshale.core.snapshot.manifest import EntryKind, TreeEntry

Fate = Literal["carried", "already", "decide", "dropped"]
# In words, in the order in which they are shown.
FATE_WORDS: Mapping[Fate, str] = {
    "carried": tr("kept"),
    "already": tr("already in the new release"),
    "decide": tr("to decide"),
    "dropped": tr("dropped by decision"),
}
FATES: tuple[Fate, ...] = tuple(FATE_WORDS)


class LedgerUnbalanced(FernshaleError):
    """A local edit is neither in the result nor dropped by a decision; nothing may be written."""


@dataclass(frozen=True, slots=True)
class LedgerEntry:
    """One local edit: its file, its lines there (1-based, "" for whole files), a description, its fate, its place in the
    result, and the reason."""

    path: TreePath
    lines: str
    what: str
    fate: Fate
    now: str
    why: str = ""


@dataclass(frozen=True, slots=True)
class Ledger:
    """The account of every local edit."""

    entries: tuple[LedgerEntry, ...]

    def count(self, fate: Fate) -> int:
        return sum(entry.fate == fate for entry in self.entries)

    @property
    def edits(self) -> int:
        return len(self.entries)


class FindsItsEdits(Protocol):
    """A merge that can find its own local edits in a text."""

    def find_edits(
        self, now: TextFile, choices: Mapping[str, Resolution]
    ) -> Iterator[tuple[str, str, Fate | None, str, str]]:
        """Yield, for each local edit: its lines, description, fate (None: lost), current line, and reason."""
        ...


class FoundEdits:
    """The entries that were found for the files of one merge. A file whose part of the result and whose decisions are the same as
    before is not searched again: after a decision, that is every file but one."""

    def __init__(self) -> None:
        self._found: dict[int, tuple[object, tuple[LedgerEntry, ...]]] = {}

    def entries(self, account: _Account) -> Iterator[LedgerEntry]:
        """The entries of all files. Raises LedgerUnbalanced."""
        for number, file in enumerate(account.merge.files):
            stamp = account.stamp(file)
            known = self._found.get(number)
            if known is None or known[0] != stamp:
                known = stamp, tuple(account.edits(file))
                self._found[number] = known
            yield from known[1]


def build_ledger(
    merge: FolderMerge,
    result: Result,
    choices: Mapping[str, Resolution],
    undecided: Undecided = "mine",
    found: FoundEdits | None = None,
) -> Ledger:
    """Find every local edit in `result`, which was built with the same `choices` and `undecided`. `found` are the edits of the
    same merge that were found for another result.

    Raises LedgerUnbalanced when one is missing and no decision dropped it.
    """
    account = _Account(merge, result, choices, undecided)
    return Ledger(tuple((found or FoundEdits()).entries(account)))


@dataclass(frozen=True, slots=True)
class _Account:
    merge: FolderMerge
    result: Result
    choices: Mapping[str, Resolution]
    undecided: Undecided

    def stamp(self, file: FileMerge) -> object:
        """All that the entries of a file depend on, besides the merge: its decisions, and what the result has under its names."""
        places = (file.path, file.base, file.mine, file.incoming)
        return (
            self.undecided,
            tuple(self.result.entries.get(place) if place is not None else None for place in places),
            tuple(self.choices.get(conflict.id) for conflict in file.decisions),
        )

    def edits(self, file: FileMerge) -> Iterator[LedgerEntry]:
        merge = self.merge
        old, ours = merge.base.entry(file.base), merge.mine.entry(file.mine)
        if ours is None and old is None:
            return
        if old is None or ours is None:
            theirs = merge.incoming.entry(file.incoming)
            if not merge.is_base_known and ours is not None and theirs is not None and ours.content == theirs.content:
                return
            if file.merge is not None and file.decisions:
                yield from self._text_edits(file, file.merge)
            else:
                yield self._whole(file, ours)
            return
        assert file.mine is not None
        if file.mine != file.base:
            stands = file.mine in self.result.entries
            yield LedgerEntry(file.mine, "", tr("file moved"), *self._fate(file, stands, False, file.mine))
        here = self.result.entries.get(file.path) if file.path else None
        theirs = merge.incoming.entry(file.incoming)
        if ours.mode != old.mode and ours.kind is old.kind is EntryKind.FILE:
            done = here is not None and (here.mode ^ ours.mode) & (ours.mode ^ old.mode) == 0
            already = theirs is not None and (theirs.mode ^ ours.mode) & (ours.mode ^ old.mode) == 0
            yield LedgerEntry(
                file.shown, "", tr("mode {mode:o}", mode=ours.mode), *self._fate(file, done, already, file.shown)
            )
        if (old.kind, old.content) == (ours.kind, ours.content) and not file.joined:
            return
        if file.merge is not None:
            yield from self._text_edits(file, file.merge)
        else:
            yield from self._edits_of_whole(file, ours, theirs, here)

    # -- files as a whole

    def _whole(self, file: FileMerge, ours: TreeEntry | None) -> LedgerEntry:
        """A file added or deleted."""
        theirs = self.merge.incoming.entry(file.incoming)
        path = file.mine or file.base
        assert path is not None
        if ours is None:
            # A deletion is kept if the result has the file under none of its names; another file may now have one of them.
            entries, files = self.result.entries, self.merge.files
            places = [place for place in (file.path, file.incoming, file.base) if place and place in entries]
            done = all(any(other.path == place and other is not file for other in files) for place in places)
            return LedgerEntry(path, "", tr("file deleted"), *self._fate(file, done, theirs is None, tr("gone")))
        here = self.result.entries.get(file.path) if file.path else None
        done = here is not None and here.content == ours.content
        already = theirs is not None and theirs.content == ours.content
        return LedgerEntry(path, "", tr("file added"), *self._fate(file, done, already, file.path or ""))

    def _edits_of_whole(
        self, file: FileMerge, ours: TreeEntry, theirs: TreeEntry | None, here: TreeEntry | None
    ) -> Iterator[LedgerEntry]:
        """Edits of a file one side's version of which is the result."""
        assert file.mine is not None
        base, mine = self.merge.base.text(file.base), self.merge.mine.text(file.mine)
        done = here is not None and here.content == ours.content
        already = theirs is not None and theirs.content == ours.content
        if base is None or mine is None:
            yield LedgerEntry(file.mine, "", tr("content changed"), *self._fate(file, done, already, file.shown))
            return
        # Of equal contents one is read; that the result is mine was found in the result itself.
        now = mine if done else self._result_text(file)
        is_old = theirs is not None and (old := self.merge.base.entry(file.base)) and theirs.content == old.content
        incoming = base if is_old else self.merge.incoming.text(file.incoming)
        yield from self._spelling_edits(file, base, mine, incoming, now)
        olds, news = read_lines(base.text).lines, read_lines(mine.text).lines
        finder = None if done else _Finder(olds, news, read_lines(now.text).lines if now else ())
        vendor = None if already or is_old or incoming is None else _Finder(olds, news, read_lines(incoming.text).lines)
        for hunk in align_lines(olds, news):
            is_there = done or (now is not None and finder is not None and finder.holds(hunk))
            is_known = already or (vendor is not None and vendor.holds(hunk))
            line = hunk.new[0] + 1 if done else finder.place(hunk) if finder else 0
            fate = self._fate(file, is_there, is_known, f"{file.path}:{line}" if line else str(file.path or ""))
            yield LedgerEntry(file.mine, _span(hunk.new), _what(hunk, news), *fate)

    def _spelling_edits(
        self, file: FileMerge, base: TextFile, mine: TextFile, incoming: TextFile | None, now: TextFile | None
    ) -> Iterator[LedgerEntry]:
        """Line ends, byte order mark, indentation and the like, where they were changed here."""
        assert file.mine is not None
        if not base.text or not mine.text:
            return
        olds, ours = traits(base), traits(mine)
        edits = {name: value for name, value in ours.items() if value and olds[name] and value != olds[name]}
        if not edits:
            return
        result, theirs = traits(now) if now else {}, traits(incoming) if incoming else {}
        for name, value in edits.items():
            done = result.get(name) in (value, "")
            fate = self._fate(file, done, theirs.get(name) == value, file.shown)
            yield LedgerEntry(file.mine, "", f"{name}: {value}", *fate)

    # -- woven texts

    def _text_edits(self, file: FileMerge, merge: object) -> Iterator[LedgerEntry]:
        assert file.mine is not None
        now = self._result_text(file)
        if file.base is not None and not file.joined:
            base, mine = self.merge.base.text(file.base), self.merge.mine.text(file.mine)
            if base is not None and mine is not None:
                yield from self._spelling_edits(file, base, mine, self.merge.incoming.text(file.incoming), now)
        if isinstance(merge, TextMerge):
            lines = read_lines(now.text).lines if now else ()
            yield from _WovenEdits(self, file, merge, lines).entries()
            return
        finds: FindsItsEdits = merge  # type: ignore[assignment]
        for lines_of, what, fate, line, why in finds.find_edits(now or TextFile(""), self.choices):
            if fate is None:
                raise lost(file)
            yield LedgerEntry(file.mine, lines_of, what, fate, f"{file.path}:{line}" if line else str(file.path), why)

    def _result_text(self, file: FileMerge) -> TextFile | None:
        here = self.result.entries.get(file.path) if file.path else None
        if file.path is None or here is None or here.kind is not EntryKind.FILE:
            return None
        return read_text(self.result.read(file.path))

    def _fate(self, file: FileMerge, done: bool, already: bool, where: str) -> tuple[Fate, str, str]:
        """Fate, place and reason of an edit that was looked for, of a file that is decided as a whole."""
        asked = [conflict for conflict in file.decisions if conflict.kind == "file"]
        if any(conflict.id not in self.choices for conflict in asked):
            return "decide", where, file.why
        if done:
            return ("already", where, tr("the new release has the same")) if already else ("carried", where, file.why)
        if asked:
            return "dropped", "", _decision_words(self.choices[asked[0].id])
        raise lost(file)


def lost(file: FileMerge) -> LedgerUnbalanced:
    """The error for an edit that is nowhere."""
    return LedgerUnbalanced(
        tr("a local edit in {shown} is not in the merged result, and no decision gave it up", shown=file.shown),
        tr("Nothing was written. Please keep both plugin folders and report this."),
    )


def _decision_words(choice: Resolution) -> str:
    return {
        "incoming": tr("given up for the incoming version"),
        "base": tr("given up for what was there before"),
        "text": tr("what was written by hand is without it"),
    }.get(choice.take, tr("given up by a decision"))


class _WovenEdits:
    """The edits of one woven text, looked for in the lines of its result."""

    def __init__(self, account: _Account, file: FileMerge, merge: TextMerge, now: Sequence[str]) -> None:
        self._account, self._file, self._merge, self._now = account, file, merge, now
        self._spans = region_spans(merge, account.choices, account.undecided)
        self._all_known = self._every_line_is_known()

    def entries(self) -> Iterator[LedgerEntry]:
        merge = self._merge
        at = 0
        for hunk in align_lines(merge.base, merge.mine):
            while at < len(merge.regions) and _is_before(merge.regions[at], hunk):
                at += 1
            stop = at
            while stop < len(merge.regions) and not _is_after(merge.regions[stop], hunk):
                stop += 1
            yield from self._pieces(hunk, range(at, stop))
            at = max(at, stop - 1)

    def _pieces(self, hunk: Hunk, regions: range) -> Iterator[LedgerEntry]:
        """Divide a local change; parts that need a decision are edits of their own."""
        calm: list[int] = []
        for number in regions:
            if self._merge.regions[number].kind is RegionKind.DECIDE:
                if calm:
                    yield from self._calm(hunk, calm)
                    calm = []
                yield self._decided(number)
            else:
                calm.append(number)
        if calm:
            yield from self._calm(hunk, calm)

    def _calm(self, hunk: Hunk, numbers: list[int]) -> Iterator[LedgerEntry]:
        merge, now = self._merge, self._now
        regions = [merge.regions[number] for number in numbers]
        old = _clip(hunk.old, (regions[0].base[0], regions[-1].base[1]))
        new = _clip(hunk.new, (regions[0].mine[0], regions[-1].mine[1]))
        if old[0] == old[1] and new[0] == new[1]:
            return
        places = [
            self._spans[number][0] + line - region.mine[0]
            for number, region in zip(numbers, regions, strict=True)
            if region.kind is not RegionKind.INCOMING
            for line in range(*_clip(new, region.mine))
        ]
        piece = Hunk(old, new)
        wanted = list(merge.mine[slice(*new)])
        start = places[0] if places else self._spans[numbers[0]][0]
        done = len(places) == len(wanted) and [now[place] if place < len(now) else None for place in places] == wanted
        done = done and self._all_known
        spot = start + 1
        if not done:
            finder = _Finder(merge.base, merge.mine, now)
            if not finder.holds(piece):
                raise lost(self._file)
            spot = finder.place(piece) or spot
        said = [region.kind for region in regions if region.kind not in (RegionKind.SAME, RegionKind.INCOMING)]
        already = bool(said) and all(kind is RegionKind.BOTH for kind in said)
        fate: Fate = "already" if already else "carried"
        why = tr("the new release has the same") if already else self._file.why
        yield self._entry(new, _what(piece, merge.mine), fate, f"{self._file.path}:{spot}", why)

    def _every_line_is_known(self) -> bool:
        """Return whether the result contains exactly the lines of each region, so that lines removed by an edit are absent."""
        merge, now = self._merge, tuple(self._now)
        for region, (start, end) in zip(merge.regions, self._spans, strict=True):
            if region.kind is RegionKind.INCOMING:
                wanted = merge.incoming[slice(*region.incoming)]
            elif region.kind is RegionKind.DECIDE:
                continue
            else:
                wanted = merge.mine[slice(*region.mine)]
            if now[start:end] != wanted:
                return False
        return len(now) == (self._spans[-1][1] if self._spans else 0)

    def _decided(self, number: int) -> LedgerEntry:
        region, conflict = self._merge.regions[number], self._merge.conflicts[number]
        piece = Hunk(region.base, region.mine)
        span = self._spans[number]
        where = f"{self._file.path}:{span[0] + 1}"
        what = _what(piece, self._merge.mine)
        choice = self._account.choices.get(conflict.id)
        if choice is None:
            return self._entry(region.mine, what, "decide", where, tr("both changed these lines"))
        mine, found = list(self._merge.mine[slice(*region.mine)]), list(self._now[slice(*span)])
        if found == mine or (mine and _is_subsequence(mine, found)):
            why = {"both": tr("both stand, yours first"), "swapped": tr("both stand, incoming first")}.get(
                choice.take, "kept"
            )
            return self._entry(region.mine, what, "carried", where, tr("{why} by decision", why=why))
        if choice.take in ("finer", "text") and _has_tokens(self._merge.base[slice(*region.base)], mine, found):
            why = tr("merged token by token") if choice.take == "finer" else tr("written by hand")
            return self._entry(region.mine, what, "carried", where, tr("{why} by decision", why=why))
        return self._entry(region.mine, what, "dropped", "", _decision_words(choice))

    def _entry(self, lines: Span, what: str, fate: Fate, now: str, why: str) -> LedgerEntry:
        file, places = self._file, self._merge.mine_at
        assert file.mine is not None
        if places:
            first = places[lines[0]] if lines[0] < len(places) else places[-1] + 1
            lines = (first, first + lines[1] - lines[0])
        path = file.mine
        for _, other, start in file.joined:
            if lines[0] >= start:
                path, lines = other, (lines[0] - start, lines[1] - start)
                break
        return LedgerEntry(path, _span(lines), what, fate, now, why)


def _is_before(region: Region, hunk: Hunk) -> bool:
    """Return whether a region ends before a hunk; one that touches the hunk does if it has no lines of it."""
    return (
        region.mine[1] <= hunk.new[0]
        and region.base[1] <= hunk.old[0]
        and not (region.mine == hunk.new and region.base == hunk.old)
    )


def _is_after(region: Region, hunk: Hunk) -> bool:
    return (
        region.mine[0] >= hunk.new[1]
        and region.base[0] >= hunk.old[1]
        and not (region.mine == hunk.new and region.base == hunk.old)
    )


def _clip(span: Span, within: Span) -> Span:
    start = min(max(span[0], within[0]), within[1])
    return start, max(start, min(span[1], within[1]))


def _is_subsequence(wanted: Sequence[str], lines: Sequence[str]) -> bool:
    rest = iter(lines)
    return all(line in rest for line in wanted)


def _has_tokens(base: Sequence[str], mine: Sequence[str], found: Sequence[str]) -> bool:
    """Whether the tokens that mine added are in the text, and those it removed are not all there."""
    old, new, now = (Counter(token for line in lines for token in split_tokens(line)) for lines in (base, mine, found))
    added, gone = new - old, old - new
    words = {token for token in gone if token[0].isalnum()}
    return not added - now and bool(added or gone) and not any(now[token] > new[token] for token in words if not added)


class _Finder:
    """Searches edits of base -> mine in a third text."""

    def __init__(self, base: Sequence[str], mine: Sequence[str], text: Sequence[str]) -> None:
        self._from_base = equal_lines(align_lines(base, text), len(base))
        self._from_mine = equal_lines(align_lines(mine, text), len(mine))
        self._base, self._mine, self._text = base, mine, text

    def holds(self, hunk: Hunk) -> bool:
        """Return whether all added lines exist there, and no removed line does (at its place)."""
        if any(line not in self._from_mine for line in range(*hunk.new)):
            return self._is_elsewhere(hunk)
        kept = {self._from_mine[line] for line in range(*hunk.new)}
        replaced = set(self._mine[slice(*hunk.new)])
        stays = [line for line in range(*hunk.old) if self._from_base.get(line, -1) not in ({-1} | kept)]
        return not any(self._base[line] not in replaced for line in stays)

    def place(self, hunk: Hunk) -> int:
        """Return the 1-based line of the edit, 0 if unknown."""
        for line in (*range(*hunk.new), hunk.new[0] - 1):
            if line in self._from_mine:
                return self._from_mine[line] + 1
        return 0

    def _is_elsewhere(self, hunk: Hunk) -> bool:
        """Return whether the lines of a moved edit are together somewhere in the text."""
        wanted = list(self._mine[slice(*hunk.new)])
        starts = (at for at, line in enumerate(self._text) if line == wanted[0])
        return any(list(self._text[at : at + len(wanted)]) == wanted for at in starts)


def _span(lines: Span) -> str:
    first, last = lines[0] + 1, max(lines[1], lines[0] + 1)
    return str(first) if first == last else f"{first}-{last}"


def _what(hunk: Hunk, mine: Sequence[str]) -> str:
    removed, added = hunk.old[1] - hunk.old[0], hunk.new[1] - hunk.new[0]
    first = next((mine[line].strip() for line in range(*hunk.new) if mine[line].strip()), "")
    count = (
        tr("{added} lines added", added=added)
        if not removed
        else tr("{removed} lines removed", removed=removed)
        if not added
        else tr("{added} lines changed", added=added)
    )
    if max(added, removed) == 1:
        count = count.replace("lines", "line")
    return f"{count}: {first[:60]}" if first else count
