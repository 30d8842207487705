"""The calls that a short function body is made of: it says how the function's work is done with other names."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from fernshale.core.base.lazy_pattern import lazy_pattern

if TYPE_CHECKING:
    from collections.abc import Callable

    from tree_sitter import Node

# Longer bodies do work of their own.
_MAX_STATEMENTS = 3
_MAX_BYTES = 400
_BLOCKS = frozenset(("compound_statement", "block", "statement_block", "arrow_expression_clause", "chunk"))
# Statements and lists around a value, and the values that are calls.
_AROUND = lazy_pattern(r"(?:expression|return)_statement|expression_list")
_CALLS = lazy_pattern(r"\w*call\w*|\w*invocation\w*|\w*creation_expression|new_expression|await\w*")
_SKIPPED = frozenset(("comment", "line_comment", "block_comment"))
# Statements that only tell the caller that the function is old.
_TELLS = lazy_pattern(r"(?:\w+[.:]+)*\w*(?:warn|deprecat|obsolete)\w*\s*[(!]", re.IGNORECASE)
_QUOTED = lazy_pattern(r"[rRuUbBf]*['\"]")


def calls_in(body: Node, text: Callable[[Node], str]) -> str:
    """Return the calls that a body consists of, separated by `; `, or the one call that it returns; "" if it does anything else.

    `text` gives the source of a node.
    """
    if body.end_byte - body.start_byte > _MAX_BYTES:
        return ""
    statements = body.named_children if body.type in _BLOCKS else [body]
    statements = [item for item in statements if item.type not in _SKIPPED]
    written = [(item, text(item)) for item in statements]
    kept = [(item, said) for item, said in written if not _TELLS.match(said) and not _QUOTED.match(said)]
    if not 0 < len(kept) <= _MAX_STATEMENTS or not all(_is_call(item) for item, _ in kept):
        return ""
    texts = [said for _, said in kept]
    plain = [re.sub(r"^return\b\s*", "", item).rstrip("; ") for item in texts]
    returns = any(one != other.rstrip("; ") for one, other in zip(plain, texts, strict=True))
    return "; ".join(plain) if len(plain) == 1 or not returns else ""


def _is_call(node: Node) -> bool:
    """Whether a statement is a call and nothing else."""
    while _AROUND.fullmatch(node.type) and len(node.named_children) == 1:
        node = node.named_children[0]
    return _CALLS.fullmatch(node.type) is not None
