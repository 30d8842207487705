"""Lines of code turned into comments, so that they can be read, found and put back."""

from __future__ import annotations

from collections.abc import Sequence

from fernshale.core.base.languages import DASH_COMMENTS, HASH_COMMENTS


def as_comments(lines: Sequence[str], path: str, words: str) -> list[str]:
    """`lines` as comments in the language of `path`; the first one says `words`. Line ends stay.

    Where a statement must stand, an empty one does.
    """
    code = lines[0].lstrip()
    indent = lines[0][: len(lines[0]) - len(code)]
    if path.endswith(HASH_COMMENTS):
        mark, empty = "#", "pass  " if path.endswith((".py", ".pyi")) else ""
    elif path.endswith(DASH_COMMENTS):
        mark, empty = "--", ""
    else:
        mark, empty = "//", "" if code.startswith("#") or not lines[-1].rstrip().endswith(";") else ";  "
    rest = [f"{indent}{mark} {line[len(indent):] if line.startswith(indent) else line.lstrip()}" for line in lines[1:]]
    return [f"{indent}{empty}{mark} {words}{code}", *rest]
