"""Read the ids and paths of one file with their exact positions."""

from __future__ import annotations

import itertools
import json
import re
import uuid
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from html import unescape
from operator import attrgetter
from typing import NamedTuple

import regex

from fernshale.core.base.errors import FormatError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.languages import language_of
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.data.custom_format import ObjectPatterns
from fernshale.core.data.formats import Formats, usual_name
from fernshale.core.data.paths import DataPath, fit_of
from fernshale.core.data.tree import NotKeyed, Span
from fernshale.core.data.xml_tree import escaped
from fernshale.core.profile.model import DataFormat, IdPattern, LinkShape

_LIMIT_S = 5.0
_START = attrgetter("start")
# Long hexadecimal numbers, also in groups, and those of them with capital letters.
_DIGITS = lazy_pattern(r"[0-9A-Fa-f]{8}(?:-?[0-9A-Fa-f]{4,})+")
_CAPITAL_DIGITS = lazy_pattern(r"(?=[0-9a-f-]*[A-F])" + _DIGITS.pattern)


class Reference(NamedTuple):
    """An id (or a path as it is written) at characters `start`..`end` of a file, in bytes where its rule is raw.

    `line` is 1-based, 0 in binary files; `rule` is its number in the `Rules`.
    """

    id: str
    start: int
    end: int
    line: int
    rule: int


class FileMarks(NamedTuple):
    """The marks of one file in text order; marks of rules from `uses_from` on are uses, the others declarations.

    `trouble` is the reason if it could not be read by key.
    """

    all: tuple[Reference, ...] = ()
    uses_from: int = 0
    trouble: str = ""

    @property
    def declared(self) -> tuple[Reference, ...]:
        return tuple(mark for mark in self.all if mark.rule < self.uses_from)

    @property
    def used(self) -> tuple[Reference, ...]:
        return tuple(mark for mark in self.all if mark.rule >= self.uses_from)


NOTHING = FileMarks()


@dataclass(frozen=True, slots=True)
class ReadPlan:
    """How to read files of one kind: `keys` with their rules, the rules that match data paths, and the `others` by number."""

    keys: Mapping[str, tuple[int, ...]]
    read: Callable[[ReadPlan, str], list[Reference]]
    json: re.Pattern[str]
    path_tests: Mapping[int, Callable[[DataPath], bool]]
    others: tuple[int, ...]
    is_text: bool


class Rules:
    """The rules of a profile about links, numbered: those that declare, then those that use; `naming` are uses of paths."""

    def __init__(self, shape: LinkShape, formats: Sequence[DataFormat] = ()) -> None:
        self.all: tuple[IdPattern, ...] = (*shape.declare, *shape.use)
        self.declaring = len(shape.declare)
        uses = range(self.declaring, len(self.all))
        self.naming = frozenset(number for number in uses if self.all[number].names == "file")
        self._formats = own_formats(formats)
        # Most rules of a profile are for the same files, so each set of globs is matched once per path.
        by_globs: dict[tuple[str, ...], list[int]] = {}
        for number, rule in enumerate(self.all):
            by_globs.setdefault(tuple(rule.files), []).append(number)
        self._plans: dict[tuple[tuple[int, ...], str], ReadPlan] = {}
        self._fits = [(FirstFit([globs]), tuple(numbers)) for globs, numbers in by_globs.items()]

    def of(self, path: TreePath) -> tuple[int, ...]:
        """The numbers of the rules that concern a file, in order."""
        found = [numbers for fit, numbers in self._fits if fit.find(path) is not None]
        return tuple(sorted(itertools.chain(*found))) if len(found) > 1 else found[0] if found else ()

    def names_files(self, mark: Reference) -> bool:
        return mark.rule in self.naming

    def plan(self, path: TreePath) -> ReadPlan | None:
        """How a file with that path is read, None where no rule concerns it."""
        numbers = self.of(path)
        if not numbers:
            return None
        known = (numbers, path.rpartition(".")[2])
        if known not in self._plans:
            self._plans[known] = self._make_plan(*known)
        return self._plans[known]

    def _make_plan(self, numbers: tuple[int, ...], ending: str) -> ReadPlan:
        keyed: dict[str, list[int]] = {}
        for number in numbers:
            for key in self.all[number].key:
                keyed.setdefault(key, []).append(number)
        keys = {key: tuple(of) for key, of in keyed.items()}
        path_tests = {number: fit_of(self.all[number].at) for number in numbers if self.all[number].at}
        others = tuple(number for number in numbers if self.all[number].pattern)
        is_text = bool(keys or path_tests) or any(not self.all[number].raw for number in others)
        return ReadPlan(keys, _reader_of(ending), _json_pattern(keys), path_tests, others, is_text)

    def read(self, path: TreePath, data: bytes, plan: ReadPlan | None = None) -> FileMarks:
        """Read the marks of a file; `plan` is the plan for its path, if known.

        Raises FormatError for a pattern that takes too long.
        """
        plan = plan or self.plan(path)
        if plan is None:
            return NOTHING
        text = as_text(data) if plan.is_text else None
        marks = plan.read(plan, text) if plan.keys and text is not None else []
        trouble = ""
        for number in plan.others:
            rule = self.all[number]
            if rule.raw:
                marks += _of_bytes(rule, number, path, data)
            elif text is None:
                continue
            elif rule.pattern:
                marks += _of_pattern(rule.pattern, number, path, text)
        if plan.path_tests and text is not None:
            try:
                marks += self._of_data_paths(plan.path_tests, path, text)
            except NotKeyed as error:
                trouble = error.message
        if plan.others or plan.path_tests:
            marks.sort(key=_START)
        return FileMarks(tuple(map(_in_one_case, marks)), self.declaring, trouble)

    def _of_data_paths(
        self, path_tests: Mapping[int, Callable[[DataPath], bool]], path: TreePath, text: str
    ) -> Iterator[Reference]:
        # A plain search first: reading a tree costs much more.
        near = [(number, fit) for number, fit in path_tests.items() if _may_hold(self.all[number].at, text)]
        line = _Lines(text)
        for path_here, span in self._formats.values(path, text) if near else ():
            for number, fit in near:
                if fit(path_here):
                    start, end = _inside(text, span)
                    yield Reference(_decoded(text[start:end], text, start), start, end, line(start), number)


def _in_one_case(mark: Reference) -> Reference:
    """A mark whose id, if it is a long hexadecimal number, is in small letters: tools write it in either case."""
    return mark._replace(id=mark.id.lower()) if _CAPITAL_DIGITS.fullmatch(mark.id) else mark


def with_includes(shape: LinkShape, *, of_code: bool) -> LinkShape:
    """Add files included by others to the uses; `of_code` also adds files included by code, by its globs."""
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


def replace_marks(data: bytes, rules: Rules, path: TreePath, changes: Sequence[tuple[Reference, str]]) -> bytes:
    """Return the file with new values for its marks; nothing else changes.

    Raises FormatError if a value would need a different length in bytes, or if the text has changed since it was read.
    """
    raw = [(mark, new) for mark, new in changes if rules.all[mark.rule].raw]
    plain = sorted((mark.start, mark.end, mark.id, new) for mark, new in changes if not rules.all[mark.rule].raw)
    if plain:
        file = read_text(data)
        if file is None:
            raise FormatError(path, [(0, tr("it is no text any more"))])
        data = _with_text(file, path, plain)
    for mark, new in raw:
        old = data[mark.start : mark.end]
        spelled = _as_bytes(new, rules.all[mark.rule].raw, path)
        if len(spelled) != len(old):
            raise FormatError(
                path, [(0, tr("{new!r} is not as long as {id!r}, and the file is binary", new=new, id=mark.id))]
            )
        data = data[: mark.start] + spelled + data[mark.end :]
    return data


def _with_text(file: TextFile, path: TreePath, changes: Sequence[tuple[int, int, str, str]]) -> bytes:
    text, parts, at = file.text, [], 0
    for start, end, id, new in changes:
        written = _decoded(text[start:end], text, start)
        if written != id and _CAPITAL_DIGITS.fullmatch(written) and written.lower() == id:
            new = new.upper() if _DIGITS.fullmatch(new) else new
        elif written != id:
            raise FormatError(path, [(0, tr("{id!r} does not stand where it was read", id=id))])
        if start < at:
            continue  # two rules saw the same place
        parts += [text[at:start], _encoded(new, text, start, end)]
        at = end
    return file.with_text("".join([*parts, text[at:]])).encode()


def _of_pattern(pattern: str, number: int, path: TreePath, text: str) -> Iterator[Reference]:
    compiled = regex.compile(pattern)
    group = "id" if "id" in compiled.groupindex else "path"
    count = _Lines(text)
    try:
        for hit in compiled.finditer(text, timeout=_LIMIT_S):
            start, end = hit.span(group)
            if start >= 0:
                yield Reference(hit[group], start, end, count(start), number)
    except TimeoutError as error:
        raise FormatError(
            path, [(0, tr("the pattern {pattern!r} takes too long on this file", pattern=pattern))]
        ) from error


def _of_bytes(rule: IdPattern, number: int, path: TreePath, data: bytes) -> Iterator[Reference]:
    # One character per byte: the pattern matches bytes, as in "mesh\x00(?P<id>.{16})".
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
        raise FormatError(path, [(0, tr("{id!r} cannot be written as bytes: {error}", id=id, error=error))]) from error


def _reader_of(ending: str) -> Callable[[ReadPlan, str], list[Reference]]:
    """How values of keys are found in files with that ending, by their names: much quicker than a tree, and with patterns
    that cannot run away."""
    like = usual_name("a." + ending).rpartition(".")[2].lower()
    if like in ("xml", "plist"):
        return _read_xml
    return _read_json if like == "json" else _read_any


def _read_xml(plan: ReadPlan, text: str) -> list[Reference]:
    return _marks_of(plan, text, _xml_values)


def _read_any(plan: ReadPlan, text: str) -> list[Reference]:
    return _marks_of(plan, text, _xml_values if text.startswith("<?xml") else _key_values)


def _marks_of(plan: ReadPlan, text: str, values: Callable[[str, str], Iterable[Span]]) -> list[Reference]:
    found = sorted(
        (*span, number) for key, numbers in plan.keys.items() for span in values(key, text) for number in numbers
    )
    line = _Lines(text)
    return [
        Reference(_decoded(text[start:end], text, start), start, end, line(start), number)
        for start, end, number in found
    ]


# The value after a key: quoted, bare up to a terminator, or a list of values in brackets.
_VALUE = (
    r"""(?:"([^"\\\n]*(?:\\.[^"\\\n]*)*)"|'([^'\n]*)'|([^\s,{}\[\]"'\#;&*!|>][^,{}\[\]\#;"'\n]*)|(\[[^\[\]{}]*\]))"""
)
# Its groups in `_json_pattern`, behind that of the key.
_IN_QUOTES = 2
_BARE = 4
_LIST = 5
_AFTER_KEY = {
    '"': lazy_pattern(r'"[ \t]*[:=]\s*' + _VALUE),
    "'": lazy_pattern(r"'[ \t]*[:=][ \t]*" + _VALUE),
    "": lazy_pattern(r"[ \t]*[:=][ \t]*" + _VALUE),
}
_STRINGS = lazy_pattern(r""""([^"\\\n]*+(?:\\.[^"\\\n]*+)*+)"|'([^'\n]*)'""")
_COMMENTS = ("#", ";", "//")


def _read_json(plan: ReadPlan, text: str) -> list[Reference]:
    """Read JSON, where keys are always quoted, in one pass. Reading a large tree spends most of its time here."""
    if text.startswith("<?xml"):
        return _read_xml(plan, text)
    marks: list[Reference] = []
    has_comments = "//" in text
    rules, count, new = plan.keys, text.count, tuple.__new__
    line, last = 1, 0
    for hit in plan.json.finditer(text):
        which = hit.lastindex or 0
        start, end = hit.span(which)
        line += count("\n", last, start)
        last = start
        said = hit[which]
        if which == _IN_QUOTES and not has_comments and "\\" not in said and "&" not in said:
            for number in rules[hit[1]]:
                marks.append(new(Reference, (said, start, end, line, number)))
        elif not (has_comments and _is_comment(text, hit.start())):
            marks += _unusual(text, which, (start, end), line, rules[hit[1]])
    return marks


def _unusual(text: str, which: int, place: Span, line: int, numbers: Sequence[int]) -> Iterator[Reference]:
    """The marks of a value that is not a plain string in double quotes."""
    places = [place]
    if which == _LIST:
        places = [inner.span(inner.lastindex or 0) for inner in _STRINGS.finditer(text, *place)]
    elif which == _BARE:
        places = [(place[0], place[0] + len(text[slice(*place)].rstrip()))]
    for start, end in places:
        at = line + text.count("\n", place[0], start)
        said = _decoded(text[start:end], text, start)
        yield from (Reference(said, start, end, at, number) for number in numbers)


def _may_hold(at: str, text: str) -> bool:
    """Return whether all steps of a data path occur in a text."""
    return all(step.lstrip("@") in text for step in at.split("/") if "*" not in step and "~" not in step)


def _json_pattern(keys: Iterable[str]) -> re.Pattern[str]:
    return re.compile(rf'"({"|".join(map(re.escape, keys))})"[ \t]*[:=]\s*{_VALUE}')


def _is_comment(text: str, at: int) -> bool:
    return text[text.rfind("\n", 0, at) + 1 : at].lstrip().startswith(_COMMENTS)


def _key_values(key: str, text: str) -> Iterator[tuple[int, int]]:
    at, size = text.find(key), len(key)
    while at >= 0:
        before = text[at - 1 : at]
        hit = None
        if before in ('"', "'"):
            hit = _AFTER_KEY[before].match(text, at + size)
        elif not (before.isalnum() or before in ("_", ".", "@", "$", "-")) or not before:
            hit = _AFTER_KEY[""].match(text, at + size)
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
    """Line numbers of increasing positions, without reading the text again for each."""

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
    """Return the text without escapes."""
    if "\\" in raw and text[start - 1 : start] == '"':
        try:
            return str(json.loads(f'"{raw}"'))
        except ValueError:  # no escapes of JSON
            return raw
    return unescape(raw) if "&" in raw and ";" in raw else raw


def _encoded(new: str, text: str, start: int, end: int) -> str:
    """Return an id as it has to be written at that place: with escapes if the format of the old one needs them."""
    raw = text[start:end]
    if "&" in raw and ";" in raw:
        return escaped(new)
    if text[start - 1 : start] == '"' and ("\\" in new or '"' in new or "\\" in raw):
        return json.dumps(new, ensure_ascii=False)[1:-1]
    return new


ReferenceReader = Callable[[TreePath], bytes | None]
