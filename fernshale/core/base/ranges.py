"""Ranges of releases in the notations people write, each read, tested, widened and written back in its own style.

    [2.5,3.0)  (,3.0]  [3.0.2]  [1,2),[3,4)     intervals: square ends belong to the range, round ones do not
    >=2.5, <3.0   ~=2.6   ==2.6.*   !=2.6.3     comparators, all of which must hold
    ^2.6   ~2.6.1                               up to the next first number, up to the next second one
    ~> 2.6   ~> 2.6.1                           up to the next of the last number but one
    2.x   2.6.*   *                             wildcards
    2.5 - 3.0                                   from - to, both included
    2.6.1, 3.0.2                                a list of releases, wildcards, carets and tildes
    ... || ...                                  any of several

A release before another by a preview mark only does not count as lying below it: `<4.0` and `[3.0,4.0)` leave 4.0-pre1
out (as PEP 440 has it). Caret and tilde are those of Semantic Versioning's usual range grammars: ^0.2.3 ends at 0.3.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import lru_cache

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.release import ReleaseNumber, parse_release, release_of
from fernshale.core.base.texts import tr

_INTERVAL = lazy_pattern(r"\s*([\[(])\s*([^,\s\])]*)\s*(?:(,\s*)([^,\s\])]*))?\s*([\])])\s*")
_CLAUSE = lazy_pattern(r"(?P<sign>>=|<=|==|=|!=|~=|~>|>|<|\^|~)?(?P<gap>\s*)(?P<release>[0-9vV*xX][^\s,]*)")
_HYPHEN = lazy_pattern(r"^\s*(\S+)(\s+-\s+)(\S+)\s*$")
_ANYTHING = ("*", "", "x", "X", "any")


@dataclass(frozen=True, slots=True)
class End:
    """One end of a range; an open end does not include its release."""

    release: ReleaseNumber
    closed: bool


@dataclass(frozen=True, slots=True)
class Stretch:
    """Releases between two ends; a missing end is unbounded."""

    low: End | None
    high: End | None

    def contains(self, release: ReleaseNumber) -> bool:
        return not self.is_below(release) and not self.is_above(release)

    def is_below(self, release: ReleaseNumber) -> bool:
        """Return whether `release` is below this interval."""
        low = self.low
        return low is not None and (release < low.release or (release == low.release and not low.closed))

    def is_above(self, release: ReleaseNumber) -> bool:
        """Return whether `release` is above this interval."""
        high = self.high
        if high is None or release < high.release:
            return high is not None and _is_preview_of(release, high)
        return release > high.release or not high.closed


@dataclass(frozen=True, slots=True)
class Clause:
    """A comparator: its operator, its release as written (possibly with a wildcard), and the text before and inside it."""

    sign: str
    release: str
    before: str = ""
    gap: str = ""

    def __str__(self) -> str:
        return f"{self.before}{self.sign}{self.gap}{self.release}"

    @property
    def stretch(self) -> Stretch:
        return _stretch(self.sign, self.release)


@dataclass(frozen=True, slots=True)
class Interval:
    """One interval in brackets; without a `separator` it is [3.0.2]. `brackets` are those of ends that are not there."""

    stretch: Stretch
    separator: str
    brackets: str = field(default="()", compare=False)

    def contains(self, release: ReleaseNumber) -> bool:
        return self.stretch.contains(release)

    def widened(self, release: ReleaseNumber) -> Interval:
        low, high, end = self.stretch.low, self.stretch.high, End(release, True)
        below, above = self.stretch.is_below(release), self.stretch.is_above(release)
        return replace(
            self, stretch=Stretch(end if below else low, end if above else high), separator=self.separator or ","
        )

    def __str__(self) -> str:
        low, high = self.stretch.low, self.stretch.high
        if not self.separator and low:
            return f"[{low.release.text}]"
        left = ("[" if low.closed else "(") + low.release.text if low else self.brackets[0]
        right = high.release.text + ("]" if high.closed else ")") if high else self.brackets[1]
        return f"{left}{self.separator}{right}"


@dataclass(frozen=True, slots=True)
class Conjunction:
    """Clauses all of which must hold."""

    clauses: tuple[Clause, ...]

    @property
    def stretch(self) -> Stretch:
        """The interval that remains after all clauses that do not exclude single releases."""
        low: End | None = None
        high: End | None = None
        for clause in self.clauses:
            part = clause.stretch
            if clause.sign == "!=":
                continue
            if part.low and (low is None or (part.low.release, not part.low.closed) > (low.release, not low.closed)):
                low = part.low
            if part.high and (high is None or (part.high.release, part.high.closed) < (high.release, high.closed)):
                high = part.high
        return Stretch(low, high)

    def contains(self, release: ReleaseNumber) -> bool:
        return all(clause.stretch.contains(release) != (clause.sign == "!=") for clause in self.clauses)

    def widened(self, release: ReleaseNumber) -> Conjunction | Everything:
        kept = [item for item in self.clauses if item.sign != "!=" or not item.stretch.contains(release)]
        model = next((item for item in self.clauses if item.sign in (">=", "<=", ">", "<")), self.clauses[0])
        gaps = [item.before for item in self.clauses[1:]] or [", "]
        done: list[Clause] = []
        added = False
        for clause in kept:
            if clause.sign == "!=" or clause.stretch.contains(release):
                done.append(clause)
                continue
            low, high = clause.stretch.low, clause.stretch.high
            if clause.stretch.is_above(release):
                if low is not None:
                    done.append(Clause(">=" if low.closed else ">", low.release.text, clause.before, model.gap))
                elif added:
                    continue
                done.append(Clause("<=", release.text, gaps[0] if low is not None else clause.before, model.gap))
            else:
                done.append(Clause(">=", release.text, clause.before, model.gap))
                if high is not None:
                    done.append(Clause("<=" if high.closed else "<", high.release.text, gaps[0], model.gap))
            added = True
        if not done:
            return Everything("*")  # allow the one excluded release
        # The first clause starts the text, whatever preceded it when another clause was first.
        done[0] = replace(done[0], before=self.clauses[0].before)
        return Conjunction(tuple(done))

    def __str__(self) -> str:
        return "".join(map(str, self.clauses))


@dataclass(frozen=True, slots=True)
class Everything:
    """Any release at all, as it was written."""

    text: str
    stretch: Stretch = Stretch(None, None)

    def contains(self, release: ReleaseNumber) -> bool:
        return True

    def widened(self, release: ReleaseNumber) -> Everything:
        return self

    def __str__(self) -> str:
        return self.text


@dataclass(frozen=True, slots=True)
class Hyphen:
    """From one release to another, both included."""

    stretch: Stretch
    separator: str

    def contains(self, release: ReleaseNumber) -> bool:
        return self.stretch.contains(release)

    def widened(self, release: ReleaseNumber) -> Hyphen:
        return replace(self, stretch=Interval(self.stretch, ",").widened(release).stretch)

    def __str__(self) -> str:
        low, high = self.stretch.low, self.stretch.high
        assert low is not None and high is not None
        return f"{low.release.text}{self.separator}{high.release.text}"


RangePart = Interval | Conjunction | Everything | Hyphen


@dataclass(frozen=True, slots=True)
class Range:
    """Releases contained in any of `parts`; `separators` are the texts between the parts."""

    parts: tuple[RangePart, ...]
    separators: tuple[str, ...] = ()

    def contains(self, release: ReleaseNumber) -> bool:
        return any(part.contains(release) for part in self.parts)

    def widened(self, release: ReleaseNumber) -> Range:
        """A range of the same style that contains all this one does, and `release`.

        Intervals and comparators get `release` as a closed end; carets, tildes, wildcards and lists get one more entry.
        """
        if self.contains(release):
            return self
        at = self._nearest(release)
        part = self.parts[at]
        more = _one_more(part, release)
        if more is None:
            parts = (*self.parts[:at], part.widened(release), *self.parts[at + 1 :])
            return replace(self, parts=parts)
        separator = self.separators[0] if self.separators else ", " if _is_plain(part) else " || "
        goes_first = at == 0 and part.stretch.is_below(release)
        parts = (more, *self.parts) if goes_first else (*self.parts, more)
        return Range(parts, (separator, *self.separators))

    def _nearest(self, release: ReleaseNumber) -> int:
        """The last part that begins below `release`, or the first one."""
        below = [at for at, part in enumerate(self.parts) if not part.stretch.is_below(release)]
        return below[-1] if below else 0

    def __str__(self) -> str:
        text = str(self.parts[0])
        for separator, part in zip(self.separators, self.parts[1:], strict=True):
            text += separator + str(part)
        return text


@lru_cache(maxsize=4096)
def parse_range(text: str) -> Range:
    """Parse a range. Raises MisuseError when the notation of `text` is unknown."""
    body = text.strip()
    if body in _ANYTHING:
        return Range((Everything(body or "*"),))
    pieces = re.split(r"(\s*\|\|?\s*)", body)
    parts: list[RangePart] = []
    separators: list[str] = []
    for number, piece in enumerate(pieces):
        if number % 2:
            separators.append(piece)
            continue
        found, between = _parse_piece(piece, text)
        parts += found
        separators += between
    return Range(tuple(parts), tuple(separators))


def _parse_piece(piece: str, whole: str) -> tuple[list[RangePart], list[str]]:
    if piece.startswith(("[", "(")):
        return _parse_intervals(piece, whole)
    if found := _HYPHEN.match(piece):
        low, high = (End(parse_release(found[at]), True) for at in (1, 3))
        return [Hyphen(Stretch(low, high), found[2])], []
    clauses = list(_parse_clauses(piece, whole))
    if len(clauses) > 1 and all(clause.sign in ("", "^", "~") for clause in clauses):
        return [Conjunction((replace(item, before=""),)) for item in clauses], [item.before for item in clauses[1:]]
    return [Conjunction(tuple(clauses))], []


def _parse_intervals(piece: str, whole: str) -> tuple[list[RangePart], list[str]]:
    parts: list[RangePart] = []
    separators: list[str] = []
    at = 0
    while at < len(piece):
        found = _INTERVAL.match(piece, at)
        if found is None:
            raise _no_range(whole)
        parts.append(_interval(found, whole))
        at = found.end()
        if at < len(piece):
            gap = re.compile(r",\s*").match(piece, at)
            if gap is None or gap.end() == len(piece):
                raise _no_range(whole)
            separators.append(gap[0])
            at = gap.end()
    return parts, separators


def _interval(found: re.Match[str], whole: str) -> Interval:
    opening, low, separator, high, closing = found.groups()
    if separator is None:
        if (opening, closing) != ("[", "]") or not low:
            raise MisuseError(
                tr("{whole!r} is not a range of releases", whole=whole), tr("A single release is written [3.0.2].")
            )
        end = End(parse_release(low), True)
        return Interval(Stretch(end, end), "")
    return Interval(
        Stretch(
            End(parse_release(low), opening == "[") if low else None,
            End(parse_release(high), closing == "]") if high else None,
        ),
        separator,
        opening + closing,
    )


def _parse_clauses(piece: str, whole: str) -> Iterator[Clause]:
    at, before = 0, ""
    while at < len(piece):
        found = _CLAUSE.match(piece, at)
        if found is None:
            raise _no_range(whole)
        clause = Clause(found["sign"] or "", found["release"], before, found["gap"])
        try:
            _stretch(clause.sign, clause.release)
        except MisuseError as error:
            raise _no_range(whole) from error
        yield clause
        gap = re.compile(r"[,\s]\s*|$").match(piece, found.end())
        if gap is None or (gap.end() == len(piece) and gap[0]):
            raise _no_range(whole)
        at, before = gap.end(), gap[0]


@lru_cache(maxsize=4096)
def _stretch(sign: str, text: str) -> Stretch:
    """The interval that one comparator allows; for `!=`, the one it excludes."""
    wild = re.fullmatch(r"(\d+(?:\.\d+)*)?(?:\.?[*xX])+", text)
    if wild:
        if sign not in ("", "=", "==", "!=") or (not wild[1] and text.strip("*xX.")):
            raise MisuseError(tr("{sign}{words} is not a comparator", sign=sign, words=text))
        if not wild[1]:
            return Stretch(None, None)
        numbers = tuple(int(part) for part in wild[1].split("."))
        return _up_to(parse_release(wild[1]), len(numbers) - 1)
    release = parse_release(text)
    parts = release.parts
    match sign:
        case ">=" | ">":
            return Stretch(End(release, sign == ">="), None)
        case "<=" | "<":
            return Stretch(None, End(release, sign == "<="))
        case "~=":
            if len(parts) < 2:
                raise MisuseError(tr("~={words} needs two numbers", words=text))
            return _up_to(release, len(parts) - 2)
        case "~>":
            return _up_to(release, max(0, len(parts) - 2))
        case "~":
            return _up_to(release, min(1, len(parts) - 1))
        case "^":
            first = next((at for at, number in enumerate(parts) if number), len(parts) - 1)
            return _up_to(release, first)
        case _:
            return Stretch(End(release, True), End(release, True))


def _up_to(low: ReleaseNumber, at: int) -> Stretch:
    """From `low` to where the number at `at` is one more."""
    high = release_of((*low.parts[:at], low.parts[at] + 1), low.epoch)
    return Stretch(End(low, True), End(high, False))


def _is_preview_of(release: ReleaseNumber, end: End) -> bool:
    high = end.release
    return not end.closed and release.is_preview and not high.is_preview and release.numbers == high.numbers


def _is_plain(part: RangePart) -> bool:
    return isinstance(part, Conjunction) and part.clauses[0].sign == ""


def _one_more(part: RangePart, release: ReleaseNumber) -> RangePart | None:
    """The entry that a list of this style gets for `release`; None where an end is moved instead."""
    if not isinstance(part, Conjunction) or len(part.clauses) != 1 or part.clauses[0].sign not in ("", "^", "~"):
        return None
    clause = part.clauses[0]
    text = release.text
    if wild := re.fullmatch(r"(\d+(?:\.\d+)*)((?:\.[*xX])+)", clause.release):
        fixed = wild[1].count(".") + 1
        if not release.is_preview and not release.epoch:
            text = ".".join(map(str, [*release.parts, 0, 0, 0, 0][:fixed])) + wild[2]
    return Conjunction((Clause(clause.sign, text, "", clause.gap),))


def _no_range(text: str) -> MisuseError:
    return MisuseError(
        tr("{words!r} is not a range of releases", words=text),
        tr("Write [2.5,3.0) or >=2.5, <3.0 or ^2.6, 2.x, a list of releases."),
    )
