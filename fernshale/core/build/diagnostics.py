"""Read what compilers, linkers and build tools print.

Understood: `file:line:column: severity: message` with GCC's and Clang's notes, include chains and "required from"
lines; `file(line,column): error CODE: message`; linker lines of GNU ld, gold and lld; make's own complaints; and the
patterns of a profile. Lines are fed one by one, so that diagnostics appear while the build still runs.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

import regex

from fernshale.core.profile.model import DiagnosticPattern

_COLOUR = re.compile(r"\x1b\[[0-9;]*[A-Za-z]")
_USUAL = re.compile(
    r"^(?P<file>[^\s:][^:]*|[A-Za-z]:[^:]+):(?P<line>\d+)(?::(?P<column>\d+))?: "
    r"(?P<severity>fatal error|internal compiler error|error|warning|note|remark): (?P<message>.*)$"
)
_BRACKETED = re.compile(
    r"^(?P<file>[^\s(][^(]*)\((?P<line>\d+)(?:,(?P<column>\d+))?\): "
    r"(?P<severity>fatal error|error|warning|note)(?: (?P<code>[A-Z]+\d+))?: (?P<message>.*)$"
)
_INCLUDED = re.compile(r"^(?:In file included from| {16} from) (?P<file>[^:]+):(?P<line>\d+)")
_REQUIRED = re.compile(r"^(?P<file>[^\s:][^:]*):(?P<line>\d+)(?::\d+)?:   (?:recursively )?required (?:from|by)")
_FLAG = re.compile(r" \[(-W[\w=+-]+)\]$")
_LINKER = re.compile(
    r"^(?:.*?\bld(?:\.\w+)?: )?(?:error: )?(?:(?P<file>[^\s:][^:]*):(?:(?P<line>\d+):|\([^)]*\):) ?)?"
    r"(?P<message>(?:undefined reference to|undefined symbol:|multiple definition of|duplicate symbol:|cannot find) .*)$"
)
_MAKE = re.compile(r"^make(?:\[\d+\])?: \*\*\* (?P<message>(?!\[).*?)(?:  Stop\.)?$")


@dataclass(frozen=True, slots=True)
class Place:
    """A spot a tool named; `line` and `column` are 1-based, 0 where unknown."""

    file: str
    line: int
    column: int = 0


@dataclass(frozen=True, slots=True)
class Note:
    """What a tool adds to a diagnostic, and where."""

    place: Place
    message: str


@dataclass(frozen=True, slots=True)
class Diagnostic:
    """One thing a tool has to say.

    `context` are the places on the way there: instantiations, the project's call last, then including files.
    `count` is how often the very same was reported.
    """

    place: Place
    severity: str
    code: str
    message: str
    tool: str
    notes: tuple[Note, ...] = ()
    context: tuple[Place, ...] = ()
    count: int = 1

    @property
    def key(self) -> tuple[Place, str, str]:
        return (self.place, self.severity, self.message)


class Reader:
    """Turns lines of build output into diagnostics, one line at a time."""

    def __init__(self, patterns: Sequence[DiagnosticPattern]) -> None:
        self._patterns = [(regex.compile(pattern.pattern), pattern.severity) for pattern in patterns]
        self._open: Diagnostic | None = None
        # Chains stand before the line they belong to, which may turn out to be a note of the one before.
        self._included: list[Place] = []
        self._required: list[Place] = []

    def feed(self, line: str) -> Iterator[Diagnostic]:
        """Diagnostics that `line` completed."""
        if "\x1b" in line:
            line = _COLOUR.sub("", line)
        line = line.rstrip("\r\n")
        # Code frames are half of a log and start with a space, as nothing else does but an include chain.
        if line[:1] in (" ", "") and not self._patterns and not line.startswith("                 from "):
            return
        if found := _INCLUDED.match(line):
            self._included.append(Place(found["file"], int(found["line"])))
            return
        if found := _REQUIRED.match(line):
            self._required.append(Place(found["file"], int(found["line"])))
            return
        started = self._start(line)
        if started is None:
            return
        if started.severity in ("note", "remark"):
            if self._open is not None:
                note = Note(started.place, started.message)
                self._open = replace(self._open, notes=(*self._open.notes, note))
        else:
            yield from self._close()
            chain = (*self._required, *self._included)
            self._open = replace(started, context=chain) if chain else started
        self._included.clear()
        self._required.clear()

    def finish(self) -> Iterator[Diagnostic]:
        """The last diagnostic."""
        yield from self._close()

    def _close(self) -> Iterator[Diagnostic]:
        if self._open is not None:
            done, self._open = self._open, None
            yield done

    def _start(self, line: str) -> Diagnostic | None:
        for pattern, severity in self._patterns:
            try:
                found = pattern.search(line, timeout=1.0)
            except TimeoutError:
                continue  # a line the pattern runs away on is for the other readers
            if found:
                return _diagnostic(found.groupdict(), severity, "profile")
        if usual := _USUAL.match(line) or _BRACKETED.match(line):
            return _diagnostic(usual.groupdict(), usual["severity"], "compiler")
        if "undefined" in line or "multiple definition" in line or "duplicate symbol" in line or "cannot find" in line:
            linker = _LINKER.match(line)
            if linker:
                return _diagnostic(linker.groupdict(), "error", "linker")
        if made := _MAKE.match(line):
            return _diagnostic(made.groupdict(), "error", "make")
        return None


def read_diagnostics(lines: Iterable[str], patterns: Sequence[DiagnosticPattern]) -> tuple[Diagnostic, ...]:
    """All diagnostics of a log, each once with how often it was reported, in order of first appearance."""
    reader = Reader(patterns)
    found = [item for line in lines for item in reader.feed(line)] + list(reader.finish())
    return merge_repeats(found)


def merge_repeats(found: Iterable[Diagnostic]) -> tuple[Diagnostic, ...]:
    """Each diagnostic once: a header's error is reported by every file that includes it."""
    seen: dict[tuple[Place, str, str], Diagnostic] = {}
    for item in found:
        known = seen.get(item.key)
        seen[item.key] = item if known is None else replace(known, count=known.count + item.count)
    return tuple(seen.values())


def _diagnostic(groups: dict[str, str | None], severity: str, tool: str) -> Diagnostic:
    message = (groups.get("message") or "").strip()
    code = groups.get("code") or ""
    if flag := _FLAG.search(message):
        code, message = flag[1], message[: flag.start()]
    severity = "error" if severity in ("fatal error", "internal compiler error") else severity
    place = Place(groups.get("file") or "", int(groups.get("line") or 0), int(groups.get("column") or 0))
    return Diagnostic(place, severity, code, message, tool)
