"""The first lines of diagnostics, one row each.

Each shape is a regular expression with some of the groups `file`, `line`, `column`, `severity`, `code`, `message`. The first
match applies. A shape without a severity uses that of the wrapper or of its row.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.diagnostics import Diagnostic, Severity, SourcePlace, place_number

# A file's name: no colon but a drive's, and not a clock (12:30:45: error).
_FILE = r"(?P<file>(?!\d+:)(?:[A-Za-z]:(?=[\\/]))?[^\s:()|>][^:|>]*?)"
_WORD = (
    r"(?P<severity>fatal error|internal compiler error|sorry, unimplemented"
    r"|(?i:error|warning|note|info|remark|message|hint|help))"
)


@dataclass(frozen=True, slots=True)
class Shape:
    """A kind of line. `severity` is for lines without one; `hinted` lines need a wrapper that states it."""

    tool: str
    pattern: re.Pattern[str]
    severity: Severity | None = None
    hinted: bool = False


def _shape(tool: str, pattern: str, severity: Severity | None = None, hinted: bool = False) -> Shape:
    return Shape(tool, re.compile(pattern), severity, hinted)


SHAPES: tuple[Shape, ...] = (
    # a.cpp:3:5: error: …   a.py:3: error: …   a.rs:7:22: error[E0609]: …   a.y:3.5-8: error: …   a.py:4:12:4:20: error: …
    _shape(
        "compiler",
        rf"^{_FILE}:(?P<line>\d+)(?:[:.](?P<column>\d+))?(?:[:-]\d+(?:[:.]\d+)?)?: {_WORD}"
        r"(?:\[(?P<code>[A-Z]+\d+)\])?: ?(?P<message>.*)$",
    ),
    # a.ts:3:5 - error TS2307: …   /p/a.py:4:12 - error: … (reportReturnType)
    _shape(
        "checker",
        rf"^ *{_FILE}:(?P<line>\d+):(?P<column>\d+) - {_WORD}(?: (?P<code>[A-Z]+\d+))?: (?P<message>.*)$",
    ),
    # a.hx:12: characters 8-20 : …   a.hx:14: lines 14-16 : Warning : …
    _shape(
        "compiler",
        rf"^{_FILE}:(?P<line>\d+): (?:characters? (?P<column>\d+)(?:-\d+)?|lines \d+-\d+) : "
        r"(?:(?P<severity>Warning) : )?(?P<message>.*)$",
        "error",
    ),
    # a.cs(12,5): error CS0117: … [a.csproj]   a.cpp(12): error C2065: …   a.hlsl(3,5-9): error X3004: …
    _shape(
        "compiler",
        r"^(?P<file>[^\s(:][^(]*?)\((?P<line>\d+)(?:,(?P<column>\d+))?(?:[-,]\d+)*\) ?: {1,2}"
        rf"(?:[a-z]+ (?=error|warning))?{_WORD}(?: (?P<code>[A-Za-z]+\d+))?: (?P<message>.*)$",
    ),
    # main.obj : error LNK2019: …   MSBUILD : error MSB1009: …
    _shape(
        "linker",
        rf"^(?P<file>[^\s:(][^:(]*?) : {_WORD} (?P<code>[A-Z]+\d+): (?P<message>.*)$",
    ),
    # [ERROR] /p/Foo.java:[3,5] cannot find symbol     [ERROR] /p/K.kt: (3, 5) …
    _shape(
        "compiler",
        r"^(?P<file>\S.*?): ?[\[(](?P<line>\d+),\s?(?P<column>\d+)[\])]:? (?:error: )?(?P<message>.*)$",
        hinted=True,
    ),
    # [error] /p/Foo.scala:3:5: …
    _shape("compiler", rf"^{_FILE}:(?P<line>\d+)(?::(?P<column>\d+))?: (?P<message>.*)$", hinted=True),
    # e: file:///p/a.kt:3:5 …     w: /p/a.kt: (3, 5): …
    _shape(
        "compiler",
        r"^(?P<severity>[ew]): (?:file://)?(?P<file>[^\s:].*?):(?P<line>\d+):(?P<column>\d+):? (?P<message>.*)$",
    ),
    _shape("compiler", r"^(?P<severity>[ew]): (?P<file>\S.*?): \((?P<line>\d+), (?P<column>\d+)\): (?P<message>.*)$"),
    # ERROR: 0:12: 'x' : undeclared identifier     ERROR: sky.frag:12: …     0:12(5): error: …
    _shape(
        "shader checker",
        rf"^{_WORD}: (?P<file>[^\s:][^:]*):(?P<line>\d+)(?::(?P<column>\d+))?: (?P<message>.*)$",
    ),
    _shape("shader checker", rf"^(?P<file>\d+):(?P<line>\d+)\((?P<column>\d+)\): {_WORD}: (?P<message>.*)$"),
    # Makefile:3: *** missing separator.  Stop.     make: *** No rule to make target …
    _shape("make", rf"^{_FILE}:(?P<line>\d+): \*\*\* (?P<message>.*?)(?:  Stop\.)?$", "error"),
    _shape("make", r"^\S*make(?:\[\d+\])?: \*\*\* (?!\[)(?!wait)(?!Waiting)(?P<message>.*?)(?:  Stop\.)?$", "error"),
    # bad.ninja:1: …, from ninja
    _shape("ninja", rf"^ninja: error: {_FILE}:(?P<line>\d+): (?P<message>.*)$", "error"),
    # a.py: error: …
    _shape(
        "compiler", rf"^(?P<file>[^\s:][^:]*\.\w+)(?<!\.lld)(?<!\.gold)(?<!\.bfd)(?<!\.exe): {_WORD}: (?P<message>.*)$"
    ),
    # a.py:3:5: F401 …
    _shape(
        "checker",
        rf"^{_FILE}:(?P<line>\d+):(?P<column>\d+):? (?P<code>(?P<severity>[A-Z])[A-Z]{{0,5}}\d{{2,5}}):? (?P<message>.*)$",
    ),
    # a.lua:3: …, from interpreters; ./a.go:3:5: …
    _shape("interpreter", r"^(?:\S*/)?lua[\w.]*: (?P<file>[^\s:]+):(?P<line>\d+): (?P<message>.*)$", "error"),
    _shape("compiler", r"^(?P<file>[^\s:]+\.go):(?P<line>\d+):(?P<column>\d+): (?P<message>.*)$", "error"),
)

_USUAL = lazy_pattern(r"^((?!\d+:)[^\s:()|>][^:|>()]*):(\d+):(\d+): (fatal error|error|warning|note): (?!\[)(.*)$")
_LINKER = lazy_pattern(
    r"^(?:\S*?\bld(?:\.\w+)?: |mold: )?(?:error: )?(?:(?P<file>[^\s:(<][^:]*):(?:(?P<line>\d+):|\([^)]*\):)? ?)?"
    r"(?:(?:<\w+>:)?\([^)]*\): )?"
    r"(?:error: )?(?P<message>(?:undefined reference to|undefined symbol:|multiple definition of|duplicate symbol:"
    r"|undefined hidden symbol:|unable to find library|cannot find (?=-l|\S+: No such)).*)$"
)
# g++: fatal error: no input files     ld.lld: error: …     ninja: error: 'z', needed by 'q', missing …
_TOOL = lazy_pattern(
    r"^(?P<tool>(?:\S*/)?[A-Za-z][\w.+-]*): (?P<severity>fatal error|error|warning|ERROR): (?P<message>.+)$"
)
# A message that only refers to an earlier failure. It counts if there is no other.
_SUMMARY = lazy_pattern(
    r"ld returned \d+ exit status|linker command failed|aborting due to|could not compile|being treated as errors"
    r"|Failed to execute goal|COMPILATION ERROR|build stopped|generated \d+ warning|\d+ warnings? emitted|cannot make progress"
)
_FAILED_RECIPE = lazy_pattern(
    r"^\S*make(?:\[\d+\])?: \*\*\* \[(?:(?P<file>[^\s:]+):(?P<line>\d+): )?(?P<message>.*)\] .*$"
)
_FLAG = lazy_pattern(r" \[(-W[\w=+,-]+)\]$")  # -Wunused, -Werror=unused
_RULE = lazy_pattern(
    r"(?:  \[([a-z][\w-]*)\]| \(((?:report\w+|[a-z]+(?:-[a-z]+)+))\))$"
)  # attr-defined, (reportCallIssue)
_PROJECT = lazy_pattern(r" \[[^\[\]]+\.\w*proj(?:::[^\]]*)?\]$")
_SEVERITIES: dict[str, Severity] = {
    **dict.fromkeys(("fatal error", "internal compiler error", "sorry, unimplemented", "error", "e", "f"), "error"),
    **dict.fromkeys(("warning", "w", "c", "r"), "warning"),
}
# Letters of a linter's codes; those not named here are warnings.
_LETTERS = "EF"


def read_usual(line: str, folder: str) -> Diagnostic | None:
    """A line of the shape that most compilers print: `file:line:column: error: message`."""
    found = _USUAL.match(line)
    if found is None:
        return None
    file, number, column, word, message = found.groups()
    code = ""
    if message[-1:] in ("]", ")"):
        message, code = split_code(message, code)
    place = SourcePlace(
        file, place_number(number), place_number(column), folder if folder and file[0] not in "/<" else ""
    )
    return Diagnostic(place, _SEVERITIES.get(word, "note"), code, message.strip(), "compiler")


def read_head(line: str, hint: str, folder: str, file_alone: str) -> Diagnostic | None:
    """The diagnostic that begins with this line.

    `hint` is a wrapper's severity, `folder` where the tool works. A tool that numbers the texts it reads printed the
    file's name in a line before, `file_alone`.
    """
    for shape in SHAPES:
        if shape.hinted and not hint:
            continue
        found = shape.pattern.match(line)
        if found is not None:
            groups = found.groupdict()
            said = groups.get("severity") or ""
            severity = _severity(said) if said else shape.severity or _severity(hint)
            if shape.tool == "checker" and len(said) == 1:
                severity = "error" if said in _LETTERS else "warning"
            if file_alone and (groups.get("file") or "").isdigit():
                groups["file"] = file_alone
            return diagnostic_of(groups, severity, shape.tool, folder)
    return None


def read_linker(line: str, folder: str) -> Diagnostic | None:
    """Parse a linker's message about symbols and libraries."""
    if found := _LINKER.match(line):
        return diagnostic_of(found.groupdict(), "error", "linker", folder)
    return None


def read_tool(line: str) -> Diagnostic | None:
    """Parse a tool's message without a place; None for a summary line."""
    found = _TOOL.match(line)
    if found is None or is_summary(line):
        return None
    tool = "linker" if re.search(r"\b(ld|mold|collect2)\b", found["tool"]) else found["tool"].rsplit("/", 1)[-1]
    return diagnostic_of(found.groupdict(), _severity(found["severity"]), tool, "")


def read_failure(line: str, folder: str) -> Diagnostic | None:
    """Parse a line that only reports a failure."""
    if found := _FAILED_RECIPE.match(line):
        groups = {**found.groupdict(), "message": line.split("*** ", 1)[1]}
        return diagnostic_of(groups, "error", "make", folder)
    if is_summary(line) and "warning" not in line:
        return diagnostic_of({"message": line}, "error", "build tool", folder)
    return None


def is_summary(line: str) -> bool:
    return _SUMMARY.search(line) is not None


def diagnostic_of(groups: Mapping[str, str | None], severity: Severity, tool: str, folder: str) -> Diagnostic:
    """Build a diagnostic from named groups; a code at the end of the message is split off."""
    message = (groups.get("message") or "").strip()
    code = groups.get("code") or ""
    if message.endswith("proj]"):
        message = _PROJECT.sub("", message)
    if message[-1:] in ("]", ")"):
        message, code = split_code(message, code)
    file = groups.get("file") or ""
    if file.startswith("file://"):
        file = file.removeprefix("file://")
    number = groups.get("line")
    place = SourcePlace(
        file, place_number(number), place_number(groups.get("column")), folder if file and file[0] not in "/<" else ""
    )
    return Diagnostic(place, severity, code, message, tool)


def split_code(message: str, code: str) -> tuple[str, str]:
    """Split message and code if the code is in brackets at the message's end."""
    if found := _FLAG.search(message):
        return message[: found.start()], code or found[1]
    if not code and (found := _RULE.search(message)):
        return message[: found.start()].rstrip(), found[1] or found[2]
    return message, code


def _severity(word: str) -> Severity:
    return _SEVERITIES.get(word.lower(), "note")
