"""Ids and paths as they stand in one file, each with its exact place."""

from __future__ import annotations

import json
import re
import uuid
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from html import unescape
from operator import attrgetter
from typing import NamedTuple
from xml.sax.saxutils import escape

import regex

from fernshale.core.base.errors import FormatError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.languages import language_of
from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.base.treepath import TreePath
from fernshale.core.data.formats import Formats, usual_name
from fernshale.core.data.lineformat import ObjectPatterns
from fernshale.core.data.tree import NotKeyed, Span
from fernshale.core.data.walk import Way, fits, walk
from fernshale.core.data.yamlways import yaml_values
from fernshale.core.profile.model import DataFormat, IdPattern, LinkShape

_LIMIT_S = 5.0
_START = attrgetter("start")


class Mark(NamedTuple):
    """An id (or a path as it is written) at characters `start`..`end` of a file, in bytes where its rule is raw.

    `line` is 1-based, 0 in binary files; `rule` is its number in the `Rules`.
    """

    id: str
    start: int
    end: int
    line: int
    rule: int


@dataclass(frozen=True, slots=True)
class FileMarks:
    """The marks of one file in the order of the text; `trouble` says why it could not be read by key."""

    declared: tuple[Mark, ...] = ()
    used: tuple[Mark, ...] = ()
    trouble: str = ""


NOTHING = FileMarks()


class Rules:
    """The rules of a profile about links, numbered: those that declare, then those that use."""

    def __init__(self, shape: LinkShape, formats: Sequence[DataFormat] = ()) -> None:
        self.all: tuple[IdPattern, ...] = (*shape.declare, *shape.use)
        self.declaring = len(shape.declare)
        self._naming = [rule.names == "file" for rule in self.all]
        self._fits = [FirstFit([rule.files]) for rule in self.all]
        self._formats = own_formats(formats)
        self._any = FirstFit([[glob for rule in self.all for glob in rule.files]])

    def concern(self, path: TreePath) -> bool:
        return bool(self.all) and self._any.find(path) is not None

    def of(self, path: TreePath) -> list[int]:
        """The numbers of the rules that concern a file."""
        return [number for number, fit in enumerate(self._fits) if fit.find(path) is not None]

    def names_files(self, mark: Mark) -> bool:
        return self._naming[mark.rule]

    def read(self, path: TreePath, data: bytes) -> FileMarks:
        """The marks of a file. Raises FormatError for a pattern that runs away."""
        numbers = self.of(path)
        if not numbers:
            return NOTHING
        text = as_text(data) if any(not self.all[number].raw for number in numbers) else None
        trouble = ""
        sides: tuple[list[Mark], list[Mark]] = ([], [])
        for number in numbers:
            rule = self.all[number]
            found = sides[number >= self.declaring]
            if rule.raw:
                found += _of_bytes(rule, number, path, data)
            elif text is None:
                continue
            elif rule.key:
                found += _of_keys(rule.key, number, path, text)
            elif rule.pattern:
                found += _of_pattern(rule.pattern, number, path, text)
            else:
                try:
                    found += self._of_way(rule.at, number, path, text)
                except NotKeyed as error:
                    trouble = error.message
        if len(numbers) > 1:
            for found in sides:
                found.sort(key=_START)
        return FileMarks(tuple(sides[0]), tuple(sides[1]), trouble)

    def _of_way(self, at: str, number: int, path: TreePath, text: str) -> Iterator[Mark]:
        if not all(step.lstrip("@") in text for step in at.split("/") if "*" not in step and "~" not in step):
            return  # a plain search first: reading a tree costs much more
        count = _Lines(text)
        for way, span in self._values(path, text):
            if fits(at, way):
                start, end = _inside(text, span)
                yield Mark(_decoded(text[start:end], text, start), start, end, count(start), number)

    def _values(self, path: TreePath, text: str) -> Iterator[tuple[Way, Span]]:
        """The plain values of a file with the ways to them. Raises NotKeyed."""
        if path.endswith((".yaml", ".yml")) and not self._formats.is_own(path):
            yield from yaml_values(text)
            return
        document = self._formats.document(path, text)
        if document is None:
            raise NotKeyed(f"{path} is of no format whose keys are known")
        yield from ((way, node.span) for way, node in walk(document) if node.kind == "value")


def with_includes(shape: LinkShape, *, of_code: bool) -> LinkShape:
    """The shape with files that others include among those that are used; `of_code`: also what code includes, by its globs."""
    included = []
    for rule in shape.include:
        files = tuple(glob for glob in rule.files if of_code or not language_of(glob))
        if files:
            included.append(IdPattern(files, rule.pattern, names="file", roots=rule.roots))
    return LinkShape(shape.declare, (*shape.use, *included))


def own_formats(formats: Sequence[DataFormat]) -> Formats:
    """The formats of a profile."""
    return Formats([(item.files, ObjectPatterns(item.object, item.field, item.comment)) for item in formats])


def as_text(data: bytes) -> str | None:
    """The text of a file, None for a binary one."""
    try:
        if b"\0" not in data and not data.startswith(b"\xef\xbb\xbf"):
            return data.decode()
    except UnicodeDecodeError:
        pass
    file = read_text(data)
    return file.text if file is not None else None


def replace_marks(data: bytes, rules: Rules, path: TreePath, changes: Sequence[tuple[Mark, str]]) -> bytes:
    """The file with each mark saying something else; nothing else changes.

    Raises FormatError where bytes of another length would be needed, or where the text is not what the marks were read from.
    """
    raw = [(mark, new) for mark, new in changes if rules.all[mark.rule].raw]
    plain = sorted((mark.start, mark.end, mark.id, new) for mark, new in changes if not rules.all[mark.rule].raw)
    if plain:
        file = read_text(data)
        if file is None:
            raise FormatError(path, [(0, "it is no text any more")])
        data = _with_text(file, path, plain)
    for mark, new in raw:
        old = data[mark.start : mark.end]
        spelled = _as_bytes(new, rules.all[mark.rule].raw, path)
        if len(spelled) != len(old):
            raise FormatError(path, [(0, f"{new!r} is not as long as {mark.id!r}, and the file is binary")])
        data = data[: mark.start] + spelled + data[mark.end :]
    return data


def _with_text(file: TextFile, path: TreePath, changes: Sequence[tuple[int, int, str, str]]) -> bytes:
    text, parts, at = file.text, [], 0
    for start, end, id, new in changes:
        if _decoded(text[start:end], text, start) != id:
            raise FormatError(path, [(0, f"{id!r} does not stand where it was read")])
        if start < at:
            continue  # two rules saw the same place
        parts += [text[at:start], _encoded(new, text, start, end)]
        at = end
    return file.with_text("".join([*parts, text[at:]])).encode()


def _of_pattern(pattern: str, number: int, path: TreePath, text: str) -> Iterator[Mark]:
    compiled = regex.compile(pattern)
    group = "id" if "id" in compiled.groupindex else "path"
    count = _Lines(text)
    try:
        for hit in compiled.finditer(text, timeout=_LIMIT_S):
            start, end = hit.span(group)
            if start >= 0:
                yield Mark(hit[group], start, end, count(start), number)
    except TimeoutError as error:
        raise FormatError(path, [(0, f"the pattern {pattern!r} takes too long on this file")]) from error


def _of_bytes(rule: IdPattern, number: int, path: TreePath, data: bytes) -> Iterator[Mark]:
    # One letter a byte: the pattern speaks of bytes, as in "mesh\x00(?P<id>.{16})".
    for mark in _of_pattern("(?s)" + rule.pattern, number, path, data.decode("latin-1")):
        there = data[mark.start : mark.end]
        if rule.raw == "uuid" and len(there) == 16:
            yield mark._replace(id=str(uuid.UUID(bytes=there)), line=0)
        elif rule.raw == "hex":
            yield mark._replace(id=there.hex(), line=0)
        elif rule.raw == "text":
            yield mark._replace(id=there.decode("utf-8", "surrogateescape"), line=0)


def _as_bytes(id: str, raw: str, path: TreePath) -> bytes:
    try:
        if raw == "uuid":
            return uuid.UUID(id).bytes
        return bytes.fromhex(id) if raw == "hex" else id.encode("utf-8", "surrogateescape")
    except ValueError as error:
        raise FormatError(path, [(0, f"{id!r} cannot be written as bytes: {error}")]) from error


def _of_keys(keys: Sequence[str], number: int, path: TreePath, text: str) -> list[Mark]:
    """Values of keys, found by their names: much quicker than a tree, and with patterns that cannot run away."""
    values = _xml_values if text.startswith("<?xml") else _values_of(path.rpartition(".")[2])
    found = [place for key in keys for place in values(key, text)]
    if len(keys) > 1 or values is _xml_values:
        found.sort()
    marks = []
    line, last = 1, 0
    for start, end in found:
        line += text.count("\n", last, start)
        last = start
        said = text[start:end]
        if "\\" in said or "&" in said:
            said = _decoded(said, text, start)
        marks.append(Mark._make((said, start, end, line, number)))
    return marks


@lru_cache(maxsize=256)
def _values_of(ending: str) -> Callable[[str, str], Iterable[Span]]:
    """How values are found in files with that ending."""
    like = usual_name("a." + ending).rpartition(".")[2].lower()
    if like in ("xml", "plist"):
        return _xml_values
    return _json_values if like == "json" else _key_values


# What stands behind a key: its value in quotes, bare up to what ends it, or a list of values in brackets.
_VALUE = r"""(?:"([^"\\\n]*(?:\\.[^"\\\n]*)*)"|'([^'\n]*)'|([^\s,{}\[\]"'\#;&*!|>][^,{}\[\]\#;"'\n]*)|(\[[^\[\]{}]*\]))"""
_BEHIND = {
    '"': re.compile(r'"[ \t]*[:=]\s*' + _VALUE),
    "'": re.compile(r"'[ \t]*[:=][ \t]*" + _VALUE),
    "": re.compile(r"[ \t]*[:=][ \t]*" + _VALUE),
}
_STRINGS = re.compile(r""""((?:[^"\\\n]|\\.)*)"|'([^'\n]*)'""")
_COMMENTS = ("#", ";", "//")


def _json_values(key: str, text: str) -> list[Span]:
    """As `_key_values`, where keys stand in quotes always."""
    found = []
    has_comments = "//" in text
    for hit in _json_pattern(key).finditer(text):
        which = hit.lastindex or 0
        place = hit.span(which)
        if has_comments and _is_comment(text, hit.start()):
            continue
        if which < 3:
            found.append(place)
        elif which == 4:
            found += [inner.span(inner.lastindex or 0) for inner in _STRINGS.finditer(text, *place)]
        else:
            found.append((place[0], place[0] + len(text[slice(*place)].rstrip())))
    return found


@lru_cache(maxsize=256)
def _json_pattern(key: str) -> re.Pattern[str]:
    return re.compile(rf'"{re.escape(key)}"[ \t]*[:=]\s*{_VALUE}')


def _is_comment(text: str, at: int) -> bool:
    return text[text.rfind("\n", 0, at) + 1 : at].lstrip().startswith(_COMMENTS)


def _key_values(key: str, text: str) -> Iterator[tuple[int, int]]:
    at, size = text.find(key), len(key)
    while at >= 0:
        before = text[at - 1 : at]
        hit = None
        if before in ('"', "'"):
            hit = _BEHIND[before].match(text, at + size)
        elif not (before.isalnum() or before in ("_", ".", "@", "$", "-")) or not before:
            hit = _BEHIND[""].match(text, at + size)
        if hit is not None and hit.lastindex is not None:
            start, end = hit.span(hit.lastindex)
            if _is_comment(text, at):
                pass
            elif hit.lastindex == 4:
                yield from (inner.span(inner.lastindex or 0) for inner in _STRINGS.finditer(text, start, end))
            elif hit.lastindex == 3:
                yield start, start + len(text[start:end].rstrip())
            else:
                yield start, end
        at = text.find(key, at + size)


def _xml_values(key: str, text: str) -> Iterator[tuple[int, int]]:
    if key in text:
        for pattern in _xml_patterns(key):
            for hit in pattern.finditer(text):
                yield hit.span(hit.lastindex or 0)


@lru_cache(maxsize=256)
def _xml_patterns(key: str) -> tuple[re.Pattern[str], ...]:
    name = re.escape(key)
    attribute = re.compile(rf"""(?<=\s){name}\s*=\s*(?:"([^"<]*)"|'([^'<]*)')""")
    element = re.compile(rf"<{name}(?:\s[^<>]*)?>\s*([^<>\s][^<>]*?)\s*</{name}\s*>")
    return attribute, element


class _Lines:
    """Line numbers of places that come in order, without reading the text again for each."""

    def __init__(self, text: str) -> None:
        self._text, self._at, self._line = text, 0, 1

    def __call__(self, at: int) -> int:
        if at < self._at:
            self._at, self._line = 0, 1
        self._line += self._text.count("\n", self._at, at)
        self._at = at
        return self._line


def _inside(text: str, span: tuple[int, int]) -> tuple[int, int]:
    """The place of a value without its quotes."""
    start, end = span
    if end - start >= 2 and text[start] in "\"'" and text[end - 1] == text[start]:
        return start + 1, end - 1
    return start, end


def _decoded(raw: str, text: str, start: int) -> str:
    """What is written, without escapes."""
    if "\\" in raw and text[start - 1 : start] == '"':
        try:
            return str(json.loads(f'"{raw}"'))
        except ValueError:
            return raw
    return unescape(raw) if "&" in raw and ";" in raw else raw


def _encoded(new: str, text: str, start: int, end: int) -> str:
    """An id as it is to be written in that place: with escapes where the old one's surroundings want them."""
    raw = text[start:end]
    if "&" in raw and ";" in raw:
        return escape(new, {'"': "&quot;"})
    if text[start - 1 : start] == '"' and ("\\" in new or '"' in new or "\\" in raw):
        return json.dumps(new, ensure_ascii=False)[1:-1]
    return new


Read = Callable[[TreePath], bytes | None]
