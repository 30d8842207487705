"""Turn lines of code into comments, so that they can be read, found and restored."""

from __future__ import annotations

from collections.abc import Sequence

from fernshale.core.base.languages import ENDINGS, comment_mark


def as_comments(lines: Sequence[str], path: str, words: str) -> list[str]:
    """Return `lines` as comments in the language of `path`; the first one contains `words`. Line ends stay.

    If a statement is required there, an empty one is inserted.
    """
    code = lines[0].lstrip()
    indent = lines[0][: len(lines[0]) - len(code)]
    mark, empty = comment_mark(path) or "//", ""
    if path.endswith(ENDINGS["python"]):
        empty = "pass  "
    elif mark == "//" and not code.startswith("#") and lines[-1].rstrip().endswith(";"):
        empty = ";  "
    rest = [f"{indent}{mark} {line[len(indent) :] if line.startswith(indent) else line.lstrip()}" for line in lines[1:]]
    return [f"{indent}{empty}{mark} {words}{code}", *rest]
