"""Texts that the vendor split into several files, or joined into one: local edits follow their lines.

A split text is merged with the concatenation of its parts, and the merge is divided at the ends of the parts; a joined text is
merged with the concatenation of its sources.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from fernshale.core.base.textfile import TextFile
from fernshale.core.base.treepath import TreePath
from fernshale.core.merge.line_merge import Region, RegionKind
from fernshale.core.merge.text_merge import Conflict, TextMerge, fingerprint
from fernshale.core.merge.text_style import StyledLines

_MIN_PIECE_LINES = 4
_MIN_PIECE_SHARE = 0.5
_MAX_PAIRS = 100_000

Telling = Callable[[TreePath], Sequence[str]]


@dataclass(frozen=True, slots=True)
class Regrouping:
    """`parts`: the vendor's files that an old file was split into, in line order. `sources`: for a vendor's file, the old files
    that were joined into it in addition to its own predecessor."""

    parts: Mapping[TreePath, tuple[TreePath, ...]]
    sources: Mapping[TreePath, tuple[TreePath, ...]]


def find_regrouping(
    edited: Sequence[TreePath],
    there: Mapping[TreePath, TreePath],
    new: Sequence[TreePath],
    changed: Mapping[TreePath, TreePath],
    old_lines: Telling,
    new_lines: Telling,
) -> Regrouping:
    """Where the lines of `edited` old files went that their own successor (`there`) does not have.

    `new` are vendor files without a predecessor, `changed` maps vendor files that are the successor of an old file to it.
    """
    # A part is a new file; a joined file has no successor of its own, and any of the vendor's files may contain it.
    joined = any(path not in there for path in edited)
    targets = [*new, *changed] if joined else new
    if not edited or not targets or len(edited) * len(targets) > _MAX_PAIRS:
        return Regrouping({}, {})
    sets = {path: set(new_lines(path)) for path in targets}
    gained = {path: lines - set(old_lines(changed[path])) if path in changed else lines for path, lines in sets.items()}
    parts: dict[TreePath, tuple[TreePath, ...]] = {}
    sources: dict[TreePath, list[TreePath]] = {}
    for path in edited:
        lines = old_lines(path)
        successor = there.get(path)
        lost = set(lines) - (sets.get(successor) or set(new_lines(successor)) if successor else set())
        if len(lost) < _MIN_PIECE_LINES:
            continue
        pieces = [at for at in new if at != successor and _holds(sets[at], lost, len(sets[at]))]
        if pieces and (successor or len(pieces) > 1):
            rank = {line: number for number, line in enumerate(lines)}
            found = [*([successor] if successor else []), *pieces]
            parts[path] = tuple(sorted(found, key=lambda at: _middle(new_lines(at), rank)))
        elif successor is None:
            # One of the vendor's files contains all of it, and more.
            holders = [at for at in targets if _holds(gained[at], lost, len(lost))]
            if holders:
                best = max(holders, key=lambda at: (len(gained[at] & lost), at))
                sources.setdefault(best, []).append(path)
    return Regrouping(parts, {path: tuple(found) for path, found in sources.items()})


def _holds(lines: set[str], lost: set[str], size: int) -> bool:
    common = len(lines & lost)
    return common >= _MIN_PIECE_LINES and common >= _MIN_PIECE_SHARE * size


def _middle(lines: Sequence[str], rank: Mapping[str, int]) -> float:
    places = sorted(rank[line] for line in lines if line in rank)
    return places[len(places) // 2] if places else float("inf")


def in_a_row(texts: Sequence[TextFile]) -> tuple[TextFile, tuple[int, ...]]:
    """The texts as one, spelled like the first, and how many lines each has."""
    whole = "".join(text.text if text.text.endswith("\n") or not text.text else text.text + "\n" for text in texts)
    counts = tuple(text.text.count("\n") + bool(text.text and not text.text.endswith("\n")) for text in texts)
    return texts[0].with_text(whole), counts


def cut_merge(merge: TextMerge, counts: Sequence[int]) -> tuple[TextMerge, ...]:
    """One merge for each part of the incoming text, which has `counts` lines each."""
    found = []
    rest: list[tuple[Region, Conflict | None]] = [
        (region, merge.conflicts.get(at)) for at, region in enumerate(merge.regions)
    ]
    end = 0
    for number, lines in enumerate(counts):
        end += lines
        part: list[tuple[Region, Conflict | None]] = []
        is_last = number == len(counts) - 1
        while rest and (is_last or rest[0][0].incoming[1] <= end):
            part.append(rest.pop(0))
        if rest and not is_last and rest[0][0].incoming[0] < end:
            head, tail = _cut_region(rest[0][0], end)
            conflict = rest[0][1]
            part.append((head, conflict))
            rest[0] = (tail, None)
        found.append(_part_of(merge, part))
    return tuple(found)


def _cut_region(region: Region, at: int) -> tuple[Region, Region]:
    """Divide a region at incoming line `at`. Local lines stay in the first part."""
    (a, b), (c, d), (e, f) = region.base, region.mine, region.incoming
    if region.kind in (RegionKind.SAME, RegionKind.BOTH):
        skip = at - e
        base = (a + skip, b) if region.kind is RegionKind.SAME else (b, b)
        first = Region(region.kind, (a, base[0]), (c, c + skip), (e, at))
        return first, Region(region.kind, base, (c + skip, d), (at, f))
    kind = region.kind if region.kind is not RegionKind.MINE else RegionKind.DECIDE
    return Region(kind, (a, b), (c, d), (e, at)), Region(RegionKind.INCOMING, (b, b), (d, d), (at, f))


def _part_of(merge: TextMerge, part: Sequence[tuple[Region, Conflict | None]]) -> TextMerge:
    if not part:
        empty = StyledLines((), merge.spelling.end, None, True)
        return TextMerge((), (), (), (), {}, merge.local, empty, (), ())
    first, last = part[0][0], part[-1][0]
    (a, b), (c, d), (e, f) = (
        (start[0], end[1])
        for start, end in ((first.base, last.base), (first.mine, last.mine), (first.incoming, last.incoming))
    )
    regions = []
    conflicts = {}
    for at, (region, conflict) in enumerate(part):
        moved = Region(region.kind, _less(region.base, a), _less(region.mine, c), _less(region.incoming, e))
        regions.append(moved)
        if moved.kind is RegionKind.DECIDE:
            spans = moved.base, region.mine, moved.incoming
            id = fingerprint(
                *(
                    "\n".join(side[slice(*span)])
                    for side, span in zip(
                        (merge.base, merge.mine, merge.incoming),
                        (region.base, region.mine, region.incoming),
                        strict=True,
                    )
                )
            )
            known = conflict or Conflict(id, "text", *spans)
            conflicts[at] = replace(known, base=spans[0], mine=spans[1], incoming=spans[2])
    ends = merge.spelling.ends
    spelling = StyledLines(merge.mine[c:d], merge.spelling.end, ends[c:d] if ends else None, True)
    mine_at = merge.mine_at[c:d] if merge.mine_at else tuple(range(c, d))
    return TextMerge(
        merge.base[a:b], merge.mine[c:d], merge.incoming[e:f], tuple(regions), conflicts, merge.local, spelling, mine_at
    )


def _less(span: tuple[int, int], start: int) -> tuple[int, int]:
    return span[0] - start, span[1] - start
