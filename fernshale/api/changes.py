"""Change sets as text, and what an action would write before it does."""

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
