"""Find the declarations of a C or C++ source by its brackets and semicolons, without a grammar."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from fernshale.core.base.lazy_pattern import lazy_pattern

Span = tuple[int, int]

_SEMICOLON = 59
# What the scan stops at: comments, strings, directives, labels of access, brackets, ends of declarations. The library skips to the
# first letters of the alternatives, which it only does where they are no groups; so the first letter says which one was found.
STOP = lazy_pattern(
    rb"//[^\n]*|/\*(?s:.)*?(?:\*/|\Z)"
    rb'|"(?:[^"\\\n]|\\(?s:.))*"'
    rb"|'(?:[^'\\\n]|\\(?s:.))*'"
    rb"|#(?:[^\n\\/]|\\\r?\n|\\.|/(?!\*)|/\*(?s:.)*?\*/)*"
    rb"|public\b[\w \t]*:(?!:)|private\b[\w \t]*:(?!:)|protected\b[\w \t]*:(?!:)"
    rb"|\{|\}|;"
)
DIRECTIVE = lazy_pattern(rb"#[ \t]*(?P<what>[a-z]*)")
CONDITIONS = frozenset((b"if", b"ifdef", b"ifndef", b"elif", b"else", b"endif"))
_SHARP, _OPEN, _CLOSE = b"#{}"
_SKIPPED = frozenset(b"/\"'")
_LABEL = 112  # the p of public, private, protected
_CONTAINER = lazy_pattern(rb"\b(?:namespace|class|struct|union)\b|\bextern\s*\"")
_ENUM = lazy_pattern(rb"\benum\b[^()=]*\Z")
_COMMENT = lazy_pattern(rb"(?s)//[^\n]*|/\*.*?\*/")
_COMPLETE_MACROS = lazy_pattern(rb"(?s)(?:_*[A-Z][A-Z0-9_]{2,}\b\s*(?:\((?:[^()]|\((?:[^()]|\([^()]*\))*\))*\)\s*)?)*")


# A macro as the last thing in a class, with arguments or without.
_MACRO_ALONE = lazy_pattern(rb"\s*(?:[A-Z_][A-Z0-9_]*[ \t]*\([^;{}]*\)|(?:\w+_)?[A-Z][A-Z0-9_]{2,})\s*")


def find_declarations(data: bytes) -> Iterator[Span]:
    """The spans of the declarations of files, namespaces and classes, without their end or body."""
    start = at = 0
    while (found := STOP.search(data, at)) is not None:
        begin, at = found.span()
        first = data[begin]
        if first in _SKIPPED:
            continue
        if first in (_SHARP, _LABEL):
            if first == _LABEL or not is_unfinished(data, start, begin):
                if start < begin:
                    yield start, begin  # macros that need no semicolon
                start = at
            continue
        if start < begin and (first != _CLOSE or _MACRO_ALONE.fullmatch(data, start, begin)):
            yield start, begin
        if first == _OPEN:
            head = data[start:begin]
            is_container = _CONTAINER.search(head) is not None and b"=" not in head and not _is_function(head)
            if not is_container or opens_enum(data, start, begin):
                at = end_of_body(data, at)
        start = at


def find_stops(data: bytes, at: int = 0) -> Iterator[re.Match[bytes]]:
    """What `STOP` finds from a place on, but for comments and strings."""
    return (found for found in STOP.finditer(data, at) if data[found.start()] not in _SKIPPED)


def has_split_declarations(data: bytes) -> bool:
    """Whether a conditional begins or ends inside a declaration."""
    start = after = 0
    for found in find_stops(data) if b"#" in data else ():
        begin, at = found.span()
        if begin < after:
            continue
        if opens_enum(data, start, begin):
            start = after = end_of_body(data, at)
        elif data[begin] == _SHARP and is_unfinished(data, start, begin):
            if condition_of(data, begin):
                return True
        else:
            start = at
    return False


def opens_enum(data: bytes, start: int, at: int) -> bool:
    """Whether the brace at a place opens the values of an enum whose head begins at `start`: they end with no semicolon, so a
    conditional among them is inside no declaration."""
    return data[at] == _OPEN and _ENUM.search(data, start, at) is not None


def condition_of(data: bytes, at: int) -> bytes:
    """The word of a conditional directive at a place, b"" for any other text."""
    found = DIRECTIVE.match(data, at)
    return found["what"] if found is not None and found["what"] in CONDITIONS else b""


def is_unfinished(data: bytes, start: int, end: int) -> bool:
    """Whether a declaration has begun; macros that need no semicolon are none."""
    text = data[start:end].strip()
    if text and b"/" in text:
        text = _COMMENT.sub(b"", text).strip()
    return bool(text) and _COMPLETE_MACROS.fullmatch(text) is None


def blanked(data: bytes, spans: Sequence[Span], ends: Sequence[int] = ()) -> bytes:
    """The source with spans blanked but for line ends, and with semicolons at `ends`."""
    text = bytearray(data)
    for start, end in spans:
        lines = text[start:end].split(b"\n")
        text[start:end] = b"\n".join(
            b" " * (len(line) - 1) + b"\r" if line.endswith(b"\r") else b" " * len(line) for line in lines
        )
    for at in ends:
        text[at] = _SEMICOLON
    return bytes(text)


def _is_function(head: bytes) -> bool:
    return b"(" in head and head.rstrip().endswith((b")", b"const", b"override", b"noexcept", b"final"))


def end_of_body(data: bytes, at: int) -> int:
    """The place after the bracket that closes a body opened before `at`."""
    depth = 1
    for found in find_stops(data, at):
        first = data[found.start()]
        if first == _OPEN:
            depth += 1
        elif first == _CLOSE:
            depth -= 1
            if not depth:
                return found.end()
    return len(data)
