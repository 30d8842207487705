"""Change sets as text: trees, diffs, facts."""

from __future__ import annotations

from fernshale.core.change.preview import EntryReader, describe, show_change, show_content, tree_of, unified_diff

__all__ = [
    "EntryReader",
    "describe",
    "show_change",
    "show_content",
    "tree_of",
    "unified_diff",
]
