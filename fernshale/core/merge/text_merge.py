"""Merge three versions of one text file into the result and its open decisions.

Line ends, byte order mark, tabs or spaces and a missing final newline follow the local file and never cause a conflict. If one
side moved a block that the other edited, the edit moves, too.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

import blake3

from fernshale.core.base.textfile import TextFile
from fernshale.core.merge.align import Hunk, Span, align_lines
from fernshale.core.merge.line_merge import Region, RegionKind, merge_lines
from fernshale.core.merge.moved_blocks import applicable_moves, find_moves, order_after
from fernshale.core.merge.text_style import StyledLines, can_encode, indent_of, one_encoding, read_lines, respelled
from fernshale.core.merge.token_merge import merge_finer

# base: neither change; swapped: both, the vendor's first; finer: token by token; text: written by hand.
Taking = Literal["mine", "incoming", "base", "both", "swapped", "finer", "text"]
TAKINGS: tuple[str, ...] = get_args(Taking)


@dataclass(frozen=True, slots=True)
class Resolution:
    """A decision; `text` is the text written by hand if `take` is "text"."""

    take: Taking
    text: str = ""


@dataclass(frozen=True, slots=True)
class Conflict:
    """An open decision. Its `id` depends only on the three texts in question.

    `kind` is "text" for lines that both sides changed, "key" for a value of a settings file (`at` is its data path), "file" for
    a whole file. The spans are lines of the three files. `finer` is the result of a merge by tokens, if there is one.
    """

    id: str
    kind: Literal["text", "key", "file"]
    base: Span
    mine: Span
    incoming: Span
    options: tuple[Taking, ...] = ("mine", "incoming", "both", "swapped", "base", "text")
    finer: str | None = None
    at: str = ""


@dataclass(frozen=True, slots=True)
class TextMerge:
    """The regions of a merged text over the lines (without line ends) of its three versions.

    If a side was rearranged to follow a move by the other, `mine_at` and `incoming_at` map its lines to lines of its file.
    `conflicts` has the conflict of each undecided region, by the region's index.
    """

    base: tuple[str, ...]
    mine: tuple[str, ...]
    incoming: tuple[str, ...]
    regions: tuple[Region, ...]
    conflicts: Mapping[int, Conflict]
    local: TextFile
    spelling: StyledLines
    mine_at: tuple[int, ...] | None = None
    incoming_at: tuple[int, ...] | None = None

    @property
    def decisions(self) -> tuple[Conflict, ...]:
        return tuple(self.conflicts.values())

    def result(self, choices: Mapping[str, Resolution], undecided: Undecided) -> TextFile | None:
        """Return the result; None if a decision is open and `undecided` is "nothing"."""
        return result_text(self, choices, undecided)

    def weave(self, choices: Mapping[str, Resolution]) -> tuple[WovenLine, ...]:
        """The result line by line. An undecided region shows nothing but a line of kind DECIDE with its id."""
        return tuple(line for lines in _by_region(self, choices) for line in lines)


Undecided = Literal["nothing", "marked", "mine"]


@dataclass(frozen=True, slots=True)
class WovenLine:
    """A line of the result without its line end, its source, and the decision that selected it.

    `is_line` is False for a placeholder of a decision.
    """

    text: str
    source: RegionKind
    conflict: str = ""
    is_line: bool = True


def merge_text(base: TextFile, mine: TextFile, incoming: TextFile) -> TextMerge:
    """Merge `mine` and `incoming`, both descendants of `base`."""
    base, local, incoming = one_encoding(base, mine, incoming)
    spelling = read_lines(local.text)
    olds, theirs = read_lines(base.text).lines, read_lines(incoming.text).lines
    texts = [local.text, base.text, incoming.text]
    if any("\n\t" in text or text[:1] == "\t" for text in texts) and any("\n  " in text for text in texts):
        style = indent_of(spelling.lines)
        olds, theirs = (respelled(lines, indent_of(lines), style) for lines in (olds, theirs))
    merge = _merge((olds, spelling.lines, theirs), local, spelling)
    if merge.conflicts:
        merge = _follow_moves(merge)
    return merge


def merge_two_texts(mine: TextFile, incoming: TextFile) -> TextMerge:
    """Merge two texts without a base: common lines are kept, and each difference needs a decision."""
    local, incoming = one_encoding(mine, incoming)
    spelling = read_lines(local.text)
    theirs = read_lines(incoming.text).lines
    theirs = respelled(theirs, indent_of(theirs), indent_of(spelling.lines))
    hunks = align_lines(spelling.lines, theirs)
    base: list[str] = []
    regions: list[Region] = []
    at = at_incoming = 0
    for hunk in (*hunks, Hunk((len(spelling.lines),) * 2, (len(theirs),) * 2)):
        if at < hunk.old[0]:
            start = len(base)
            base += spelling.lines[at : hunk.old[0]]
            spans = (start, len(base)), (at, hunk.old[0]), (at_incoming, hunk.new[0])
            regions.append(Region(RegionKind.SAME, *spans))
        if hunk.old[0] < hunk.old[1] or hunk.new[0] < hunk.new[1]:
            regions.append(Region(RegionKind.DECIDE, (len(base), len(base)), hunk.old, hunk.new))
        at, at_incoming = hunk.old[1], hunk.new[1]
    olds = tuple(base)
    conflicts = _conflicts(regions, (olds, spelling.lines, theirs), None, None)
    return TextMerge(olds, spelling.lines, theirs, tuple(regions), conflicts, local, spelling)


def fingerprint(*parts: str) -> str:
    """Return an id for a conflict that is equal in other legs and projects."""
    return blake3.blake3("\0".join(parts).encode("utf-8", "surrogateescape")).hexdigest()[:12]


_Sides = tuple[tuple[str, ...], tuple[str, ...], tuple[str, ...]]
_Order = tuple[int, ...] | None


def _merge(
    sides: _Sides, local: TextFile, spelling: StyledLines, mine_at: _Order = None, incoming_at: _Order = None
) -> TextMerge:
    """The merge of the lines of base, mine and incoming."""
    regions = merge_lines(*sides)
    conflicts = _conflicts(regions, sides, mine_at, incoming_at)
    return TextMerge(*sides, regions, conflicts, local, spelling, mine_at, incoming_at)


def _conflicts(
    regions: Sequence[Region],
    texts: tuple[Sequence[str], Sequence[str], Sequence[str]],
    mine_at: tuple[int, ...] | None,
    incoming_at: tuple[int, ...] | None,
) -> dict[int, Conflict]:
    conflicts: dict[int, Conflict] = {}
    seen: dict[str, int] = {}
    for number, region in enumerate(regions):
        if region.kind is RegionKind.DECIDE:
            spans = region.base, region.mine, region.incoming
            parts = [text[slice(*span)] for text, span in zip(texts, spans, strict=True)]
            id = fingerprint(*("\n".join(part) for part in parts))
            # Two clashes of the very same texts in one file get ids of their own.
            seen[id] = seen.get(id, 0) + 1
            id = id if seen[id] == 1 else f"{id}.{seen[id]}"
            conflicts[number] = _as_conflict(
                id, (region.base, _at(mine_at, region.mine), _at(incoming_at, region.incoming)), parts
            )
    return conflicts


def _as_conflict(id: str, spans: tuple[Span, Span, Span], parts: Sequence[Sequence[str]]) -> Conflict:
    old, ours, theirs = parts
    finer = merge_finer(old, ours, theirs)
    both: tuple[Taking, ...] = ("both", "swapped") if ours and theirs else ()
    options: tuple[Taking, ...] = (
        "mine",
        "incoming",
        *both,
        *(("finer",) if finer is not None else ()),
        "base",
        "text",
    )
    return Conflict(id, "text", *spans, options, finer)


def _at(places: Sequence[int] | None, span: Span) -> Span:
    """Return the lines of the file for lines of a rearranged side; a region's border never divides its blocks."""
    if places is None:
        return span
    if span[0] == span[1]:
        start = places[span[0]] if span[0] < len(places) else len(places)
        return start, start
    lines = places[slice(*span)]
    return min(lines), max(lines) + 1


def _follow_moves(merge: TextMerge) -> TextMerge:
    """The merge after a side's moved blocks, where that leaves less to decide."""
    best = merge
    for mover in ("mine", "incoming"):
        text, other = (merge.mine, merge.incoming) if mover == "mine" else (merge.incoming, merge.mine)
        moves = find_moves(merge.base, text)
        carried = applicable_moves(moves, merge.base, other) if moves else None
        if carried is None:
            continue
        order = tuple(order_after(len(other), carried))
        base = tuple(merge.base[line] for line in order_after(len(merge.base), moves))
        moved = tuple(other[line] for line in order)
        if mover == "mine":
            found = _merge((base, merge.mine, moved), merge.local, merge.spelling, None, order)
        else:
            ends = merge.spelling.ends
            if ends is not None and "" in ends:
                continue  # the line without an end is not the last any more
            spelling = replace(merge.spelling, lines=moved, ends=tuple(ends[line] for line in order) if ends else None)
            found = _merge((base, moved, merge.incoming), merge.local, spelling, order, None)
        if _weight(found) < _weight(best):
            best = found
    return best


def _weight(merge: TextMerge) -> tuple[int, int]:
    """Return the amount of work to decide: decisions, and lines in them."""
    undecided = [region for region in merge.regions if region.kind is RegionKind.DECIDE]
    return len(undecided), sum(end - start for item in undecided for start, end in (item.mine, item.incoming))


def part_of(merge: TextMerge, conflict: Conflict, side: Literal["base", "mine", "incoming"]) -> tuple[str, ...]:
    """The lines of one side that a decision is about."""
    number = next(number for number, item in merge.conflicts.items() if item.id == conflict.id)
    region = merge.regions[number]
    texts = {"base": (merge.base, region.base), "mine": (merge.mine, region.mine)}
    lines, span = texts.get(side, (merge.incoming, region.incoming))
    return lines[slice(*span)]


# -- the result


def chosen_lines(
    merge: TextMerge, region: Region, conflict: Conflict, choice: Resolution
) -> list[tuple[str, RegionKind]]:
    """Return the lines that a choice selects for an undecided region, with their sources."""
    mine = [(line, RegionKind.MINE) for line in merge.mine[slice(*region.mine)]]
    incoming = [(line, RegionKind.INCOMING) for line in merge.incoming[slice(*region.incoming)]]
    match choice.take:
        case "mine":
            return mine
        case "incoming":
            return incoming
        case "both":
            return mine + incoming
        case "swapped":
            return incoming + mine
        case "base":
            return [(line, RegionKind.SAME) for line in merge.base[slice(*region.base)]]
        case "finer" | "text":
            text = choice.text if choice.take == "text" else conflict.finer or ""
            return [(line, RegionKind.MINE) for line in read_lines(text).lines]


def region_spans(merge: TextMerge, choices: Mapping[str, Resolution], undecided: Undecided) -> tuple[Span, ...]:
    """The lines of the result that each region becomes."""
    spans = []
    at = 0
    for number, region in enumerate(merge.regions):
        if region.kind is RegionKind.DECIDE:
            size = len(_decided(merge, number, choices, undecided))
        else:
            span = region.incoming if region.kind is RegionKind.INCOMING else region.mine
            size = span[1] - span[0]
        spans.append((at, at + size))
        at += size
    return tuple(spans)


def result_text(merge: TextMerge, choices: Mapping[str, Resolution], undecided: Undecided) -> TextFile | None:
    """Return the result; None if a decision is open and `undecided` is "nothing"."""
    if undecided == "nothing" and any(conflict.id not in choices for conflict in merge.conflicts.values()):
        return None
    lines: list[str] = []
    ends: list[str] | None = [] if merge.spelling.ends is not None else None
    end = merge.spelling.end
    for number, region in enumerate(merge.regions):
        part: Sequence[str]
        if region.kind is RegionKind.INCOMING:
            part = merge.incoming[slice(*region.incoming)]
        elif region.kind is RegionKind.DECIDE:
            part = _decided(merge, number, choices, undecided)
        else:
            part = merge.mine[slice(*region.mine)]
            if ends is not None and merge.spelling.ends is not None:
                ends += merge.spelling.ends[slice(*region.mine)]
        lines += part
        if ends is not None:
            ends += [end] * (len(lines) - len(ends))
    if ends is None:
        text = end.join(lines)
    else:
        text = "".join(line + (own or end) for line, own in zip(lines, ends, strict=True))
        text = text.removesuffix("\n").removesuffix("\r") if ends[-1:] != [""] else text.removesuffix(end)
    # An empty last line counts only if it has a line end.
    closed = merge.spelling.closed or not merge.mine or lines[-1:] == [""]
    if closed and lines:
        text += ends[-1] if ends and ends[-1] else end
    result = merge.local.with_text(text)
    if not can_encode(result):
        # For characters missing in the local file's encoding, keep the bytes of both files; nothing is replaced.
        raw = "".join(letter if letter.isascii() else _bytes_of(letter, merge.local.encoding) for letter in text)
        return TextFile(raw, "utf-8", merge.local.mark)
    return result


def _bytes_of(letter: str, encoding: str) -> str:
    try:
        return letter.encode(encoding).decode("utf-8", "surrogateescape")
    except UnicodeEncodeError:
        return letter


def _decided(merge: TextMerge, number: int, choices: Mapping[str, Resolution], undecided: Undecided) -> list[str]:
    region, conflict = merge.regions[number], merge.conflicts[number]
    choice = choices.get(conflict.id)
    if choice is None and undecided == "marked":
        mine, incoming = merge.mine[slice(*region.mine)], merge.incoming[slice(*region.incoming)]
        return [
            f"{MARK}: to decide {conflict.id}, mine ~~~",
            *mine,
            f"{MARK}: incoming ~~~",
            *incoming,
            f"{MARK}: end ~~~",
        ]
    return [line for line, _ in chosen_lines(merge, region, conflict, choice or Resolution("mine"))]


MARK = "~~~ fernshale"


def _by_region(merge: TextMerge, choices: Mapping[str, Resolution]) -> Iterator[list[WovenLine]]:
    for number, region in enumerate(merge.regions):
        if region.kind is RegionKind.DECIDE:
            conflict = merge.conflicts[number]
            choice = choices.get(conflict.id)
            if choice is None:
                yield [WovenLine("", RegionKind.DECIDE, conflict.id, False)]
                continue
            lines = [WovenLine(line, kind, conflict.id) for line, kind in chosen_lines(merge, region, conflict, choice)]
            # An empty outcome is an outcome: no line, but it still carries its decision.
            yield lines or [WovenLine("", RegionKind.MINE, conflict.id, False)]
        elif region.kind is RegionKind.INCOMING:
            yield [WovenLine(line, region.kind) for line in merge.incoming[slice(*region.incoming)]]
        else:
            yield [WovenLine(line, region.kind) for line in merge.mine[slice(*region.mine)]]
