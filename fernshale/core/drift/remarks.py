"""Whether two files differ in more than their comments: with a new year every header of a release says another one."""

from __future__ import annotations

import re

from fernshale.core.base.languages import DASH_COMMENTS, HASH_COMMENTS

# A string may hold what looks like a comment, so both are found, and strings stay.
_STRING = rb'"""(?:[^\\]|\\.)*?"""|\'\'\'(?:[^\\]|\\.)*?\'\'\'|"(?:[^"\\\n]|\\.)*"|\'(?:[^\'\\\n]|\\.)*\'|`(?:[^`\\]|\\.)*`'
_SLASHES = re.compile(rb"(?P<string>" + _STRING + rb")|//(?:[^\\\n]|\\.)*|/\*.*?\*/", re.DOTALL)
_HASHES = re.compile(rb"(?P<string>" + _STRING + rb")|#[^\n]*", re.DOTALL)
_DASHES = re.compile(rb"(?P<string>" + _STRING + rb"|\[(?P<level>=*)\[.*?\](?P=level)\])|--[^\n]*", re.DOTALL)
# Remarks above all else, where most releases have what changes each year.
_HEADS = {
    _SLASHES: re.compile(rb"(?:\s+|//(?:[^\\\n]|\\.)*|/\*.*?\*/)*+", re.DOTALL),
    _HASHES: re.compile(rb"(?:\s+|\#[^\n]*)*+"),
    _DASHES: re.compile(rb"(?:\s+|--(?!\[)[^\n]*)*+"),
}
# What is left at the end of a line, and lines with nothing on them; how a line is indented may mean something.
_ENDS = re.compile(rb"[ \t\r]+(?=\n|\Z)")
_EMPTY = re.compile(rb"\n\n+")
# A comment may say that something is on its way out.
_TELLING = (b"eprecat", b"EPRECAT", b"bsolete")
# The signs of strings that these patterns do not know whole.
_RAW = (b'R"', b'r#"')


def differ_in_remarks(old: bytes, new: bytes, path: str) -> bool:
    """Whether nothing but comments that say nothing of the interface, and white space, differs. Where in doubt it is False."""
    if any(word in old or word in new for word in (*_TELLING, *_RAW)):
        return False
    pattern = _SLASHES
    marks: tuple[bytes, ...] = (b"//", b"/*")
    if path.endswith(HASH_COMMENTS):
        pattern, marks = _HASHES, (b"#",)
    elif path.endswith(DASH_COMMENTS):
        pattern, marks = _DASHES, (b"--",)
    # Most files that differ do so in a line without any comment, which is told at once.
    for line in set(old.split(b"\n")) ^ set(new.split(b"\n")):
        if not any(mark in line for mark in marks) and line.strip()[:1] not in (b"", b"*"):
            return False
    rest, other = (data[_end(_HEADS[pattern], data) :] for data in (old, new))
    return rest == other or _without(pattern, old) == _without(pattern, new)


def _end(pattern: re.Pattern[bytes], data: bytes) -> int:
    found = pattern.match(data)
    return found.end() if found is not None else 0


def _without(pattern: re.Pattern[bytes], data: bytes) -> bytes:
    code = pattern.sub(lambda found: found["string"] or b" ", data)
    return _EMPTY.sub(b"\n", _ENDS.sub(b"", code)).strip(b"\n")
