"""Merge conflicting lines token by token. The result is a proposal and is never applied automatically."""

from __future__ import annotations

import re
from collections.abc import Sequence

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.merge.align import Span
from fernshale.core.merge.line_merge import RegionKind, merge_tokens

_TOKEN = lazy_pattern(r"\w+|[ \t]+|\n|[^\w\s]|\s", re.DOTALL)
_LARGEST = 20_000


def split_tokens(text: str) -> list[str]:
    """Words, runs of blanks and single signs; joined they are the text."""
    return _TOKEN.findall(text)


def merge_finer(base: Sequence[str], mine: Sequence[str], incoming: Sequence[str]) -> str | None:
    """Return the lines with the token changes of both sides; None if those conflict, too, or if it gains nothing."""
    texts = ["\n".join(lines) for lines in (base, mine, incoming)]
    if not all(texts) or sum(map(len, texts)) > _LARGEST:
        return None
    olds, ours, theirs = map(split_tokens, texts)
    parts: list[str] = []
    for region in merge_tokens(olds, ours, theirs):
        if region.kind is RegionKind.DECIDE:
            return None
        side, span = (theirs, region.incoming) if region.kind is RegionKind.INCOMING else (ours, region.mine)
        parts += side[slice(*span)]
    merged = "".join(parts)
    return merged if merged not in texts else None


def changed_spans(old: str, new: str) -> tuple[Span, ...]:
    """Return the half-open character spans of `new` whose tokens are not in `old`."""
    from fernshale.core.merge.align import align_lines

    before, after = split_tokens(old), split_tokens(new)
    ends = [0]
    for token in after:
        ends.append(ends[-1] + len(token))
    return tuple(
        (ends[hunk.new[0]], ends[hunk.new[1]]) for hunk in align_lines(before, after) if hunk.new[0] < hunk.new[1]
    )
