"""Parse output line by line, so that diagnostics appear while the build still runs."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

import regex

from fernshale.core.base.bounded_regex import Budget, RunsAway
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.diagnostics import Diagnostic, Note, SourcePlace, macro_use, merge_repeats, place_number
from fernshale.core.build.reading.implied_errors import with_implied_errors
from fernshale.core.build.reading.joined_errors import each_alone
from fernshale.core.build.reading.line_patterns import (
    diagnostic_of,
    read_failure,
    read_head,
    read_linker,
    read_tool,
    read_usual,
    split_code,
)
from fernshale.core.build.reading.multiline import MessageBlock, begin_block
from fernshale.core.build.reading.prefixes import Folders, unwrap, without_colours
from fernshale.core.build.reading.structured import Gathering, read_document
from fernshale.core.profile.model import DiagnosticPattern

_INCLUDED = lazy_pattern(r"^(?:In file included from| {16} from) (?P<file>[^:]+):(?P<line>\d+)")
_REQUIRED = lazy_pattern(
    r"^(?P<file>[^\s:][^:]*):(?P<line>\d+)(?::(?P<column>\d+))?:   (?:recursively )?required (?:from|by)"
)
# `a.cpp: In function …` only introduces the lines below it.
_SCOPE = lazy_pattern(r"^[^\s:][^:]*: (?:In|At) ")
# Two tools that write at once may break up a line: a diagnostic inside another one's message starts a new one.
_HEAD = lazy_pattern(r"^[^\s:][^:]*:\d+:\d+: ")
_HEAD_WITHIN = lazy_pattern(
    r"(?:\.{0,2}/)?(?:[\w.-]+/)*[\w-]+\.[A-Za-z]{1,4}:\d+:\d+: (?:fatal error|error|warning|note): "
)
# A line must contain one of these to start a diagnostic; most lines of a log do not.
_WORTH = lazy_pattern(
    r"[eE]rror|ERROR|[wW]arning|WARN|[nN]ote:|remark|required|undefined|definition|duplicate|cannot find|\*\*\*"
    r"|included from|[Ff]ailed|panicked|Traceback|Exception|directory|:\d+:\d+[: ]|\.[cm]?[jt]sx?:\d+$|^lua|unable to"
    r"|^[ew]: |message|info|hint|Failure|Throwable|: characters? \d|: lines \d+-\d+ :"
)
# Notes are matched to their tool by file, for at most this many parallel tools.
_MAX_OPEN = 4
# Beginnings of lines that continue a diagnostic; an empty line ends nothing.
_INDENTS = (" ", "\t", "\xa0", "^", "")
_JAVA_DETAIL = lazy_pattern(r"^\s+(?P<message>(?:symbol|location|required|found|reason) ?: .*)$")
_CARET = lazy_pattern(r"^\s*\^$")
_RELATED = lazy_pattern(r"^  (?P<file>\S[^:]*):(?P<line>\d+):(?P<column>\d+)(?: - .*)?$")
_CODE_FRAME = lazy_pattern(r"^\s*(?:\d+\s|[\^~-]+\s*$|\d*\s*\|)")
_TOTAL = lazy_pattern(r"^\d+ (?:error|warning)s?\b")
_RULE_AT_END = lazy_pattern(r" \[([a-z][\w-]*)\]$")


class _Open:
    """A diagnostic that may still get notes. `unit` is the file being compiled, as far as known; `is_alone`: no including files
    were printed.

    A plain one is complete in its first line: no column, code or reasons follow. `has_ended`: another line followed, and
    further indented lines are not its reasons.
    """

    __slots__ = (
        "code", "context", "has_ended", "head", "included", "is_alone", "is_plain", "message", "notes", "place", "unit",
    )  # fmt: skip

    def __init__(self, head: Diagnostic, context: tuple[SourcePlace, ...], included: tuple[SourcePlace, ...]) -> None:
        self.head, self.context, self.included = head, context, included
        self.place, self.code, self.message = head.place, head.code, head.message
        self.notes: list[Note] = []
        self.is_plain = has_all(head)
        self.has_ended = False
        # A compiler prints the include chain of a header once; later errors in it only have their instantiations.
        chain = included or context
        self.is_alone = not chain
        self.unit = chain[-1].file if chain else head.place.file

    def done(self) -> Diagnostic:
        if (
            not (self.notes or self.context or self.included)
            and self.place is self.head.place
            and self.code == self.head.code
        ):
            return self.head
        head = self.head
        notes = tuple(self.notes)
        return Diagnostic(
            self.place, head.severity, self.code, self.message, head.tool, notes, self.context, self.included
        )


class Reader:
    """Turns lines of build output into diagnostics, in the order in which they began."""

    def __init__(self, patterns: Sequence[DiagnosticPattern]) -> None:
        self._patterns = [(regex.compile(pattern.pattern), pattern.severity) for pattern in patterns]
        self._budget = Budget()
        self._folders = Folders()
        # Oldest first.
        self._open: list[_Open] = []
        self._block: MessageBlock | None = None
        self._gathering: Gathering | None = None
        self._done: list[Diagnostic] = []
        # Chains precede their line, which may turn out to be a note of the previous diagnostic.
        self._included: list[SourcePlace] = []
        self._required: list[SourcePlace] = []
        # The message of the last first line continues on the next lines.
        self._is_fresh = False
        self._related: SourcePlace | None = None
        self._file_alone = ""
        self._has_error = False
        self._failures: list[Diagnostic] = []

    def feed(self, line: str) -> Sequence[Diagnostic]:
        """Diagnostics that `line` completed."""
        self._feed(without_colours(line))
        return self._take_done() if self._done else ()

    def finish(self) -> Sequence[Diagnostic]:
        """Return the open diagnostics. If no error was reported, lines that report a failure count."""
        if self._gathering is not None:
            lines, self._gathering = self._gathering.lines, None
            self._read_each(lines)
        self._end_block()
        self._close(len(self._open))
        if not self._has_error:
            self._done += self._failures
        self._failures = []
        return self._take_done()

    @property
    def is_plain(self) -> bool:
        """Whether a line that begins with a space can be no more than a code frame."""
        if self.is_busy or self._patterns:
            return False
        return not self._open or self._open[-1].is_plain

    @property
    def is_busy(self) -> bool:
        """Return whether the next line belongs to a diagnostic over several lines."""
        return self._block is not None or self._gathering is not None

    @property
    def folder(self) -> str:
        """Return the tools' working directory, "" if unknown."""
        return self._folders.current

    def close(self) -> Sequence[Diagnostic]:
        """Return the diagnostics that could still get notes; the next line starts from a clean state."""
        if self._included or self._required:
            self._included, self._required = [], []
        if not self._open:
            return ()
        self._close(len(self._open))
        return self._take_done()

    def _take_done(self) -> Sequence[Diagnostic]:
        if not self._done:
            return ()
        done, self._done = self._done, []
        return done

    # -- one line

    def _feed(self, line: str) -> None:
        if self._gathering is not None:
            self._gather(line)
            return
        line, hint = unwrap(line)
        if self._block is not None:
            if self._block.take(line):
                return
            self._end_block()
        if line[:1] in ("{", "[") and (gathering := Gathering()).begins(line):
            self._gathering = gathering
            self._gather(line)
            return
        self._read(line, hint)

    def _read(self, line: str, hint: str) -> None:
        if not self._patterns and not hint and not is_worth(line):
            self._continue(line)
            return
        if line.count("r: ") + line.count("g: ") + line.count("e: ") > 1:  # of error, warning, note
            for part in _torn_apart(line):
                self._read_whole(part, hint)
        else:
            self._read_whole(line, hint)

    def _read_each(self, lines: Iterable[str]) -> None:
        for line in lines:
            self._read(line, "")

    def _read_whole(self, line: str, hint: str) -> None:
        if not self._patterns and (usual := read_usual(line, self._folders.current)):
            self._begin(usual)
            return
        if self._folders.feed(line):
            self._end_reasons()
            return
        if self._is_chain(line) or (self._open and self._take_detail(line)):
            return
        # A linker's message that names a symbol may be followed by who refers to it; else it is a line like others.
        may_go_on = "symbol: " in line
        started = None if may_go_on else self._start(line, hint)
        if started is None:
            self._block = begin_block(line, self._folders.current)
            if self._block is not None:
                self._close(len(self._open))
                return
            started = (self._start(line, hint) if may_go_on else None) or read_tool(line)
        if started is not None:
            self._begin(started)
        elif failure := read_failure(line, self._folders.current):
            self._failures.append(failure)
        else:
            self._continue(line)

    def _start(self, line: str, hint: str) -> Diagnostic | None:
        folder = self._folders.current
        for pattern, severity in self._patterns:
            try:
                found = self._budget.search(pattern, line)
            except RunsAway as error:
                # Leave the rest of the log to the other parsers, and report that in a message.
                self._patterns = []
                self._done.append(
                    Diagnostic(SourcePlace("", 0), "warning", "", f"{error.message}; it is left out", "profile")
                )
                break
            if found:
                return diagnostic_of(found.groupdict(), severity, "profile", folder)
        if "undefined" in line or "definition" in line or "duplicate" in line or "find" in line:
            linker = read_linker(line, folder)
            if linker is not None:
                return linker
        return read_head(line, hint, folder, self._file_alone)

    def _is_chain(self, line: str) -> bool:
        kind, place = read_include_chain(line)
        if place is None:
            return False
        folder = self._folder_for(place.file)
        (self._included if kind == "included" else self._required).append(
            replace(place, folder=folder) if folder else place
        )
        return True

    def _folder_for(self, file: str) -> str:
        return "" if file.startswith("/") else self._folders.current

    def _begin(self, started: Diagnostic) -> None:
        if started.severity == "note":
            self._attach(Note(started.place, started.message))
        else:
            opened = _Open(started, tuple(self._required), tuple(self._included))
            # A compiler finishes one diagnostic before it starts the next.
            many = max(0, len(self._open) - _MAX_OPEN + 1)
            for at, item in enumerate(self._open):
                if item.unit == opened.unit:
                    many = max(many, at + 1)
            self._close(many)
            self._open.append(opened)
            self._is_fresh = True
            if started.severity == "error":
                self._has_error = True
        self._related = None
        if self._included or self._required:
            self._included, self._required = [], []

    def _attach(self, note: Note) -> None:
        """Put a note to the diagnostic it belongs to: of several compilers that of its file, else the last one."""
        if macro_use(note) and self._open and self._open[-1].is_alone:
            # The file that uses a macro of a header whose including files were printed before.
            self._open[-1].notes.append(note)
            self._open[-1].unit = note.place.file
            before = [at for at, item in enumerate(self._open[:-1], 1) if item.unit == note.place.file]
            self._close(max(before, default=0))
            return
        for item in self._open[:-1]:
            if item.unit == note.place.file:
                item.notes.append(note)
                return
        if self._open:
            self._open[-1].notes.append(note)

    # -- continuation lines

    def _continue(self, line: str) -> None:
        """Process a line that starts no diagnostic: more of a message, a code frame, or a file's name on its own."""
        may_add = self._open and (line[:1] in _INDENTS or self._is_fresh)
        if may_add and (self._take_detail(line) or self._take_wrapped(line)):
            return
        if line and " " not in line and "." in line:
            self._file_alone = line
        if line[:1] not in _INDENTS and (not _CODE_FRAME.match(line) or _TOTAL.match(line)):
            self._end_reasons()
        self._is_fresh = False

    def _end_reasons(self) -> None:
        if self._open:
            self._open[-1].has_ended = True

    def _take_detail(self, line: str) -> bool:
        """Process indented details: javac's symbol and location, a type checker's reasons and related places."""
        if line[:1] not in _INDENTS or not line:
            return False
        last = self._open[-1]
        if last.place.line and not last.place.column and line.endswith("^") and _CARET.match(line):
            last.place = SourcePlace(last.place.file, last.place.line, len(line), last.place.folder)
            return True
        if found := _JAVA_DETAIL.match(line):
            last.notes.append(Note(last.place, found["message"]))
            return True
        if last.has_ended or (last.head.tool != "checker" and not last.code.startswith("TS")):
            return False
        if found := _RELATED.match(line):
            folder = self._folder_for(found["file"])
            self._related = SourcePlace(
                found["file"], place_number(found["line"]), place_number(found["column"]), folder
            )
            return " - " not in line
        if _CODE_FRAME.match(line):
            return True
        message, last.code = split_code(line.strip(" \t\xa0"), last.code)
        last.notes.append(Note(self._related or last.place, message))
        return True

    def _take_wrapped(self, line: str) -> bool:
        """A message that a checker broke over several lines at the window's width."""
        last = self._open[-1]
        if not self._is_fresh or last.code or last.place.file[-3:] not in (".py", "pyi") or line[:1] in (" ", "\t", ""):
            return False
        last.message, last.code = split_code(f"{last.message} {line.strip()}", "")
        if found := _RULE_AT_END.search(last.message):
            last.message, last.code = last.message[: found.start()].rstrip(), found[1]
        return True

    # -- ends

    def _close(self, many: int) -> None:
        if many:
            self._done += [item.done() for item in self._open[:many]]
            del self._open[:many]

    def _end_block(self) -> None:
        if self._block is not None:
            block, self._block = self._block, None
            read = block.close()
            if read is not None:
                self._has_error = self._has_error or read.severity == "error"
                self._done.append(read)

    def _gather(self, line: str) -> None:
        assert self._gathering is not None
        gathering = self._gathering
        try:
            data = gathering.feed(line)
            if data is None:
                return
            found = read_document(data)
            read = None if found is None else [item for item in found if item.severity != "note"]
        except (ValueError, KeyError, TypeError, AttributeError, IndexError):
            read = None  # it looked like a known document, but is none
        self._gathering = None
        if read is None:
            self._read_each(gathering.lines)
            return
        self._close(len(self._open))
        self._has_error = self._has_error or any(item.severity == "error" for item in read)
        self._done += read


def read_diagnostics(lines: Iterable[str], patterns: Sequence[DiagnosticPattern]) -> tuple[Diagnostic, ...]:
    """All diagnostics of a log, each once with how often it was reported, in order of first appearance."""
    reader = Reader(patterns)
    found: list[Diagnostic] = []
    for line in lines:
        # Code frames are most of a long log.
        if line[:1] == " " and reader.is_plain and not is_worth(line):
            continue
        found += reader.feed(line)
    found += reader.finish()
    return with_implied_errors(merge_repeats(each_alone(found)))


def read_include_chain(line: str) -> tuple[str, SourcePlace | None]:
    """Return a step of the chain to the next diagnostic: "included" or "required", and its place; None for other lines."""
    if found := _INCLUDED.match(line):
        return "included", SourcePlace(found["file"], place_number(found["line"]), 0)
    if "required" in line and (found := _REQUIRED.match(line)):
        return "required", SourcePlace(found["file"], place_number(found["line"]), place_number(found["column"]))
    return "", None


def is_worth(line: str) -> bool:
    """Return whether a diagnostic can start on this line. Most indented lines are code frames."""
    if line[:1] in (" ", "\t", ""):
        return " from" in line or 'File "' in line or " - " in line or line.lstrip(" ")[:1] == "["
    return _WORTH.search(line) is not None or line[:2] in ("\x1b[", '{"', "[{") or line in ("{", "[")


def is_chain(line: str) -> bool:
    """Return whether the line is part of the chain to the next diagnostic."""
    return bool(_INCLUDED.match(line) or _REQUIRED.match(line) or _SCOPE.match(line))


def has_all(head: Diagnostic) -> bool:
    """Return whether a first line is complete: no column, code or reasons follow it."""
    if not head.place.column or head.tool != "compiler" or head.code.startswith("TS"):
        return False
    return head.code != "" or head.place.file[-3:] not in (".py", "pyi")


def _torn_apart(line: str) -> tuple[str, ...]:
    first = _HEAD.match(line)
    second = _HEAD_WITHIN.search(line, first.end()) if first else None
    return (line[: second.start()], line[second.start() :]) if second else (line,)
