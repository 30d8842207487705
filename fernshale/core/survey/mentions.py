"""Every place of a file where something like a release or a range of releases is written, with a locator that finds it again.

A value of a settings file is reached by its keys. A number inside a longer value gets a `part`, a number in any other text a
pattern of its line. Patterns keep the words around a number and leave open what changes with a release.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import Reach
from fernshale.core.survey.value_access import FoundValue, find_values
from fernshale.core.survey.value_access.listing import ListedValue, list_values

# A number of at least two parts, maybe with a suffix: 4.2.1, v3.0, 5_0, 2031.2.4p1, 1.0-beta.2
NUMBER = lazy_pattern(
    r"""(?<![A-Za-z0-9.])[vV]?\d{1,5}(?:(?:\.\d{1,5})+|(?:_\d{1,5})+)
    (?:[-+.]?(?:alpha|beta|a|b|c|f|p|rc|pre|preview|dev|post|rev|lts|final|nightly|snapshot)(?:[.-]?\d+)*)?(?![A-Za-z0-9])""",
    re.VERBOSE | re.IGNORECASE,
)
_WORD = lazy_pattern(r"[A-Za-z][A-Za-z0-9]*(?:[-_][A-Za-z0-9]*[A-Za-z][A-Za-z0-9]*)*")
_RANGE_SIGNS = lazy_pattern(r"[\[(<>=^~*|]|\.x\b|\s-\s")
# A name and its range, as in `kiln >=4.0, <4.3`.
_NAMED_RANGE = lazy_pattern(r"(?P<name>[A-Za-z][\w.-]*?)\s*(?P<value>(?:[<>=^~!]=?|[\[(])\s*\d.*)")
# A range in quotes, as in `gem "kiln", "~> 4.2"`; it starts with a sign.
_QUOTED_RANGE = lazy_pattern(r"""(?P<quote>["'])(?P<value>\s*(?:~>|[<>=~!]=|[<>^~])\s*\d[^"'\n]*)(?P=quote)""")
# What closes a value on its line: a bracket or quote, or a file's ending.
_CLOSING = lazy_pattern(r"""["'`)\]}>]|[.-][A-Za-z]\w*""")
_MAX_LINE = 2000

MentionKind = Literal["release", "range", "part"]


@dataclass(frozen=True, slots=True)
class Mention:
    """A release or a range that is written in a file. `names` are the words that describe it, the nearest first.

    A "part" is a release inside a longer value or a line of text; `whole` is that value, if it is one.
    """

    file: TreePath
    reach: Reach
    names: tuple[str, ...]
    value: FoundValue
    kind: MentionKind
    whole: FoundValue | None = None

    @property
    def text(self) -> str:
        return self.value.text


def find_mentions(path: TreePath, text: str) -> tuple[Mention, ...]:
    """All mentions of a file in the order of the text."""
    return mentions_among(path, text, list_values(path, text))


def mentions_among(path: TreePath, text: str, listed: tuple[ListedValue, ...] | None) -> tuple[Mention, ...]:
    """The mentions of a file whose values are listed already; None if it has none."""
    if listed is None:
        return tuple(_in_lines(path, text))
    found: list[Mention] = []
    for item in listed:
        found += _in_value(path, item)
    return tuple(mention for mention in found if not mention.reach.script or _finds_it(text, mention))


def _finds_it(text: str, mention: Mention) -> bool:
    """Whether a locator finds one value only; calls of a build script repeat."""
    try:
        return find_values(text, mention.reach, mention.file) == (mention.value,)
    except FernshaleError:
        return False


def _in_value(path: TreePath, item: ListedValue) -> Iterator[Mention]:
    text = item.value.text
    if NUMBER.fullmatch(text):
        yield Mention(path, item.reach, item.names, item.value, "release")
    elif not item.is_list and is_range(text):
        yield Mention(path, item.reach, item.names, item.value, "range")
    elif not item.is_list and "\n" not in text and len(text) <= _MAX_LINE:
        named = _NAMED_RANGE.fullmatch(text)
        if named is not None and is_range(named["value"]):
            part = rf"^{_general(text[: named.start('value')])}(?P<value>.+)$"
            value = _inside(item.value, *named.span("value"))
            yield Mention(path, replace(item.reach, part=part), (named["name"], *item.names), value, "range")
            return
        for number in NUMBER.finditer(text):
            part = part_pattern(text, *number.span())
            names = (*reversed(_WORD.findall(text[: number.start()])), *item.names)
            yield Mention(
                path, replace(item.reach, part=part), names, _inside(item.value, *number.span()), "part", item.value
            )


def _inside(value: FoundValue, start: int, end: int) -> FoundValue:
    return FoundValue(value.text[start:end], value.start + start, value.start + end)


def is_range(text: str) -> bool:
    """Whether a text is a range of releases, and shows it by a sign."""
    if not _RANGE_SIGNS.search(text) or not re.search(r"\d", text) or len(text) > 200:
        return False
    try:
        parse_range(text)
    except MisuseError:
        return False
    return True


def _in_lines(path: TreePath, text: str) -> Iterator[Mention]:
    offset = 0
    seen: set[str] = set()
    for line in text.splitlines(keepends=True):
        if len(line) > _MAX_LINE:
            offset += len(line)
            continue
        ranges = [found for found in _QUOTED_RANGE.finditer(line) if is_range(found["value"])]
        for found in ranges:
            start, end = found.span("value")
            names = tuple(reversed(_WORD.findall(line[:start])))
            value = FoundValue(found["value"], offset + start, offset + end)
            quote = found["quote"]
            reach = Reach(pattern=rf"(?m)^{_general(line[:start])}(?P<value>[^{quote}\n]+){quote}")
            yield Mention(path, reach, names, value, "range")
        for number in NUMBER.finditer(line):
            if any(found.start() <= number.start() < found.end() for found in ranges):
                continue
            pattern = line_pattern(line, *number.span())
            if pattern in seen:
                continue  # a line like one before; its locator finds both
            seen.add(pattern)
            names = tuple(reversed(_WORD.findall(line[: number.start()])))
            value = FoundValue(number[0], offset + number.start(), offset + number.end())
            yield Mention(path, Reach(pattern=pattern), names, value, "part")
        offset += len(line)


def part_pattern(text: str, start: int, end: int) -> str:
    """A pattern that finds a span of a value again when the release in it has changed."""
    return rf"^{_general(text[:start])}(?P<value>{_class_of(text[start:end], text[end:])}){_general(text[end:])}$"


def line_pattern(line: str, start: int, end: int) -> str:
    """A pattern that finds a span of a line again when the release in it has changed."""
    before, after = line[:start], line[end:].rstrip("\r\n")
    characters = _class_of(line[start:end], after)
    if not before.strip() and not after.strip():
        return rf"\A\s*(?P<value>{characters})\s*\Z"
    closing = _CLOSING.match(after)
    return rf"(?m)^{_general(before)}(?P<value>{characters}){re.escape(closing[0]) if closing else ''}"


def _class_of(value: str, after: str) -> str:
    """The characters of a value in its own notation; a hyphen only where none follows that does not belong to it."""
    if not NUMBER.fullmatch(value):
        return r"\S+" if " " not in value else r"[^\n\"']+?"
    if "_" in value:
        return r"[vV]?\d+(?:_\d+)+[a-z0-9]*"
    more = r"[\w.]*" if after[:1] in ("-", "+") else r"[\w.+-]*"
    # As few as possible where a file's ending follows.
    return rf"[vV]?\d{more}{'?' if after[:1] == '.' and after[1:2].isalpha() else ''}\w"


def _general(text: str) -> str:
    """A pattern for the text around a value: its words as they are, blanks and numbers of releases open."""
    pieces: list[str] = []
    at = 0
    for found in re.finditer(rf"(?P<number>{NUMBER.pattern})|(?P<blank>[ \t]+)", text, re.VERBOSE | re.IGNORECASE):
        pieces += [re.escape(text[at : found.start()]), r"[\w.+]+?" if found["number"] else r"[ \t]+"]
        at = found.end()
    return "".join([*pieces, re.escape(text[at:])])
