"""Merge two descendants of a text, line by line.

Each side's changes are hunks of the base. Hunks of the two sides that do not overlap are both taken; where they do,
the blocks are first split into changes of single lines (so that two neighbouring edits are not one clash), and what
then still overlaps and differs is a decision. Method: three-way merge over two alignments (Khanna, Kunal and Pierce,
2007, "A Formal Investigation of Diff3"), with hunks of the base instead of stable chunks.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import Enum

from fernshale.core.merge.align import Hunk, Span, align_lines, split_hunk


class RegionKind(Enum):
    SAME = "same"
    MINE = "mine"
    INCOMING = "incoming"
    BOTH = "both"
    DECIDE = "decide"


@dataclass(frozen=True, slots=True)
class Region:
    """Lines of the result that come from one place.

    `base`, `mine` and `incoming` are half-open spans of lines; the regions of a merge tile each of the three texts.
    """

    kind: RegionKind
    base: Span
    mine: Span
    incoming: Span


def line_keys(lines: Sequence[str]) -> list[str]:
    """What of each line counts when lines are compared: line ends do not."""
    return [line.rstrip("\r\n") if line.endswith("\n") else line for line in lines]


def merge_lines(base: Sequence[str], mine: Sequence[str], incoming: Sequence[str]) -> tuple[Region, ...]:
    """The regions of the merge of three texts, given as lines without their ends (see `line_keys`)."""
    ours, theirs = align_lines(base, mine), align_lines(base, incoming)
    ours, theirs = _split_clashes(ours, theirs, base, mine, incoming)
    return tuple(_regions(ours, theirs, mine, incoming, len(base)))


def _split_clashes(
    ours: tuple[Hunk, ...],
    theirs: tuple[Hunk, ...],
    base: Sequence[str],
    mine: Sequence[str],
    incoming: Sequence[str],
) -> tuple[tuple[Hunk, ...], tuple[Hunk, ...]]:
    """Split the hunks that overlap one of the other side."""
    clashing_ours: set[Hunk] = set()
    clashing_theirs: set[Hunk] = set()
    for left, right in _groups(ours, theirs):
        if left and right:
            clashing_ours.update(left)
            clashing_theirs.update(right)

    def split(hunks: tuple[Hunk, ...], clashing: set[Hunk], new: Sequence[str]) -> tuple[Hunk, ...]:
        parts = (split_hunk(hunk, base, new) if hunk in clashing else (hunk,) for hunk in hunks)
        return tuple(part for group in parts for part in group)

    return split(ours, clashing_ours, mine), split(theirs, clashing_theirs, incoming)


def _groups(ours: Sequence[Hunk], theirs: Sequence[Hunk]) -> Iterator[tuple[list[Hunk], list[Hunk]]]:
    """Hunks of both sides in base order, those that overlap together."""
    left, right = list(ours), list(theirs)
    at_left = at_right = 0
    while at_left < len(left) or at_right < len(right):
        mine_first = at_right == len(right) or (at_left < len(left) and left[at_left].old <= right[at_right].old)
        first = left[at_left] if mine_first else right[at_right]
        group: tuple[list[Hunk], list[Hunk]] = ([], [])
        end = first.old
        grew = True
        while grew:
            grew = False
            for number, (side, at) in enumerate(((left, at_left), (right, at_right))):
                if at < len(side) and (side[at] is first or _overlaps(side[at].old, end)):
                    group[number].append(side[at])
                    end = (end[0], max(end[1], side[at].old[1]))
                    grew = True
                    if number == 0:
                        at_left += 1
                    else:
                        at_right += 1
        yield group


def _overlaps(span: Span, group: Span) -> bool:
    """Whether a hunk's base span shares lines with the group, or inserts at the very place the group inserts."""
    if span[0] == span[1] or group[0] == group[1]:
        return span == group or group[0] < span[0] < group[1] or span[0] < group[0] < span[1]
    return span[0] < group[1] and group[0] < span[1]


def _regions(
    ours: Sequence[Hunk], theirs: Sequence[Hunk], mine: Sequence[str], incoming: Sequence[str], length: int
) -> Iterator[Region]:
    at = at_mine = at_incoming = 0
    for left, right in _groups(ours, theirs):
        hunks = sorted([*left, *right], key=lambda hunk: hunk.old)
        start, end = hunks[0].old[0], max(hunk.old[1] for hunk in hunks)
        if at < start:
            yield Region(
                RegionKind.SAME,
                (at, start),
                (at_mine, at_mine + start - at),
                (at_incoming, at_incoming + start - at),
            )
        at_mine, at_incoming = at_mine + start - at, at_incoming + start - at
        # What a side left alone inside the group has the base's length; its hunks add what they add.
        end_mine = at_mine + end - start + sum(_growth(hunk) for hunk in left)
        end_incoming = at_incoming + end - start + sum(_growth(hunk) for hunk in right)
        spans = (start, end), (at_mine, end_mine), (at_incoming, end_incoming)
        if not right:
            kind = RegionKind.MINE
        elif not left:
            kind = RegionKind.INCOMING
        elif list(mine[at_mine:end_mine]) == list(incoming[at_incoming:end_incoming]):
            kind = RegionKind.BOTH
        else:
            kind = RegionKind.DECIDE
        yield Region(kind, *spans)
        at, at_mine, at_incoming = end, end_mine, end_incoming
    if at < length:
        tail = length - at
        yield Region(RegionKind.SAME, (at, length), (at_mine, at_mine + tail), (at_incoming, at_incoming + tail))


def _growth(hunk: Hunk) -> int:
    return (hunk.new[1] - hunk.new[0]) - (hunk.old[1] - hunk.old[0])
