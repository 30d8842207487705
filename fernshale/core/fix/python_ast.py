"""Python's own parser, and the conversion of its positions to characters."""

from __future__ import annotations

import ast
import warnings
from functools import lru_cache
from itertools import accumulate


@lru_cache(maxsize=64)
def parse_python(text: str) -> ast.Module | None:
    """Return the tree of a file; None if it cannot be parsed."""
    try:
        return ast.parse(text)
    except (SyntaxError, ValueError, RecursionError):
        return None


@lru_cache(maxsize=64)
def compiles(text: str) -> bool:
    """Whether a file can be compiled: it parses, and no function has a parameter twice."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            compile(text, "<text>", "exec", dont_inherit=True)
        except (SyntaxError, ValueError, RecursionError):
            return False
    return True


def last_name(node: ast.expr | None) -> str:
    """Return the last name of a class as an expression writes it, also in quotes; "" for any other expression."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value.rpartition(".")[2]
    return node.id if isinstance(node, ast.Name) else node.attr if isinstance(node, ast.Attribute) else ""


class Characters:
    """Converts positions of a tree: the parser counts lines, and bytes within a line."""

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
