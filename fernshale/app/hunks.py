"""Edits of a file as people read them: lines before and after, with the lines around them and the head of the function."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate
from typing import Literal

from fernshale.api.building import apply_edits
from fernshale.app.highlight import TAB
from fernshale.core.fix.apply import CodeEdit

# Lines shown before and after a change.
CONTEXT = 3
_INDENT = re.compile(r"[ \t]*")
# Lines that open no function: control flow, labels, closing brackets, directives of a preprocessor.
_NO_HEAD = re.compile(
    r"(?:if|else|elif|for|foreach|while|do|switch|case|default|try|catch|except|finally|with|match|loop|return|public|private"
    r"|protected|unsafe)\b|[{}()\[\]#@:*/<]|\w+\s*:\s*\Z"
)

# "said" is what a tool printed about the line above.
LineKind = Literal["head", "context", "old", "new", "said"]


@dataclass(frozen=True, slots=True)
class HunkLine:
    """A line. `number` is 1-based in the file as it is, 0 for a new line; `marks` are the spans of columns that differ."""

    kind: LineKind
    number: int
    text: str
    marks: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class Hunk:
    """Some changes that are near each other, with the edits that make them."""

    lines: tuple[HunkLine, ...]
    edits: tuple[CodeEdit, ...]


def make_hunks(text: str, edits: Sequence[CodeEdit], context: int = CONTEXT) -> tuple[Hunk, ...]:
    """The edits of one file as hunks, in the order of the file."""
    lines = text.split("\n")
    starts = list(accumulate((len(line) + 1 for line in lines), initial=0))[:-1]
    regions: list[tuple[int, int, list[CodeEdit]]] = []
    for edit in sorted(edits, key=lambda edit: (edit.start, edit.end)):
        first = bisect_right(starts, edit.start) - 1
        # An edit that takes the end of a line, and is no whole line, joins the next one to it.
        is_whole = not edit.new and edit.start == starts[first]
        joins = edit.old.endswith("\n") and not edit.new.endswith("\n") and not is_whole
        last = bisect_right(starts, max(edit.start, edit.end - (not joins))) - 1
        if regions and first <= regions[-1][1]:
            low, high, own = regions.pop()
            regions.append((low, max(high, last), [*own, edit]))
        else:
            regions.append((first, last, [edit]))
    groups: list[list[tuple[int, int, list[CodeEdit]]]] = []
    for region in regions:
        if groups and region[0] - groups[-1][-1][1] <= 2 * context + 1:
            groups[-1].append(region)
        else:
            groups.append([region])
    return tuple(_hunk(text, lines, starts, group, context) for group in groups)


def around(text: str, line: int, context: int = CONTEXT) -> tuple[HunkLine, ...]:
    """A line, 1-based, with the lines around it and the head of its function; nothing if there is no such line."""
    lines = text.split("\n")
    if not 0 < line <= len(lines):
        return ()
    first, last = max(0, line - 1 - context), min(len(lines), line + context)
    return (*_head(lines, first, line - 1), *_context(lines, first, last))


def find_head(lines: Sequence[str], at: int) -> int | None:
    """The index of the line that opens the function or class around a line, found by indentation; None if nothing does."""
    depth = next((_depth(line) for line in lines[at:] if line.strip()), 0)
    for above in range(at - 1, -1, -1):
        line = lines[above]
        if not depth:
            return None
        if not line.strip() or _depth(line) >= depth:
            continue
        depth = min(depth, _depth(line)) if not line.strip().startswith("#") else depth
        if not _NO_HEAD.match(line.strip()):
            return above
    return None


def _hunk(
    text: str,
    lines: Sequence[str],
    starts: Sequence[int],
    regions: Sequence[tuple[int, int, list[CodeEdit]]],
    context: int,
) -> Hunk:
    shown: list[HunkLine] = []
    at = max(0, regions[0][0] - context)
    shown += _head(lines, at, regions[0][0])
    for first, last, edits in regions:
        shown += _context(lines, at, first)
        shown += _changed(text, lines, starts, first, last, edits)
        at = last + 1
    shown += _context(lines, at, min(len(lines), at + context))
    # The last line of a text that ends with a line break is empty.
    if shown and shown[-1].kind == "context" and not shown[-1].text and shown[-1].number == len(lines):
        shown.pop()
    return Hunk(tuple(shown), tuple(edit for *_, edits in regions for edit in edits))


def _changed(
    text: str, lines: Sequence[str], starts: Sequence[int], first: int, last: int, edits: Sequence[CodeEdit]
) -> list[HunkLine]:
    """The lines of a region before and after its edits; those that stay are context."""
    start = starts[first]
    end = starts[last + 1] if last + 1 < len(starts) else len(text)
    old = text[start:end]
    shifted = [CodeEdit(edit.path, 1, edit.start - start, edit.end - start, edit.old, edit.new) for edit in edits]
    before, after = _lines_of(old), _lines_of(apply_edits(old, shifted))
    same, tail = _shared_ends(before, after)
    shown = _context(lines, first, first + same)
    gone, come = before[same : len(before) - tail], after[same : len(after) - tail]
    shown += [
        HunkLine("old", first + same + 1 + at, line, differing(line, come[at] if at < len(come) else ""))
        for at, line in enumerate(gone)
    ]
    shown += [
        HunkLine("new", 0, line, differing(line, gone[at] if at < len(gone) else "")) for at, line in enumerate(come)
    ]
    return shown + _context(lines, first + len(before) - tail, first + len(before))


def _lines_of(text: str) -> list[str]:
    lines = text.split("\n")
    return lines[:-1] if lines[-1] == "" else lines


def differing(line: str, other: str) -> tuple[tuple[int, int], ...]:
    """Return the span of a line between what it has in common with another one at the start and at the end, by whole words; it is
    empty where the other one only has more."""
    if not other:
        return ()
    start, end = _shared_ends(line, other)
    stop = len(line) - end
    # The same place in both lines: where the word begins that differs in one of them.
    while start and _is_word(line[start - 1]) and any(_is_word(each[start : start + 1]) for each in (line, other)):
        start -= 1
    while 0 < stop < len(line) and _is_word(line[stop - 1]) and _is_word(line[stop]):
        stop += 1
    return ((start, max(start, stop)),)


def _shared_ends(one: Sequence[str], other: Sequence[str]) -> tuple[int, int]:
    """How many parts two sequences have in common at the start, and after these at the end."""
    most = min(len(one), len(other))
    start = next((at for at in range(most) if one[at] != other[at]), most)
    end = next((at for at in range(most - start) if one[-1 - at] != other[-1 - at]), most - start)
    return start, end


def _is_word(letter: str) -> bool:
    return bool(letter) and (letter.isalnum() or letter == "_")


def _head(lines: Sequence[str], first: int, at: int) -> list[HunkLine]:
    """The head of the function around a line, unless the lines from `first` on show it anyway."""
    head = find_head(lines, at)
    return [HunkLine("head", head + 1, lines[head])] if head is not None and head < first else []


def _context(lines: Sequence[str], first: int, last: int) -> list[HunkLine]:
    return [HunkLine("context", at + 1, lines[at]) for at in range(first, min(last, len(lines)))]


def _depth(line: str) -> int:
    found = _INDENT.match(line)
    return len(found[0].expandtabs(TAB)) if found else 0
