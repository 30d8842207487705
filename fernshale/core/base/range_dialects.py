"""Ranges as the package tools read them, and how a range follows a release.

    interval    [2.5,3.0)                      square ends belong to the range, round ones do not
    npm         ^2.6 || >=3.0 <3.2             blanks mean "and"; a bare 2.6 is 2.6.x
    cargo       2.6, >=2.5, <3.0               commas mean "and"; a bare 2.6 is ^2.6
    pep440      >=2.5, <3.0  ~=2.6  ==2.6.*    commas mean "and"
    array       ["2.5", "3.0"]                 a list of releases in a settings file

"range", "comparators" and a dialect's own text are read by their form (`ranges`). What is written has to be readable in the
dialect again, and has to hold the release.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Literal

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.ranges import (
    Clause,
    Conjunction,
    End,
    Everything,
    Hyphen,
    Interval,
    Range,
    RangePart,
    Stretch,
    parse_range,
)
from fernshale.core.base.release import ReleaseNumber, parse_release
from fernshale.core.base.release_notation import written_like
from fernshale.core.base.texts import tr

Dialect = Literal["range", "interval", "comparators", "npm", "cargo", "pep440", "array"]
# What happens to a range that does not hold the new release.
Policy = Literal["widen", "next bound", "move"]

_ENTRY = lazy_pattern(r"""(?P<quote>["']?)(?P<release>[^"',\[\]\s]+)(?P=quote)""")
_FOREIGN: dict[Dialect, re.Pattern[str]] = {
    "npm": lazy_pattern(r"~[=>]|==|!=|[\[(]|,"),
    "cargo": lazy_pattern(r"~[=>]|==|!=|[\[(]|\||\s-\s"),
    "pep440": lazy_pattern(r"\^|(?<![=])~(?!=)|[\[(]|\||\s-\s|[xX](?![A-Za-z])"),
    "interval": lazy_pattern(r"[<>^~|]"),
}


def read_range(text: str, dialect: Dialect) -> Range:
    """A range as its dialect reads it. Raises MisuseError for what the dialect cannot read."""
    foreign = _FOREIGN.get(dialect)
    if foreign is not None and foreign.search(text):
        raise MisuseError(tr("{words!r} is not a range in the notation “{dialect}”", words=text, dialect=dialect))
    if dialect == "array":
        releases = [parse_release(found["release"]) for found in _entries(text)]
        ends = [End(release, True) for release in releases]
        return Range(tuple(Interval(Stretch(end, end), "") for end in ends), (", ",) * (len(ends) - 1))
    range_ = parse_range(text)
    if dialect == "npm":
        return _each_clause(range_, _npm)
    if dialect == "cargo":
        return _joined_by_and(_each_clause(range_, _cargo))
    return _joined_by_and(range_) if dialect == "pep440" else range_


def follow_range(text: str, to: str, dialect: Dialect, policy: Policy) -> str:
    """The range after the project has moved to release `to`; `text` itself if it holds `to` already.

    Raises MisuseError where the range cannot be read, or nothing its dialect can read would hold `to`.
    """
    release = parse_release(to)
    if read_range(text, dialect).contains(release):
        return text
    written = _followed(text, to, dialect, policy)
    if not read_range(written, dialect).contains(release):
        raise MisuseError(
            tr("{words!r} cannot be made to hold {to} in the notation “{dialect}”", words=text, to=to, dialect=dialect)
        )
    return written


def lowest_release(text: str) -> ReleaseNumber | None:
    """The lowest release that a range names and holds, None where it begins nowhere."""
    try:
        ends = [part.stretch.low for part in parse_range(text).parts]
    except MisuseError:
        return None
    held = [end.release for end in ends if end is not None and end.closed]
    return min(held) if held else None


def allows_below(text: str, least: str) -> bool:
    """Whether a range allows a release below `least`. Raises MisuseError for what is no range."""
    wanted = parse_release(least)
    lows = [part.stretch.low for part in parse_range(text).parts]
    return any(low is None or low.release < wanted for low in lows)


def raise_range(text: str, least: str) -> str:
    """The range with its lower end raised to `least`. Raises MisuseError for a list of several, which a person must change."""
    parts = parse_range(text).parts
    if len(parts) > 1:
        raise MisuseError(tr("{words!r} has several parts", words=text), tr("Change it in the file."))
    return str(_moved(parts[0], least))


def _followed(text: str, to: str, dialect: Dialect, policy: Policy) -> str:
    release = parse_release(to)
    if dialect == "array":
        return _array_with(text, to, policy)
    range_ = parse_range(text)
    if policy == "widen" and dialect in ("range", "comparators", "interval"):
        return str(range_.widened(release))
    at = _nearest(range_, release)
    part = range_.parts[at]
    if policy == "move":
        return str(_moved(part, to))
    if dialect in ("cargo", "pep440"):
        return _comparators(read_range(text, dialect).parts[0].stretch, to, text)
    bounded = _with_next_bound(part, to)
    if bounded is None:
        return str(range_.widened(release))
    return str(replace(range_, parts=(*range_.parts[:at], bounded, *range_.parts[at + 1 :])))


def _entries(text: str) -> Iterator[re.Match[str]]:
    if not text.strip().startswith("["):
        raise MisuseError(tr("{words!r} is not a list of releases", words=text))
    return _ENTRY.finditer(text)


def _array_with(text: str, to: str, policy: Policy) -> str:
    entries = list(_entries(text))
    if not entries:
        return f'["{to}"]'
    last = entries[-1]
    new = f"{last['quote']}{written_like(last['release'], to)}{last['quote']}"
    if policy == "move":
        return text[: entries[0].start()] + new + text[last.end() :]
    separator = text[entries[-2].end() : last.start()] if len(entries) > 1 else ", "
    return text[: last.end()] + separator + new + text[last.end() :]


def _nearest(range_: Range, release: ReleaseNumber) -> int:
    below = [at for at, part in enumerate(range_.parts) if not part.stretch.is_below(release)]
    return below[-1] if below else 0


def _moved(part: RangePart, to: str) -> RangePart:
    """A part that begins at `to` and ends at the next bound of its kind."""
    if isinstance(part, Interval):
        low, high = part.stretch.low, part.stretch.high
        first = End(_like(low, to), True) if low is not None else None
        if high is not None and low is not None and low == high:
            return replace(part, stretch=Stretch(first, first))
        return replace(part, stretch=Stretch(first, _next_end(high, to)), separator=part.separator or ",")
    if isinstance(part, Hyphen):
        low, high = part.stretch.low, part.stretch.high
        return replace(part, stretch=Stretch(End(_like(low, to), True), End(_like(high, to), True)))
    if isinstance(part, Conjunction):
        return Conjunction(tuple(_moved_clause(clause, to) for clause in part.clauses if clause.sign != "!="))
    return part


def _moved_clause(clause: Clause, to: str) -> Clause:
    match clause.sign:
        case "<":
            end = _next_end(clause.stretch.high, to)
            return replace(clause, release=end.release.text if end is not None else to)
        case ">":
            return replace(clause, sign=">=", release=written_like(clause.release, to))
        case "~>":
            # How many numbers are written says where the range ends.
            return replace(clause, release=_first_parts(to, clause.release.count(".") + 1))
        case _:
            return replace(clause, release=_wild_like(clause.release, to))


def _first_parts(to: str, count: int) -> str:
    parts = parse_release(to).parts
    return to if count >= len(parts) else ".".join(map(str, parts[:count]))


def _wild_like(text: str, to: str) -> str:
    """A release in the notation of another; wildcards stay at their places."""
    wild = re.fullmatch(r"(?P<fixed>[vV]?\d+(?:\.\d+)*)(?P<wild>(?:\.[*xX])+)", text)
    if wild is None:
        return written_like(text, to)
    fixed = wild["fixed"].count(".") + 1
    return ".".join(map(str, [*parse_release(to).parts, *[0] * fixed][:fixed])) + wild["wild"]


def _like(end: End | None, to: str) -> ReleaseNumber:
    return parse_release(written_like(end.release.text, to) if end is not None else to)


def _next_end(end: End | None, to: str) -> End | None:
    """The upper end after the move: the next bound of its kind if it is excluded, else the release itself."""
    if end is None or not (parse_release(to) > end.release or (parse_release(to) == end.release and not end.closed)):
        return end
    return End(_like(end, to), True) if end.closed else End(_next_bound(end.release, to), False)


def _next_bound(bound: ReleaseNumber, to: str) -> ReleaseNumber:
    """The bound after `to` at the number at which `bound` is one: after 2.7.1, 2.7 becomes 2.8 and 3.0 stays a first number."""
    at = max(index for index, number in enumerate((*bound.numbers,)) if number or index == 0)
    parts = [*parse_release(to).parts, *[0] * len(bound.parts)]
    raised = [*parts[:at], parts[at] + 1]
    raised += [0] * (len(bound.parts) - len(raised))
    return parse_release(".".join(map(str, raised)))


def _with_next_bound(part: RangePart, to: str) -> RangePart | None:
    """A part whose upper end is moved to the next bound of its kind; None where a list gets one more entry instead."""
    release = parse_release(to)
    if isinstance(part, Interval) and part.stretch.is_above(release):
        return replace(
            part, stretch=replace(part.stretch, high=_next_end(part.stretch.high, to)), separator=part.separator or ","
        )
    if isinstance(part, Conjunction) and any(clause.sign in ("<", "<=") for clause in part.clauses):
        if not part.stretch.is_above(release):
            return None
        return Conjunction(
            tuple(_moved_clause(item, to) if item.sign in ("<", "<=") else item for item in part.clauses)
        )
    return None


def _comparators(stretch: Stretch, to: str, text: str) -> str:
    """Two comparators with a comma, for dialects that have no notation for several ranges."""
    release = parse_release(to)
    low, high = stretch.low, stretch.high
    if stretch.is_below(release):
        low = End(release, True)
    high = _next_end(high, to)
    gap = " " if ", " in text or "," not in text else ""
    clauses = [f">{'=' if low.closed else ''}{low.release.text}"] if low is not None else []
    clauses += [f"<{'=' if high.closed else ''}{high.release.text}"] if high is not None else []
    return f",{gap}".join(clauses) or "*"


def _each_clause(range_: Range, read: Callable[[Clause], Clause]) -> Range:
    parts = tuple(
        Conjunction(tuple(read(clause) for clause in part.clauses)) if isinstance(part, Conjunction) else part
        for part in range_.parts
    )
    return replace(range_, parts=parts)


def _npm(clause: Clause) -> Clause:
    """A bare release of fewer than three numbers ends in a wildcard."""
    if clause.sign in ("", "=") and re.fullmatch(r"[vV]?\d+(?:\.\d+)?", clause.release):
        return replace(clause, release=clause.release + ".x")
    return clause


def _cargo(clause: Clause) -> Clause:
    """A bare release means what one with a caret does."""
    is_bare = not clause.sign and clause.release[:1].isdigit() and "*" not in clause.release
    return replace(clause, sign="^") if is_bare else clause


def _joined_by_and(range_: Range) -> Range:
    """The parts of a list as one conjunction, for dialects in which commas mean "and"."""
    clauses = [clause for part in range_.parts if isinstance(part, Conjunction) for clause in part.clauses]
    if not clauses or any(isinstance(part, Everything | Interval | Hyphen) for part in range_.parts):
        return range_
    return Range((Conjunction(tuple(clauses)),))
