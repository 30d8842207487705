"""The colours of code: its words by what they are in the language of a file."""

from __future__ import annotations

import fnmatch
import re
from collections import Counter
from collections.abc import Iterable, Sequence
from functools import cache, lru_cache
from typing import Any

from fernshale.app.theme import Tone
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken

# Beyond so many characters a text is coloured line by line, when a line is shown.
_MAX_WHOLE = 12_000
# How many kinds of files have their lexers found before they are shown.
_MAX_PREPARED = 12
TAB = 4
_TONES: tuple[tuple[str, Tone], ...] = (
    (tr("Comment"), "quiet"),
    ("Literal.String", "text"),
    ("Literal.Number", "text"),
    (tr("Keyword"), "word"),
    ("Name.Tag", "word"),
    ("Name.Attribute", "text"),
)
# The parts of a line that have a tone of their own: from and to a column.
Coloured = tuple[tuple[int, int, Tone], ...]


class Colours:
    """The colours of the lines of a text, tabs expanded, worked out when a line is first asked for."""

    def __init__(self, path: str, lines: Sequence[str]) -> None:
        self._path = path
        self._lines = lines
        self._whole: Sequence[Coloured] | None = None

    def of(self, at: int) -> Coloured:
        """The colours of a line, by its index."""
        if not self._path or _lexer(_name(self._path)) is None:
            return ()
        if self._whole is None and sum(map(len, self._lines)) <= _MAX_WHOLE:
            self._whole = _colours_of("\n".join(line.expandtabs(TAB) for line in self._lines), _name(self._path))
        if self._whole is not None:
            return self._whole[at] if at < len(self._whole) else ()
        return colours_of_line(self._lines[at].expandtabs(TAB), self._path)


def prepare_lexers(paths: Iterable[str], token: CancelToken) -> None:
    """Find the lexers of the most frequent kinds of files, in the background: the patterns of a language take 0.2 s to compile, and
    the first text of it would appear so much later. Raises Cancelled."""
    for name, _ in Counter(map(_name, paths)).most_common(_MAX_PREPARED):
        token.check()
        _colours_of("", name)


def colours_of_line(line: str, path: str) -> Coloured:
    """The colours of a line without the lines around it; in a comment of several lines they may be wrong."""
    found = _colours_of(line, _name(path))
    return found[0] if found else ()


@lru_cache(maxsize=4096)
def _colours_of(text: str, name: str) -> tuple[Coloured, ...]:
    lexer = _lexer(name)
    if lexer is None:
        return ()
    lines: list[list[tuple[int, int, Tone]]] = [[]]
    column = 0
    # Some comments end only with their line.
    for kind, part in lexer.get_tokens(text + "\n"):
        whole = str(kind).removeprefix("Token.")
        tone = next((tone for start, tone in _TONES if whole.startswith(start)), None)
        for number, piece in enumerate(part.split("\n")):
            if number:
                lines.append([])
                column = 0
            if tone is not None and piece:
                lines[-1].append((column, column + len(piece), tone))
            column += len(piece)
    return tuple(map(tuple, lines[:-1]))


@lru_cache(maxsize=256)
def _lexer(name: str) -> Any:
    """The lexer for a file's name, None if its language is not known."""
    from pygments.lexers import get_lexer_for_filename
    from pygments.util import ClassNotFound

    try:
        return get_lexer_for_filename(name, stripnl=False, ensurenl=False)
    except ClassNotFound:
        return None


def _name(path: str) -> str:
    """A name with the same lexer as that of `path`, the same for all files that differ only before the first dot: to find a
    lexer takes 10 ms."""
    name = path.rsplit("/", 1)[-1]
    stem, dot, ending = name.partition(".")
    return f"x.{ending}" if stem and dot and not _names_alone().match(name) else name


@cache
def _names_alone() -> re.Pattern[str]:
    """Matches the names for which more counts than their ending: `CMakeLists.txt`, `Makefile.*`."""
    from pygments.lexers import get_all_lexers

    patterns = (pattern for _, _, patterns, _ in get_all_lexers() for pattern in patterns)
    return re.compile("|".join(fnmatch.translate(pattern) for pattern in patterns if not pattern.startswith("*.")))
