"""Merge three versions of one text file into what will be written, with the decisions that are due.

Line ends, byte order mark and a missing final newline follow the local file and are never a conflict by themselves.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

import blake3

from fernshale.core.base.textfile import TextFile, line_end, split_lines
from fernshale.core.merge.align import Span
from fernshale.core.merge.threeway import Region, RegionKind, line_keys, merge_lines

Taking = Literal["mine", "incoming", "both", "text"]


@dataclass(frozen=True, slots=True)
class Choice:
    """How a decision was taken; `text` is what was written by hand when `take` is "text"."""

    take: Taking
    text: str = ""


@dataclass(frozen=True, slots=True)
class Due:
    """A decision that is due. `id` stays the same as long as the three texts in question do.

    `kind` is "text" for lines both sides changed, "file" where the whole file is in question.
    """

    id: str
    kind: Literal["text", "file"]
    base: Span
    mine: Span
    incoming: Span


@dataclass(frozen=True, slots=True)
class TextMerge:
    """The regions of a merged text over the lines (with ends) of its three versions."""

    base: tuple[str, ...]
    mine: tuple[str, ...]
    incoming: tuple[str, ...]
    regions: tuple[Region, ...]
    decisions: tuple[Due, ...]
    local: TextFile

    def due(self, region: Region) -> Due:
        """The decision of a region that needs one."""
        return next(due for due in self.decisions if due.mine == region.mine and due.base == region.base)


@dataclass(frozen=True, slots=True)
class WovenLine:
    """A line of the result, where it came from, and the decision that put it there."""

    text: str
    source: RegionKind
    due: str = ""


def merge_text(base: TextFile, mine: TextFile, incoming: TextFile) -> TextMerge:
    """Merge `mine` and `incoming`, both of which came from `base`."""
    olds, ours, theirs = (tuple(split_lines(side.text)) for side in (base, mine, incoming))
    keys = [line_keys(lines) for lines in (olds, ours, theirs)]
    regions = merge_lines(*keys)
    decisions = []
    for region in regions:
        if region.kind is RegionKind.DECIDE:
            spans = (region.base, region.mine, region.incoming)
            parts = ["\n".join(side[slice(*span)]) for side, span in zip(keys, spans, strict=True)]
            decisions.append(Due(fingerprint(*parts), "text", *spans))
    return TextMerge(olds, ours, theirs, regions, _distinct(decisions), mine)


def weave(merge: TextMerge, choices: Mapping[str, Choice]) -> tuple[WovenLine, ...]:
    """The result line by line. An undecided region shows nothing but a line of kind DECIDE with its id."""
    return tuple(line for lines in _by_region(merge, choices) for line in lines)


def region_spans(merge: TextMerge, choices: Mapping[str, Choice]) -> tuple[Span, ...]:
    """The lines of the result that each region becomes, once everything is decided."""
    spans = []
    at = 0
    for lines in _by_region(merge, choices):
        size = sum(bool(line.text) for line in lines)
        spans.append((at, at + size))
        at += size
    return tuple(spans)


def _by_region(merge: TextMerge, choices: Mapping[str, Choice]) -> Iterator[list[WovenLine]]:
    end = line_end(merge.local.text)
    for region in merge.regions:
        if region.kind is RegionKind.DECIDE:
            yield _decided(merge, region, choices, end)
        elif region.kind is RegionKind.INCOMING:
            yield [WovenLine(_ended(line, end), region.kind) for line in merge.incoming[slice(*region.incoming)]]
        else:
            yield [WovenLine(line, region.kind) for line in merge.mine[slice(*region.mine)]]


def result_text(merge: TextMerge, choices: Mapping[str, Choice], marked: bool) -> TextFile | None:
    """What will be written; None while something is to be decided, unless it shall be `marked` in the text."""
    end = line_end(merge.local.text)
    parts: list[str] = []
    for line in weave(merge, choices):
        if line.source is RegionKind.DECIDE and not line.text:
            if not marked:
                return None
            parts += _marked(merge, line.due, end)
        elif line.text:
            parts.append(line.text)
    # A line that had no end because it was the last gets one when something now follows it.
    text = "".join(part if part.endswith("\n") or at == len(parts) - 1 else part + end for at, part in enumerate(parts))
    if merge.local.text and not merge.local.text.endswith("\n"):
        text = text.removesuffix("\n").removesuffix("\r")
    elif text and merge.local.text and not text.endswith("\n"):
        text += end
    return merge.local.with_text(text)


def fingerprint(*parts: str) -> str:
    """An id for a conflict that comes back the same in the next leg or project."""
    return blake3.blake3("\0".join(parts).encode("utf-8", "surrogateescape")).hexdigest()[:12]


def _decided(merge: TextMerge, region: Region, choices: Mapping[str, Choice], end: str) -> list[WovenLine]:
    due = merge.due(region)
    choice = choices.get(due.id)
    if choice is None:
        return [WovenLine("", RegionKind.DECIDE, due.id)]
    mine = [WovenLine(_ended(line, end), RegionKind.MINE, due.id) for line in merge.mine[slice(*region.mine)]]
    incoming = [
        WovenLine(_ended(line, end), RegionKind.INCOMING, due.id) for line in merge.incoming[slice(*region.incoming)]
    ]
    written = [WovenLine(_ended(line, end), RegionKind.MINE, due.id) for line in split_lines(choice.text)]
    lines = {"mine": mine, "incoming": incoming, "both": mine + incoming, "text": written}[choice.take]
    # An empty outcome is an outcome: a line of no text that still carries its decision.
    return lines or [WovenLine("", RegionKind.MINE, due.id)]


def _marked(merge: TextMerge, id: str, end: str) -> list[str]:
    due = next(due for due in merge.decisions if due.id == id)
    lines = [f"~~~ fernshale: to decide {id}, mine ~~~{end}"]
    lines += [_ended(line, end) for line in merge.mine[slice(*due.mine)]]
    lines += [f"~~~ fernshale: incoming ~~~{end}"]
    lines += [_ended(line, end) for line in merge.incoming[slice(*due.incoming)]]
    return [*lines, f"~~~ fernshale: end ~~~{end}"]


def _ended(line: str, end: str) -> str:
    return line.rstrip("\r\n") + end


def _distinct(decisions: list[Due]) -> tuple[Due, ...]:
    """Two clashes of the very same texts in one file get ids of their own."""
    seen: dict[str, int] = {}
    distinct = []
    for due in decisions:
        count = seen[due.id] = seen.get(due.id, 0) + 1
        id = due.id if count == 1 else f"{due.id}.{count}"
        distinct.append(Due(id, due.kind, due.base, due.mine, due.incoming))
    return tuple(distinct)
