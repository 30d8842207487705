"""The calls that a short function body is made of: it says how the function's work is done with other names."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from fernshale.core.base.lazy_pattern import lazy_pattern

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from tree_sitter import Node

# Longer bodies do work of their own.
_MAX_STATEMENTS = 3
_MAX_BYTES = 400
_BLOCKS = frozenset(
    ("compound_statement", "block", "statement_block", "arrow_expression_clause", "chunk", "constructor_body")
)
# What a constructor calls before its body.
_INITIALIZERS = ("field_initializer_list", "constructor_initializer")
# Declarations of local variables, and the part of one with its name and value.
_LOCALS = frozenset(("declaration", "local_variable_declaration", "local_declaration_statement", "lexical_declaration"))
_DECLARATORS = frozenset(("init_declarator", "variable_declarator"))
# Statements and lists around a value, and the values that are calls.
_AROUND = lazy_pattern(r"(?:expression|return)_statement|expression_list")
_CALLS = lazy_pattern(r"\w*call\w*|\w*invocation\w*|\w*creation_expression|new_expression|await\w*")
_SKIPPED = frozenset(("comment", "line_comment", "block_comment"))
# Statements that only tell the caller that the function is old.
_TELLS = lazy_pattern(r"(?:\w+[.:]+)*\w*(?:warn|deprecat|obsolete)\w*\s*[(!]", re.IGNORECASE)
_QUOTED = lazy_pattern(r"[rRuUbBf]*['\"]")


def calls_in(body: Node, text: Callable[[Node], str]) -> str:
    """Return the calls that a body consists of, separated by `; `, or the one call that it returns; "" if it does anything else.

    One local variable is replaced by its value, where that is a call, the variable is used once and only one call follows: the
    order of calls stays. A constructor without a body consists of the constructor that it calls first. `text` gives the source
    of a node.
    """
    if body.end_byte - body.start_byte > _MAX_BYTES:
        return ""
    statements = body.named_children if body.type in _BLOCKS else [body]
    statements = [item for item in statements if item.type not in _SKIPPED]
    if not statements and body.prev_named_sibling is not None and body.prev_named_sibling.type in _INITIALIZERS:
        first = text(body.prev_named_sibling).lstrip(": ")
        return first if len(body.prev_named_sibling.named_children) == 1 else ""
    written = [(item, text(item)) for item in statements]
    kept = [(item, said) for item, said in written if not _TELLS.match(said) and not _QUOTED.match(said)]
    if not 0 < len(kept) <= _MAX_STATEMENTS:
        return ""
    texts: list[str] = []
    locals_: dict[str, str] = {}
    for item, said in kept:
        if (local := _local(item, text)) is not None:
            locals_[local[0]] = local[1]
        elif _is_call(item):
            texts.append(_with_values(said, locals_))
        else:
            return ""
    said_together = " ".join(said for _, said in kept)
    are_used_once = all(len(re.findall(rf"\b{name}\b", said_together)) == 2 for name in locals_)
    if not texts or (locals_ and not (len(locals_) == len(texts) == 1 and are_used_once)):
        return ""
    plain = [re.sub(r"^return\b\s*", "", item).rstrip("; ") for item in texts]
    returns = any(one != other.rstrip("; ") for one, other in zip(plain, texts, strict=True))
    return "; ".join(plain) if len(plain) == 1 or not returns else ""


def _local(statement: Node, text: Callable[[Node], str]) -> tuple[str, str] | None:
    """The name and value of the one local variable that a statement declares, if the value is a call."""
    if statement.type not in _LOCALS:
        return None
    parts = [item for item in statement.named_children if item.type == "variable_declaration"] or [statement]
    found = [item for item in parts[0].named_children if item.type in _DECLARATORS]
    if len(found) != 1 or len(found[0].named_children) != 2:
        return None
    name, value = found[0].named_children
    return (text(name), text(value)) if name.type == "identifier" and _is_call(value) else None


def _with_values(said: str, locals_: Mapping[str, str]) -> str:
    return re.sub(r"(?<![\w.])[A-Za-z_]\w*", lambda found: locals_.get(found[0], found[0]), said)


def _is_call(node: Node) -> bool:
    """Whether a statement is a call and nothing else."""
    while _AROUND.fullmatch(node.type) and len(node.named_children) == 1:
        node = node.named_children[0]
    return _CALLS.fullmatch(node.type) is not None
