"""The last words of a build wrapper, which say what went wrong when no compiler did:

FAILURE: Build failed with an exception.
* Where:
Build file '/p/build.x' line: 12
* What went wrong:
Could not resolve all files for configuration ':compileClasspath'.
> Could not find org.kiln:kiln-api:5.0.
"""

from __future__ import annotations

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.diagnostics import Diagnostic, SourcePlace, place_number

_HEAD = lazy_pattern(r"^FAILURE: Build (?:failed|completed) with (?:an exception|\d+ failures?)\.$")
_TITLE = lazy_pattern(r"^\* (?P<title>[\w ]+):$")
_WHERE = lazy_pattern(
    r"^(?:Build|Settings|Script|Initialization script)(?: file)? '(?P<file>[^']+)' line: (?P<line>\d+)$"
)
# What only refers to the errors that the compiler printed before.
_REFERS = lazy_pattern(
    r"see the compiler error output|Compilation (?:error|failed)|There were failing tests|Process '.*' finished with non-zero"
)


def begin_wrapper_failure(line: str, folder: str) -> WrapperFailure | None:
    """The block that begins with this line."""
    return WrapperFailure(folder) if _HEAD.match(line) else None


class WrapperFailure:
    """A block with titles; the reason is the last line of what went wrong, since each line gives the reason of the one above."""

    def __init__(self, folder: str) -> None:
        self._folder = folder
        self._title = ""
        self._place = SourcePlace("", 0)
        self._said: list[str] = []

    def take(self, line: str) -> bool:
        if found := _TITLE.match(line):
            self._title = found["title"]
            return self._title != "Try"
        if self._title == "Where" and (found := _WHERE.match(line)):
            self._place = SourcePlace(found["file"], place_number(found["line"]), 0, "")
        elif self._title == "What went wrong" and line.strip() and not (self._said and line.startswith("  ")):
            self._said.append(line.strip().lstrip("> "))
        return not line.startswith("BUILD FAILED")

    def close(self) -> Diagnostic | None:
        if not self._said or any(_REFERS.search(line) for line in self._said):
            return None
        return Diagnostic(self._place, "error", "", self._said[-1], "build wrapper")
