"""Diagnostics over several lines: tracebacks, arrows under a message, call stacks, symbols with references.

A block starts with its first line, receives each following one, and ends at the first that does not belong to it.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from typing import Protocol

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.diagnostics import Diagnostic, Note, Severity, SourcePlace, place_number
from fernshale.core.build.reading.line_patterns import is_summary
from fernshale.core.build.reading.suggested_lines import SuggestionReader
from fernshale.core.build.reading.wrapper_failure import begin_wrapper_failure

NOWHERE = SourcePlace("", 0)


class MessageBlock(Protocol):
    """A diagnostic that is read over several lines."""

    def take(self, line: str) -> bool:
        """Whether the line belongs to the block."""

    def close(self) -> Diagnostic | None:
        """Return the result; None if it turned out to be no diagnostic."""


def begin_block(line: str, folder: str) -> MessageBlock | None:
    """The block that begins with this line."""
    for begin in _BEGINNINGS:
        block = begin(line, folder)
        if block is not None:
            return block
    return None


# -- a message, then an arrow to its place: `error[E0425]: …` and ` --> src/main.rs:9:5`

_ARROW_HEAD = lazy_pattern(r"^(?P<severity>error|warning)(?:\[(?P<code>[\w:-]+)\])?: (?P<message>.+)$")
_ARROW = lazy_pattern(r"^\s*(?:-->|┌─|╭▸|╭─\[|,-\[) ?(?P<file>[^\s].*?):(?P<line>\d+):(?P<column>\d+)\]?$")
_ELSEWHERE = lazy_pattern(r"^\s*::: (?P<file>\S.*?):(?P<line>\d+):(?P<column>\d+)$")
_EXPECTED = lazy_pattern(r"^ +[|│] .*\^+ (?P<why>expected .*)$")
# A message that leaves what it is about to the words in the code below it.
_UNSPECIFIC = "mismatched types"
_ADDED = lazy_pattern(r"^(?:\s+= )?(?P<kind>note|help)(?:: (?P<message>.*))?$")
_FRAME = lazy_pattern(r"^\s*\d*\s*(?:[|│]|\.\.\.$)|^\s*$|^\d+ [-+~] |^\s+|^\.\.\.$")


def _begin_arrow(line: str, folder: str) -> MessageBlock | None:
    found = _ARROW_HEAD.match(line)
    return None if found is None else _ArrowBlock(found, folder)


def with_reason(message: str, why: str) -> str:
    """The message of an error with the words at its place, where it says nothing without them."""
    return f"{message}: {why}" if message == _UNSPECIFIC and why.startswith("expected ") else message


class _ArrowBlock:
    def __init__(self, head: re.Match[str], folder: str) -> None:
        self._head, self._folder = head, folder
        self._place: SourcePlace | None = None
        self._notes: list[Note] = []
        self._suggested = SuggestionReader()
        # Whether the code that follows is of the file of the error: its source, or a suggestion for it.
        self._is_shown = True
        self._why = ""

    def take(self, line: str) -> bool:
        if found := _ARROW.match(line):
            self._put(_place(found, self._folder))
            return True
        if found := _ELSEWHERE.match(line):
            self._notes.append(Note(_place(found, self._folder), "see there"))
            self._is_shown = False
            return True
        if found := _ADDED.match(line):
            self._notes.append(Note(NOWHERE, found["message"] or ""))
            self._is_shown = found["kind"] == "help"
            if self._is_shown:
                self._suggested.begin_help(found["message"] or "")
            return True
        if _FRAME.match(line) is None:
            return False
        if self._is_shown:
            self._suggested.take(line)
        if not self._notes and not self._why and (found := _EXPECTED.match(line)):
            self._why = found["why"]
        return True

    def _put(self, place: SourcePlace) -> None:
        self._is_shown = self._is_shown and (self._place is None or self._place.file == place.file)
        if self._place is None and not self._notes:
            self._place = place
        elif self._notes and self._notes[-1].place is NOWHERE:
            self._notes[-1] = replace(self._notes[-1], place=place)
        else:
            self._notes.append(Note(place, "see there"))

    def close(self) -> Diagnostic | None:
        message = with_reason(self._head["message"], self._why)
        if self._place is None and is_summary(message):
            return None
        severity: Severity = "error" if self._head["severity"] == "error" else "warning"
        place = self._place or NOWHERE
        return Diagnostic(
            place, severity, self._head["code"] or "", message, "compiler", tuple(self._notes),
            suggestions=self._suggested.suggestions(place),
        )  # fmt: skip


# -- Python: frames from the outermost to the innermost, then the exception

_PY_HEAD = "Traceback (most recent call last):"
_PY_FRAME = lazy_pattern(r'^\s+(?:\| )?File "(?P<file>[^"]+)", line (?P<line>\d+)(?:, in (?P<name>.+))?$')
_PY_ERROR = lazy_pattern(r"^(?P<code>[A-Za-z_][\w.]*)(?:: (?P<message>.*))?$")
# Exceptions that name a missing or changed symbol.
_PY_GONE = lazy_pattern(r"(?:\w+\.)*(?:ModuleNotFound|Import|Attribute|Name|Type)Error\Z")
_PY_CHAIN = ("The above exception was the direct cause", "During handling of the above exception")


def _begin_python(line: str, folder: str) -> MessageBlock | None:
    if line.endswith(_PY_HEAD):
        return _PythonBlock(folder)
    found = _PY_FRAME.match(line)
    return None if found is None or found["name"] else _PythonBlock(folder, found)


class _PythonBlock:
    """A traceback; chained ones become notes."""

    def __init__(self, folder: str, first: re.Match[str] | None = None) -> None:
        self._folder = folder
        self._frames: list[SourcePlace] = [_place(first, folder)] if first else []
        self._error: re.Match[str] | None = None
        # The exceptions before the last, with their frames, and whether each was the direct cause of the next.
        self._earlier: list[tuple[re.Match[str], list[SourcePlace], bool]] = []
        self._chained = ""

    def take(self, line: str) -> bool:
        if self._error is not None:
            return self._after(line)
        if found := _PY_FRAME.match(line):
            self._frames.append(_place(found, self._folder))
            return True
        if line.startswith((" ", "\t")) or not line:
            return True
        self._error = _PY_ERROR.match(line)
        return self._error is not None

    def _after(self, line: str) -> bool:
        if not line:
            return True
        if line.startswith(_PY_CHAIN):
            self._chained = line
            return True
        if self._chained and line == _PY_HEAD and self._error is not None:
            self._earlier.append((self._error, self._frames, self._chained.startswith(_PY_CHAIN[0])))
            self._frames, self._error, self._chained = [], None, ""
            return True
        return False

    def close(self) -> Diagnostic | None:
        if self._error is None or not self._frames:
            return None
        raised = [*self._earlier, (self._error, self._frames, False)]
        main = next((at for at, item in enumerate(raised) if _is_root(item, raised[-1])), len(raised) - 1)
        error, frames, _ = raised[main]
        *context, place = frames
        message = error[0] if error["message"] else error["code"]
        notes = tuple(
            Note(others[-1] if others else NOWHERE, said[0]) for said, others, _ in raised if said is not error
        )
        code = error["code"].rsplit(".", 1)[-1]
        return Diagnostic(place, "error", code, message, "interpreter", notes, tuple(reversed(context)))


def _is_root(
    item: tuple[re.Match[str], list[SourcePlace], bool], last: tuple[re.Match[str], list[SourcePlace], bool]
) -> bool:
    """Whether an exception is the root of the last one: it names a missing symbol, and the last one names none."""
    error, frames, is_cause = item
    said = bool(_PY_GONE.match(error["code"]))
    return bool(frames) and said and (is_cause or not _PY_GONE.match(last[0]["code"]))


# -- CMake: a place, the text indented, the call stack

_CM_HEAD = lazy_pattern(
    r"^CMake (?P<kind>(?:Internal )?Error|Warning|Deprecation Warning|Deprecation Error|Author Warning)(?: \([a-z]+\))?"
    r"(?:(?: at| in) (?P<file>.+?)(?::(?P<line>\d+))?(?: \([^()]*\))?)?:(?P<message> .*)?$"
)
_CM_CALL = lazy_pattern(r"^  (?P<file>\S.*?):(?P<line>\d+) \([^()]*\)$")


def _begin_cmake(line: str, folder: str) -> MessageBlock | None:
    found = _CM_HEAD.match(line)
    return None if found is None else _CMakeBlock(found, folder)


class _CMakeBlock:
    def __init__(self, head: re.Match[str], folder: str) -> None:
        self._head, self._folder = head, folder
        self._paragraph = [head["message"].strip()] if (head["message"] or "").strip() else []
        self._has_ended = False
        self._context: list[SourcePlace] = []
        self._in_stack = False

    def take(self, line: str) -> bool:
        if line.startswith("Call Stack (most recent call first)"):
            self._in_stack = True
            return True
        if not line.strip():
            self._has_ended = self._has_ended or bool(self._paragraph)
            return True
        if not line.startswith(" "):
            return False
        if self._in_stack:
            if found := _CM_CALL.match(line):
                self._context.append(_place(found, self._folder))
        elif not self._has_ended:
            self._paragraph.append(line.strip())  # the first paragraph is the error, the others are advice
        return True

    def close(self) -> Diagnostic | None:
        severity: Severity = "error" if self._head["kind"].endswith("Error") else "warning"
        place = _place(self._head, "") if self._head["file"] else NOWHERE
        return Diagnostic(place, severity, "", " ".join(self._paragraph), "cmake", (), tuple(self._context))


# -- linkers that name a symbol first and then who refers to it or defines it

_SYMBOL_HEAD = lazy_pattern(
    r"^(?:\S*ld(?:[\w.-]*)?|mold): (?P<severity>error|warning): "
    r"(?P<message>(?:undefined|duplicate)(?: [a-z]+)* symbol: .*)$"
)
_REFERENCE = lazy_pattern(
    r"^>>> (?:referenced by|defined at|defined in) (?P<file>[^\s:]+)(?::(?P<line>\d+))?(?: \((?P<full>[^()]+):\d+\))?"
)


def _begin_symbol(line: str, folder: str) -> MessageBlock | None:
    found = _SYMBOL_HEAD.match(line)
    return None if found is None else _SymbolBlock(found, folder)


class _SymbolBlock:
    def __init__(self, head: re.Match[str], folder: str) -> None:
        self._head, self._folder = head, folder
        self._places: list[SourcePlace] = []

    def take(self, line: str) -> bool:
        if not line.startswith(">>>"):
            return False
        if found := _REFERENCE.match(line):
            file = found["full"] or found["file"]
            self._places.append(SourcePlace(file, place_number(found["line"]), 0, self._folder))
        return True

    def close(self) -> Diagnostic | None:
        message = self._head["message"]
        # Of a symbol that is defined twice the second one is too many.
        places = self._places[::-1] if message.startswith("duplicate") else self._places
        notes = tuple(Note(place, "referenced or defined here") for place in places[1:])
        severity: Severity = "error" if self._head["severity"] == "error" else "warning"
        return Diagnostic(places[0] if places else NOWHERE, severity, "", message, "linker", notes)


# -- linkers that list undefined symbols, each with the functions and objects that refer to it

_LISTED_SYMBOL = lazy_pattern(r"^\s+\"(?P<symbol>[^\"]+)\", referenced from:$")
_REFERRER = lazy_pattern(r"^\s{4,}(?P<function>\S.*) in (?P<file>\S+)$")


def _begin_listed_symbol(line: str, folder: str) -> MessageBlock | None:
    found = _LISTED_SYMBOL.match(line)
    return None if found is None else _ListedSymbolBlock(found["symbol"], folder)


class _ListedSymbolBlock:
    def __init__(self, symbol: str, folder: str) -> None:
        # A name without parameters is that of C, which has an underscore before it in objects.
        self._symbol = symbol if "(" in symbol else symbol.removeprefix("_")
        self._folder = folder
        self._notes: list[Note] = []

    def take(self, line: str) -> bool:
        found = _REFERRER.match(line)
        if found is not None:
            self._notes.append(Note(SourcePlace(found["file"], 0, 0, self._folder), f"in {found['function']}"))
        return found is not None

    def close(self) -> Diagnostic | None:
        place = self._notes[0].place if self._notes else NOWHERE
        return Diagnostic(place, "error", "", f"undefined symbol: {self._symbol}", "linker", tuple(self._notes))


# -- a program that reports where it stopped, with the reason on the next line

_PANIC = lazy_pattern(
    r"^thread '[^']*'(?: \(\d+\))? panicked at (?:'(?P<message>.*)', )?(?P<file>[^\s:]+):(?P<line>\d+):(?P<column>\d+):?$"
)


def _begin_panic(line: str, folder: str) -> MessageBlock | None:
    found = _PANIC.match(line)
    return None if found is None else _PanicBlock(found, folder)


class _PanicBlock:
    def __init__(self, head: re.Match[str], folder: str) -> None:
        self._place, self._message = _place(head, folder), head["message"] or ""

    def take(self, line: str) -> bool:
        if self._message or not line.strip():
            return False
        self._message = line.strip()
        return True

    def close(self) -> Diagnostic | None:
        return Diagnostic(self._place, "error", "panic", self._message or "panicked", "interpreter")


# -- an exception, then `at` frames, innermost first: JavaScript, the JVM, .NET

_THROWN = lazy_pattern(
    r"^(?:Uncaught |Unhandled exception[.:] |Exception in thread \"[^\"]*\" |Error: Uncaught )*"
    r"(?P<code>(?:[a-z_][\w$]*\.|[A-Z]\w*\.)*[A-Z][\w$]*(?:Error|Exception|Throwable|Failure))(?: \[\w+\])?(?:: (?P<message>.*))?$"
)
_CAUSED = lazy_pattern(r"^(?:Caused by: |   ---> )(?P<said>\S.*)$")
_AT = (
    lazy_pattern(r"^\s+at .* in (?P<file>.+):line (?P<line>\d+)$"),
    lazy_pattern(r"^\s+at (?:.*\()?(?:file://)?(?P<file>[^()]+?):(?P<line>\d+)(?::(?P<column>\d+))?\)?$"),
)
_INTERNAL = ("node:", "internal/", "<anonymous>")
_SCRIPT_PLACE = lazy_pattern(r"^(?:file://)?(?P<file>(?:[A-Za-z]:)?[^\s:]*\.(?:[cm]?[jt]sx?)):(?P<line>\d+)$")


def _begin_trace(line: str, folder: str) -> MessageBlock | None:
    if found := _SCRIPT_PLACE.match(line):
        return _TraceBlock(None, _place(found, folder), folder)
    found = _THROWN.match(line)
    return None if found is None else _TraceBlock(found, None, folder)


class _TraceBlock:
    """An exception with its frames; without a frame or a place before it, it was only a line that looked like one."""

    def __init__(self, head: re.Match[str] | None, place: SourcePlace | None, folder: str) -> None:
        self._head, self._shown, self._folder = head, place, folder
        self._frames: list[SourcePlace] = []
        self._causes: list[Note] = []
        self._lines = 0

    def take(self, line: str) -> bool:
        self._lines += 1
        if self._head is None:
            self._head = _THROWN.match(line)
            # The line of source, a caret, an empty line: then the exception, or it is none.
            return self._head is not None or self._lines <= 4
        for pattern in _AT:
            if found := pattern.match(line):
                self._take_frame(found)
                return True
        if found := _CAUSED.match(line):
            self._causes.append(Note(NOWHERE, found["said"]))
            return True
        if line.startswith(("\tat ", "    at ", "   at ", "\t... ", "   --- End of")):
            return True
        # A message may have more lines before its first frame.
        return not self._frames and self._lines <= 4 and bool(line.strip()) and line[0] in " \t"

    def _take_frame(self, found: re.Match[str]) -> None:
        if found["file"].startswith(_INTERNAL):
            return
        place = _place(found, self._folder)
        if self._causes:
            if self._causes[-1].place is NOWHERE:
                self._causes[-1] = replace(self._causes[-1], place=place)
        else:
            self._frames.append(place)

    def close(self) -> Diagnostic | None:
        if self._head is None or not (self._frames or self._shown):
            return None
        code = self._head["code"].rsplit(".", 1)[-1]
        message = f"{code}: {self._head['message']}" if self._head["message"] else code
        # Of code that cannot be parsed the frames are all the interpreter's own; the place shown before it counts.
        shown = self._shown if self._shown and (code == "SyntaxError" or not self._frames) else None
        place, context = (shown, self._frames) if shown else (self._frames[0], self._frames[1:])
        return Diagnostic(place, "error", code, message, "interpreter", tuple(self._causes), tuple(context))


def _place(found: re.Match[str], folder: str) -> SourcePlace:
    groups = found.groupdict()
    file = groups["file"] or ""
    column = place_number(groups.get("column"))
    return SourcePlace(file, place_number(groups.get("line")), column, folder if file and file[0] not in "/<" else "")


_BEGINNINGS: tuple[Callable[[str, str], MessageBlock | None], ...] = (
    _begin_arrow,
    _begin_python,
    _begin_cmake,
    _begin_symbol,
    _begin_listed_symbol,
    _begin_panic,
    _begin_trace,
    begin_wrapper_failure,
)
