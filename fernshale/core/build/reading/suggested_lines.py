"""Lines that a compiler suggests below its message, as they would be written.

Three forms, by the version of the tool and the size of the change:

    help: use single quotes          help: borrow it             12 | fn go(a: &Map<'m>) {
       |                                |                           |            ---- help: remove the generics
    7  -     .short("v")             7  |     go(&lamp);
    7  +     .short('v')                |        +
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.diagnostics import SourcePlace, SuggestedLine, place_number

_SOURCE = lazy_pattern(r"^ *(?P<line>\d+) +[|│] ?(?P<text>.*)$")
_MARKED = lazy_pattern(r"^ +[|│] (?P<marks>.*)$")
_CHANGED = lazy_pattern(r"^ *(?P<line>\d+) +(?P<sign>[-+~])(?: (?P<text>.*))?$")
_LABEL = lazy_pattern(r"^ +[|│] .*?(?P<run>-+|\^+|~+) help: (?P<words>.*)$")
# A name that is only spelled alike is a hint (see `build.suggestions`), and one that is referred to directly needs an import.
_IN_PART = lazy_pattern(r"similar name|refer to it directly")
# How a compiler shows a value that it does not know.
_GAP = lazy_pattern(r"/\*|\btodo!|\bunimplemented!")
_REPLACED_BY = lazy_pattern(r": `(?P<code>[^`]+)`$")


@dataclass
class SuggestionReader:
    """Reads the lines of one diagnostic after its first, in order."""

    _sources: dict[int, str] = field(default_factory=dict)
    _last: int = 0
    _labelled: dict[int, str] = field(default_factory=dict)
    _helps: list[_Help] = field(default_factory=list)

    def begin_help(self, said: str) -> None:
        """The next lines show a suggestion, unless its words `said` are about a name that is only similar or needs an import."""
        self._helps.append(_Help(is_whole=_IN_PART.search(said) is None))

    def take(self, line: str) -> None:
        """Read a line that is no message and names no place."""
        if self._helps:
            self._helps[-1].lines.append(line)
        elif found := _SOURCE.match(line):
            self._last = place_number(found["line"])
            self._sources.setdefault(self._last, found["text"])
        elif self._last and (found := _LABEL.match(line)):
            self._take_label(found)

    def _take_label(self, found: re.Match[str]) -> None:
        source, offset = self._sources[self._last], line_offset(found.string)
        start, end = (at - offset for at in found.span("run"))
        by = _REPLACED_BY.search(found["words"])
        if end <= len(source) and not _IN_PART.search(found["words"]) and (by or found["words"].startswith("remove ")):
            self._labelled[self._last] = source[:start] + (by["code"] if by else "") + source[end:]

    def suggestions(self, place: SourcePlace) -> tuple[tuple[SuggestedLine, ...], ...]:
        """The suggestions for the file of a place, each with all of its lines."""
        found = [
            tuple(_with_place(place, number, self._sources[number], new) for number, new in self._labelled.items())
        ]
        for help_ in self._helps:
            lines = help_.changes(self._sources)
            found.append(tuple(_with_place(place, *line) for line in lines or ()))
        return tuple(lines for lines in found if lines and not any(map(has_gap, lines)))


@dataclass
class _Help:
    is_whole: bool
    lines: list[str] = field(default_factory=list)

    def changes(self, sources: Mapping[int, str]) -> Sequence[tuple[int, str, str]] | None:
        """Line numbers with the old and the new text; None where the suggestion adds lines, or is not shown whole."""
        if not self.is_whole or any(line.strip() == "..." for line in self.lines):
            return None
        signed = [found for line in self.lines if (found := _CHANGED.match(line))]
        return self._replaced(signed) if signed else list(self._marked(sources))

    def _replaced(self, signed: Sequence[re.Match[str]]) -> Sequence[tuple[int, str, str]] | None:
        removed, added = (
            {place_number(item["line"]): item["text"] or "" for item in signed if item["sign"] == sign} for sign in "-+"
        )
        if removed.keys() != added.keys() or len(signed) != 2 * len(removed):
            return None
        return [(number, removed[number], added[number]) for number in removed]

    def _marked(self, sources: Mapping[int, str]) -> Iterator[tuple[int, str, str]]:
        """Read lines that have a `+` below each added character or a `~` below each replaced one."""
        for line, below in zip(self.lines, self.lines[1:], strict=False):
            shown, marks = _SOURCE.match(line), _MARKED.match(below)
            if shown is None or marks is None or not marks["marks"].strip() or set(marks["marks"]) - set(" +~"):
                continue
            new, number = shown["text"], place_number(shown["line"])
            kept = "".join(
                char for at, char in enumerate(new) if at >= len(marks["marks"]) or marks["marks"][at] != "+"
            )
            old = sources.get(number, kept)
            if "~" in marks["marks"] and number not in sources:
                continue
            if "~" in marks["marks"] or old == kept:
                yield number, old, new


def has_gap(line: SuggestedLine) -> bool:
    """Whether a suggestion has a place that a person has to fill in."""
    return len(_GAP.findall(line.new)) > len(_GAP.findall(line.old))


def line_offset(shown: str) -> int:
    """The index at which the text of a source line begins in its excerpt."""
    return next(at for at, char in enumerate(shown) if char in "|│") + 2


def _with_place(place: SourcePlace, number: int, old: str, new: str) -> SuggestedLine:
    return SuggestedLine(SourcePlace(place.file, number, 0, place.folder), old, new)
