"""Merge two descendants of a text, line by line.

Each side's changes are hunks of the base. Hunks of the two sides that do not overlap are both applied. Where they overlap, the
blocks are first divided into changes of single lines (so that two neighbouring edits do not conflict), equal changes are
applied once, entries that both added to a list are united, and the remaining differences are conflicts. Method: three-way merge
over two alignments (Khanna, Kunal and Pierce, 2007, "A Formal Investigation of Diff3"), with hunks of the base instead of
stable chunks.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import Enum

from fernshale.core.merge.align import Hunk, Span, align_numbers, number_lines, split_hunk
from fernshale.core.merge.list_union import Piece, unite

_Group = tuple[list[Hunk], list[Hunk]]


class RegionKind(Enum):
    SAME = "same"
    MINE = "mine"
    INCOMING = "incoming"
    BOTH = "both"
    DECIDE = "decide"


@dataclass(frozen=True, slots=True)
class Region:
    """Lines of the result with one source.

    `base`, `mine` and `incoming` are half-open spans of lines; the regions of a merge cover each of the three texts without
    gaps.
    """

    kind: RegionKind
    base: Span
    mine: Span
    incoming: Span


@dataclass(frozen=True, slots=True)
class _Three:
    """The texts, as lines."""

    base: Sequence[str]
    mine: Sequence[str]
    incoming: Sequence[str]


def merge_lines(base: Sequence[str], mine: Sequence[str], incoming: Sequence[str]) -> tuple[Region, ...]:
    """Return the regions of the merge of three texts, given as lines without line ends."""
    texts = _Three(base, mine, incoming)
    olds, ours, theirs = number_lines(base, mine, incoming)
    groups = list(_groups(align_numbers(olds, ours, base, mine), align_numbers(olds, theirs, base, incoming)))
    if any(left and right for left, right in groups):
        groups = list(_groups(*_split_clashes(groups, texts)))
    regions: list[Region] = []
    for region in _regions(groups, texts):
        if region.kind is RegionKind.DECIDE:
            regions += _refine(region, texts)
        else:
            regions.append(region)
    return tuple(regions)


def merge_tokens(base: Sequence[str], mine: Sequence[str], incoming: Sequence[str]) -> tuple[Region, ...]:
    """Merge tokens instead of lines: nothing is divided, trimmed or united."""
    olds, ours, theirs = number_lines(base, mine, incoming)
    groups = list(_groups(align_numbers(olds, ours, base, mine), align_numbers(olds, theirs, base, incoming)))
    return tuple(_regions(groups, _Three(base, mine, incoming)))


def _split_clashes(groups: Sequence[_Group], texts: _Three) -> tuple[list[Hunk], list[Hunk]]:
    """All hunks of both sides; those that overlap one of the other side are split."""
    ours: list[Hunk] = []
    theirs: list[Hunk] = []
    for left, right in groups:
        clash = bool(left and right)
        for hunks, into, new in ((left, ours, texts.mine), (right, theirs, texts.incoming)):
            for hunk in hunks:
                into += split_hunk(hunk, texts.base, new) if clash else (hunk,)
    return ours, theirs


def _groups(left: Sequence[Hunk], right: Sequence[Hunk]) -> Iterator[_Group]:
    """Hunks of both sides in base order, those that overlap together."""
    at_left = at_right = 0
    while at_left < len(left) or at_right < len(right):
        mine_first = at_right == len(right) or (at_left < len(left) and left[at_left].old <= right[at_right].old)
        first = left[at_left] if mine_first else right[at_right]
        group: _Group = ([first], []) if mine_first else ([], [first])
        if mine_first:
            at_left += 1
        else:
            at_right += 1
        span = first.old
        grew = True
        while grew:
            grew = False
            if at_left < len(left) and _overlaps(left[at_left].old, span):
                group[0].append(left[at_left])
                span = (span[0], max(span[1], left[at_left].old[1]))
                at_left, grew = at_left + 1, True
            if at_right < len(right) and _overlaps(right[at_right].old, span):
                group[1].append(right[at_right])
                span = (span[0], max(span[1], right[at_right].old[1]))
                at_right, grew = at_right + 1, True
        yield group


def _overlaps(span: Span, group: Span) -> bool:
    """Whether a hunk's base span shares lines with the group, or inserts at the very place the group inserts."""
    if span[0] == span[1] or group[0] == group[1]:
        return span == group or group[0] < span[0] < group[1] or span[0] < group[0] < span[1]
    return span[0] < group[1] and group[0] < span[1]


def _regions(groups: Sequence[_Group], texts: _Three) -> Iterator[Region]:
    at = at_mine = at_incoming = 0
    same, mine, incoming = RegionKind.SAME, RegionKind.MINE, RegionKind.INCOMING
    for left, right in groups:
        hunks = left or right
        start, end = hunks[0].old[0], hunks[-1].old[1]
        if left and right:
            start, end = min(start, right[0].old[0]), max(end, right[-1].old[1])
        if at < start:
            skip = start - at
            yield Region(same, (at, start), (at_mine, at_mine + skip), (at_incoming, at_incoming + skip))
            at_mine, at_incoming = at_mine + skip, at_incoming + skip
        # A side that is unchanged inside the group has the base's length, plus the length of its hunks.
        end_mine = at_mine + end - start + (_growth(left) if left else 0)
        end_incoming = at_incoming + end - start + (_growth(right) if right else 0)
        kind = mine if not right else incoming
        if left and right:
            alike = texts.mine[at_mine:end_mine] == texts.incoming[at_incoming:end_incoming]
            kind = RegionKind.BOTH if alike else RegionKind.DECIDE
        yield Region(kind, (start, end), (at_mine, end_mine), (at_incoming, end_incoming))
        at, at_mine, at_incoming = end, end_mine, end_incoming
    if at < len(texts.base):
        tail = len(texts.base) - at
        spans = (at, len(texts.base)), (at_mine, at_mine + tail), (at_incoming, at_incoming + tail)
        yield Region(RegionKind.SAME, *spans)


def _growth(hunks: Sequence[Hunk]) -> int:
    grown = 0
    for hunk in hunks:
        grown += (hunk.new[1] - hunk.new[0]) - (hunk.old[1] - hunk.old[0])
    return grown


# -- clashes that are none, or less than they seem


def _refine(region: Region, texts: _Three) -> Sequence[Region]:
    old = texts.base[slice(*region.base)]
    ours, theirs = texts.mine[slice(*region.mine)], texts.incoming[slice(*region.incoming)]
    if not old:
        if pieces := _contained(ours, theirs):
            return _cut(region, pieces)
        above, below = texts.base[: region.base[0]], texts.base[region.base[1] :]
        pieces = unite(above[-_NEIGHBOURS:], below[:_NEIGHBOURS], ours, theirs)
        return _cut(region, pieces) if pieces else (region,)
    start = _common(ours, theirs)
    end = _common(ours[start:][::-1], theirs[start:][::-1])
    if start + end and start + end == min(len(ours), len(theirs)):
        # One side made the other's change and added lines next to it.
        parts = _with_addition(region, start, end)
        return parts if ours[:start] != old and ours[len(ours) - end :] != old else (region,)
    # A closing brace belongs to its block: only lines with content are separated.
    while start and not any(map(str.isalnum, ours[start - 1])):
        start -= 1
    while end and not any(map(str.isalnum, ours[len(ours) - end])):
        end -= 1
    return _trimmed(region, start, end) if start or end else (region,)


_NEIGHBOURS = 40


def _common(left: Sequence[str], right: Sequence[str]) -> int:
    same = 0
    while same < min(len(left), len(right)) and left[same] == right[same]:
        same += 1
    return same


def _contained(ours: Sequence[str], theirs: Sequence[str]) -> list[Piece]:
    """If one side added all that the other added, and more, return the parts and their sides; otherwise empty."""
    longer, shorter, side = (ours, theirs, "mine") if len(ours) > len(theirs) else (theirs, ours, "incoming")
    pieces: list[Piece] = []
    at = 0
    for line in longer:
        is_both = at < len(shorter) and line == shorter[at]
        at += is_both
        kind = "both" if is_both else side
        if pieces and pieces[-1][0] == kind:
            pieces[-1] = (kind, pieces[-1][1] + 1)
        else:
            pieces.append((kind, 1))
    return pieces if at == len(shorter) else []


def _cut(region: Region, pieces: Sequence[Piece]) -> list[Region]:
    """An insertion of both sides in pieces of one or of both."""
    at, mine, incoming = region.base[0], region.mine[0], region.incoming[0]
    parts = []
    for kind, lines in pieces:
        to_mine = mine + lines * (kind != "incoming")
        to_incoming = incoming + lines * (kind != "mine")
        parts.append(Region(RegionKind(kind), (at, at), (mine, to_mine), (incoming, to_incoming)))
        mine, incoming = to_mine, to_incoming
    return parts


def _with_addition(region: Region, start: int, end: int) -> list[Region]:
    (a, b), (c, d), (e, f) = region.base, region.mine, region.incoming
    kind = RegionKind.MINE if d - c > f - e else RegionKind.INCOMING
    middle = Region(kind, (b, b) if start else (a, a), (c + start, d - end), (e + start, f - end))
    first = [Region(RegionKind.BOTH, (a, b), (c, c + start), (e, e + start))] if start else []
    last = [Region(RegionKind.BOTH, (b, b) if start else (a, b), (d - end, d), (f - end, f))] if end else []
    return [*first, middle, *last]


def _trimmed(region: Region, start: int, end: int) -> list[Region]:
    (a, b), (c, d), (e, f) = region.base, region.mine, region.incoming
    first = [Region(RegionKind.BOTH, (a, a), (c, c + start), (e, e + start))] if start else []
    last = [Region(RegionKind.BOTH, (b, b), (d - end, d), (f - end, f))] if end else []
    return [*first, Region(RegionKind.DECIDE, (a, b), (c + start, d - end), (e + start, f - end)), *last]
