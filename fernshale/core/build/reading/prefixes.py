"""Text around a tool's own line: colours, prefixes of build tools, and working directories."""

from __future__ import annotations

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.diagnostics import place_number

_CONTROL = lazy_pattern(r"\x1b\[[0-9;?]*[A-Za-z]|\x1b\][^\x07\x1b]*(?:\x07|\x1b\\)|\x1b[()][A-Z0-9]|[\x00\x08]")
_ENTER = lazy_pattern(r"^(?:\S*make(?:\[(?P<level>\d+)\])?|ninja): Entering directory [`'‘](?P<folder>.*)['’]$")
_LEAVE = lazy_pattern(r"^\S*make(?:\[(?P<level>\d+)\])?: Leaving directory ")
# Prefixes before another tool's line. If the prefix has a severity, it is in a group.
_LEVEL = lazy_pattern(r"^\[(?P<level>ERROR|WARNING|WARN|error|warn)\] ?")
_PLAIN = lazy_pattern(
    r"^(?:\s+\[[a-z]+c\] "  # an XML build's task, `[javac]`
    r"|\d+>(?!>)\s?"  # a solution's project number
    r"|\[\d+/\d+\] "  # progress
    r"|(?:\[\d\d:\d\d:\d\d\]|\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d[.\d]*Z?) (?=\S)"  # a build server's clock
    r"|remote: |\| (?=\S))"
)
_LEVELS = {"ERROR": "error", "error": "error", "WARNING": "warning", "WARN": "warning", "warn": "warning"}


def without_colours(line: str) -> str:
    """`line` without terminal sequences and line end; of a line that was overwritten the last version."""
    if "\x1b" in line or "\x08" in line or "\x00" in line:
        line = _CONTROL.sub("", line)
    line = line.rstrip("\r\n")
    return line.rsplit("\r", 1)[1] if "\r" in line else line


def unwrap(line: str) -> tuple[str, str]:
    """The tool's own line, and the severity its wrapper gave it, "" where none did."""
    head = line[:1]
    if head == "[" and (found := _LEVEL.match(line)):
        return line[found.end() :], _LEVELS[found["level"]]
    if (head in " [|r" or head.isdigit()) and (found := _PLAIN.match(line)):
        return line[found.end() :], ""
    return line, ""


class Folders:
    """The working directories of tools, as make prints them when it enters and leaves a folder."""

    def __init__(self) -> None:
        self._stack: list[tuple[int, str]] = []

    def feed(self, line: str) -> bool:
        """Return whether the line changed the working directory."""
        if " directory " not in line:
            return False
        if found := _ENTER.match(line):
            level = place_number(found["level"])
            # The messages of parallel tools are mixed; each level has one folder at a time.
            self._stack = [item for item in self._stack if item[0] < level] + [(level, found["folder"])]
            return True
        if found := _LEAVE.match(line):
            level = place_number(found["level"])
            self._stack = [item for item in self._stack if item[0] < level]
            return True
        return False

    @property
    def current(self) -> str:
        return self._stack[-1][1] if self._stack else ""
