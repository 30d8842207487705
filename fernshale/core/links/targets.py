"""The targets of ids and paths as comparable values: the declaring text, its name, its neighbours."""

from __future__ import annotations

import hashlib
import re
from bisect import bisect_left
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.treepath import TreePath
from fernshale.core.links.index import LinkIndex, Use
from fernshale.core.links.reference_reader import Reference, as_text

_WORD = lazy_pattern(r"[A-Za-z]+|\d+(?:\.\d+)?")
_NAME_PART = lazy_pattern(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])|\d+")
_BLANK = "\0"
# An id of this much digits, or of hexadecimal digits alone, is no name.
_RANDOM = lazy_pattern(
    r"(?i)[0-9a-f]{8}(?:-?[0-9a-f]{4,})*|\d+|[0-9a-z_-]*\d[0-9a-z]*\d[0-9a-z]*\d[0-9a-z]*\d[0-9a-z_-]*"
)
_LARGEST = 1 << 20


@dataclass(frozen=True)
class Thing:
    """The target of an id or path: `text` is its part of the file, with added and removed ids blanked, `digest` the digest of
    that. `companion` is the digest of the file next to it, as `x.png` for `x.png.meta`.

    `alone`: its file declares nothing else. `around` are the ids declared before and after it.
    """

    id: str
    file: TreePath
    kind: str
    ending: str
    text: str
    digest: str
    companion: str = ""
    alone: bool = True
    around: tuple[str, str] = ("", "")

    @property
    def words(self) -> list[str]:
        return _WORD.findall(self.text)

    @property
    def stem(self) -> str:
        """The name of its file without folder and endings."""
        return self.file.rpartition("/")[2].partition(".")[0]


@dataclass(frozen=True, slots=True)
class LinkSide:
    """A tree, before or now: its index, its files, and a function to read them."""

    index: LinkIndex
    files: Collection[TreePath]
    read: Callable[[TreePath], bytes | None]

    def text(self, path: TreePath) -> str | None:
        data = self.read(path) if path in self.files else None
        return as_text(data) if data is not None else None


def describe_ids(side: LinkSide, ids: Iterable[str], passing: Collection[str]) -> dict[str, Thing]:
    """Return the targets of ids on one side, by the first declaration of each. `passing` are added and removed ids."""
    by_file: dict[TreePath, list[Use]] = {}
    for id in ids:
        for use in side.index.declarations(id)[:1]:
            by_file.setdefault(use.file, []).append(use)
    found = {}
    for path, uses in by_file.items():
        text = side.text(path) or ""
        marks = side.index.files[path]
        declared = marks.declared
        alone = len(declared) == 1
        place_of = {mark: at for at, mark in enumerate(declared)}
        all_passing = [mark for mark in marks.all if mark.id in passing]
        starts = [mark.start for mark in all_passing]
        companion = _companion(side, path)
        for use in uses:
            at = place_of[use.mark]
            chunk, start = _record(text, at, declared)
            inside = all_passing[bisect_left(starts, start) : bisect_left(starts, start + len(chunk))]
            blanked = _blanked(chunk, start, inside, use.mark.id)
            around = tuple(declared[i].id if 0 <= i < len(declared) else "" for i in (at - 1, at + 1))
            rule = side.index.rules.all[use.mark.rule]
            found[use.mark.id] = Thing(
                use.mark.id, path, rule.kind, _ending(path), blanked, _digest(blanked.encode("utf-8", "surrogatepass")),
                companion if alone else "", alone, (around[0], around[1]),
            )  # fmt: skip
    return found


def describe_files(side: LinkSide, paths: Iterable[TreePath], passing: Collection[str]) -> dict[str, Thing]:
    """Return files as targets, by path."""
    found = {}
    for path in paths:
        data = side.read(path)
        if data is None:
            continue
        text = as_text(data) if len(data) <= _LARGEST else None
        digest = _digest(data)
        if text is not None and path in side.index.files:
            marks = side.index.files[path]
            inside = [mark for mark in marks.all if mark.id in passing]
            text = _blanked(text, 0, inside, "")
            digest = _digest(text.encode("utf-8", "surrogatepass"))
        found[str(path)] = Thing(str(path), path, "", _ending(path), text or "", digest, _companion(side, path))
    return found


def is_name(id: str) -> bool:
    """Return whether an id is a meaningful name, as opposed to generated digits."""
    return bool(re.search(r"[A-Za-z]{2}", id)) and not _RANDOM.fullmatch(id)


def name_parts(text: str) -> list[str]:
    """The words a name is made of, in small letters."""
    return [part.lower() for part in _NAME_PART.findall(text)]


def _record(text: str, at: int, declared: Sequence[Reference]) -> tuple[str, int]:
    """Return the part of a text that belongs to one of its declarations, and its start."""
    if len(declared) == 1 or not text:
        return text, 0
    mark = declared[at]
    before = declared[at - 1].end if at else 0
    after = declared[at + 1].start if at + 1 < len(declared) else len(text)
    around = _braces(text, mark.start)
    if around is not None and before <= around[0] and around[1] <= after:
        return text[slice(*around)], around[0]
    line = text.rfind("\n", 0, mark.start) + 1
    start = line if line >= before else mark.start
    last = text.rfind("\n", 0, after) + 1 if after < len(text) else after
    end = last if last > mark.end else after
    return text[start:end], start


def _braces(text: str, at: int) -> tuple[int, int] | None:
    """The innermost pair of braces around a place; braces in strings are rare enough in data."""
    depth, start = 0, at
    while depth >= 0:
        opened, closed = text.rfind("{", 0, start), text.rfind("}", 0, start)
        if opened < 0 and closed < 0:
            return None
        start = max(opened, closed)
        depth += 1 if closed > opened else -1
        if opened < 0 and depth > 0:
            return None
    depth, end = 1, start + 1
    while depth:
        opened, closed = text.find("{", end), text.find("}", end)
        if closed < 0:
            return None
        if 0 <= opened < closed:
            depth, end = depth + 1, opened + 1
        else:
            depth, end = depth - 1, closed + 1
    return start, end


def _blanked(chunk: str, start: int, marks: Sequence[Reference], own: str) -> str:
    """Return a text without added and removed ids, so that it can be compared with one from the other side.

    `marks` are in text order.
    """
    parts, at = [], 0
    for mark in marks:
        first, last = mark.start - start, mark.end - start
        if first >= at and last <= len(chunk) and mark.line > 0:
            parts += [chunk[at:first], _BLANK]
            at = last
    text = "".join([*parts, chunk[at:]])
    return text.replace(own, _BLANK) if len(own) > 3 else text


def _companion(side: LinkSide, path: TreePath) -> str:
    base = TreePath(path.rpartition(".")[0])
    if base not in side.files or "." not in base.rpartition("/")[2]:
        return ""
    data = side.read(base)
    return _digest(data) if data is not None else ""


def _ending(path: str) -> str:
    return path.rpartition("/")[2].partition(".")[2].lower()


def _digest(data: bytes) -> str:
    return hashlib.blake2b(data, digest_size=12).hexdigest()
