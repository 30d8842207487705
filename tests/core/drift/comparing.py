"""Two releases compared, and shorthand for what was found."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import ApiChange, compare
from fernshale.core.drift.release_symbols import read_pair


def changes_between(old: Path, new: Path) -> tuple[ApiChange, ...]:
    return compare(read_pair(old, new, "", Work()), CancelToken())


def kinds_of(changes: Sequence[ApiChange]) -> set[tuple[str, str, str]]:
    return {(c.kind, c.old.full if c.old else "", c.new.full if c.new else "") for c in changes}


def best_candidate(changes: Sequence[ApiChange], old: str) -> tuple[str, float, str]:
    (change,) = (
        item for item in changes if item.old is not None and item.old.full == old and item.kind in ("renamed", "moved")
    )
    best = change.candidates[0]
    return best.symbol.name, best.score, best.written or best.symbol.name
