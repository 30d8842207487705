"""Unite the lines that two sides added to one list: includes, imports, registrations, entries of an enumeration.

Lines count as list entries only if the surrounding lines have the same shape: the same tokens except for the one that
identifies the entry. Control flow statements are never entries. A sorted list stays sorted; otherwise the order does not depend
on the sides.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern

Piece = tuple[str, int]  # "mine", "incoming" or "both", and a number of lines

_TOKEN = lazy_pattern(
    r"""\w+(?:[.\-/:]+\w+)*|"[^"\\]*+(?:\\.[^"\\]*+)*+"|'[^'\\]*+(?:\\.[^'\\]*+)*+'|<[\w./\-+]+>|[^\w\s]"""
)
_COMMENT = lazy_pattern(r"\s*(//|#(?!\s*(include|import|define|pragma|undef|if|endif|error))|--|;).*$")
_FLOW = frozenset(
    re.findall(
        r"\w+",
        "return if else elif elseif for foreach while do until switch break continue goto throw throws raise try catch "
        "except finally yield await assert with then end begin fi done esac pass def class struct enum union interface "
        "namespace template func fn function new delete public private protected",
    )
)
_ENDS = (",", ";")


@dataclass(frozen=True, slots=True)
class _Entry:
    """A line as an entry: the tokens it shares with its list, and the one that identifies it."""

    shape: tuple[str, ...]
    key: str


def unite(above: Sequence[str], below: Sequence[str], mine: Sequence[str], incoming: Sequence[str]) -> list[Piece]:
    """Return the order of the lines that both sides added at one place, or nothing if they are no list entries.

    `above` and `below` are the base's lines around that place.
    """
    ours, theirs = [_entry(line) for line in mine], [_entry(line) for line in incoming]
    shapes = {entry.shape if entry else () for entry in (*ours, *theirs)}
    if len(shapes) > 1 or () in shapes or not _are_distinct(mine, incoming):
        return []
    (shape,) = shapes
    keys = [_run(above[::-1], shape)[::-1], _run(below, shape)]
    if not keys[0] and not keys[1]:
        return []
    added = [[entry.key for entry in side if entry is not None] for side in (ours, theirs)]
    is_sorted = len(keys[0]) + len(keys[1]) > 1 and all(map(_is_rising, ([*keys[0], *keys[1]], *added)))
    return _interleave(mine, incoming, is_sorted)


def _entry(line: str) -> _Entry | None:
    tokens = _TOKEN.findall(_COMMENT.sub("", line))
    if not tokens or any(token in _FLOW for token in tokens[:2]) or not any(map(str.isalnum, line)):
        return None
    if ("{" in tokens and "}" not in tokens) or ("}" in tokens and "{" not in tokens):
        return None
    indent = line[: len(line) - len(line.lstrip())]
    words = [at for at, token in enumerate(tokens) if token[0].isalnum() or (token[0] in "_\"'<" and len(token) > 1)]
    if not words:
        return None
    # Of a call or directive, the entries share the first name: `#include`, `registry.add(`.
    leads = len(words) > 1 and _is_lead(tokens, words)
    key = words[1] if leads else words[0]
    shape = [indent]
    for at, token in enumerate(tokens):
        if at == key:
            shape.append("…")
        elif at in words and at > key:
            shape.append("value")
        else:
            shape.append(token)
    if shape[-1] in _ENDS:
        shape.pop()
    return _Entry(tuple(shape), tokens[key])


def _is_lead(tokens: Sequence[str], words: Sequence[int]) -> bool:
    """Whether the first name introduces the entry: a directive, a keyword before a name, or a call with arguments."""
    first, second = words[0], words[1]
    between = tokens[first + 1 : second]
    return not between or between == ["("] or between == [":", ":"] or (first > 0 and tokens[0] in "#@")


def _are_distinct(mine: Sequence[str], incoming: Sequence[str]) -> bool:
    """Return whether no entry occurs twice with different values: that would be a conflict."""
    lines: dict[str, str] = {}
    for line in (*mine, *incoming):
        entry = _entry(line)
        assert entry is not None
        if lines.setdefault(entry.key, line.strip().rstrip(",;")) != line.strip().rstrip(",;"):
            return False
    return len({_entry(line) for line in mine}) == len(mine) and len({_entry(line) for line in incoming}) == len(
        incoming
    )


def _run(lines: Sequence[str], shape: tuple[str, ...]) -> list[str]:
    """Return the keys of the consecutive entries at the start of `lines`."""
    keys = []
    for line in lines:
        entry = _entry(line)
        if entry is None or entry.shape != shape:
            break
        keys.append(entry.key)
    return keys


def _is_rising(keys: Sequence[str]) -> bool:
    return all(left < right for left, right in itertools.pairwise(keys))


def _interleave(mine: Sequence[str], incoming: Sequence[str], is_sorted: bool) -> list[Piece]:
    """Interleave both sides' lines in their order; an entry of both occurs once."""
    pieces: list[Piece] = []

    def put(kind: str) -> None:
        if pieces and pieces[-1][0] == kind:
            pieces[-1] = (kind, pieces[-1][1] + 1)
        else:
            pieces.append((kind, 1))

    both = {*mine} & {*incoming}
    if both and [line for line in mine if line in both] != [line for line in incoming if line in both]:
        return []
    # By key in a sorted list; otherwise the side with the smaller text comes first, as a whole.
    mine_first = list(mine) <= list(incoming)

    def is_next(ours: str, theirs: str) -> bool:
        left, right = _entry(ours), _entry(theirs)
        assert left is not None and right is not None
        return left.key <= right.key if is_sorted else mine_first

    left, right = list(mine), list(incoming)
    while left or right:
        if left and right and left[0] == right[0]:
            left.pop(0)
            right.pop(0)
            put("both")
        elif not right or (left and (right[0] in both or (left[0] not in both and is_next(left[0], right[0])))):
            left.pop(0)
            put("mine")
        else:
            right.pop(0)
            put("incoming")
    return pieces
