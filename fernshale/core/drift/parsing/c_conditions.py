"""Keep one branch of each conditional that begins or ends inside a C or C++ declaration. Lengths stay."""

from __future__ import annotations

import re

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.parsing.c_scan import (
    STOP,
    Span,
    blanked,
    condition_of,
    end_of_body,
    has_split_declarations,
    is_unfinished,
    opens_enum,
)

_CONDITION = lazy_pattern(rb"^[ \t]*#[ \t]*(if|ifdef|ifndef|elif|else|endif)\b[^\n]*", re.MULTILINE)
_NOT_DEFINED = lazy_pattern(rb"#[ \t]*ifndef|#[^\n]*!")


def settle_conditions(data: bytes) -> bytes:
    """The source with one branch of each conditional that begins or ends inside a declaration; the others are blanked.

    The last branch is kept, which is the general one. Without an `else`, a part that is there only if something is defined is
    left out.
    """
    if not has_split_declarations(data):
        return data
    spans: list[Span] = []
    opened: list[list[Span]] = []  # the directives of the conditionals that are open
    start = at = 0
    while (found := STOP.search(data, at)) is not None:
        begin, at = found.span()
        first = found[0][:1]
        if first in b"/\"'":
            continue
        if opens_enum(data, start, begin):
            at = end_of_body(data, at)
        if first != b"#":
            start = at
            continue
        is_inside = is_unfinished(data, start, begin)
        what = condition_of(data, begin)
        if what.startswith(b"if"):
            if is_inside:
                at = _settle(data, found, spans)
                continue
            opened.append([(begin, at)])
        elif what and opened:
            directives = opened[-1]
            first_begin = directives[0][0]
            directives.append((begin, at))
            if is_inside and start >= first_begin:
                # The declaration began in this branch and ends after it: the next branch repeats its beginning. Without one, a
                # beginning that is there only if something is defined is left out.
                is_last = what == b"endif"
                is_general = len(directives) > 2 or _NOT_DEFINED.match(data, first_begin) is not None
                if not is_last or not is_general:
                    spans.append((start, begin))
                if is_last:
                    spans += opened.pop()
                continue
            if what == b"endif":
                opened.pop()
        if not is_inside:
            start = at
    return blanked(data, spans) if spans else data


def _settle(data: bytes, first: re.Match[bytes], spans: list[Span]) -> int:
    """Keep the last branch of a conditional inside a declaration; returns where its directives end."""
    depth, branches, begin = 0, [], first.end()
    directives = [first.span()]
    has_else = False
    for found in _CONDITION.finditer(data, first.end()):
        what = found[1]
        if what.startswith(b"if"):
            depth += 1
        elif what == b"endif" and depth:
            depth -= 1
        elif not depth:
            branches.append((begin, found.start()))
            directives.append(found.span())
            begin = found.end()
            has_else = has_else or what == b"else"
            if what == b"endif":
                break
    spans += directives
    spans += branches[:-1] if has_else or _NOT_DEFINED.match(first[0]) else branches
    return begin
