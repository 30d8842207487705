"""Python's own parser, and the characters its places stand for."""

from __future__ import annotations

import ast
from functools import lru_cache
from itertools import accumulate


@lru_cache(maxsize=64)
def parse_python(text: str) -> ast.Module | None:
    """The tree of a file; None where it cannot be parsed."""
    try:
        return ast.parse(text)
    except (SyntaxError, ValueError, RecursionError):
        return None


class Characters:
    """Where the places of a tree stand in its text: the parser tells lines and counts bytes in them."""

    def __init__(self, text: str) -> None:
        self.lines = text.split("\n")
        self.starts = [0, *accumulate(len(line) + 1 for line in self.lines)]

    def at(self, line: int, column: int) -> int:
        """The character at a line (1-based) and a column in bytes (from 0)."""
        before = self.lines[line - 1].encode("utf-8", "surrogatepass")[:column]
        return self.starts[line - 1] + len(before.decode("utf-8", "replace"))

    def end(self, node: ast.stmt | ast.expr) -> int:
        """Behind the node's last character."""
        return self.at(node.end_lineno or node.lineno, node.end_col_offset or 0)
