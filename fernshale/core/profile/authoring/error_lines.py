"""A pattern for error lines of a tool that is not known, made from one line that a person pointed at."""

from __future__ import annotations

import re
from collections.abc import Collection

from fernshale.core.base.lazy_pattern import lazy_pattern

_TOKEN = lazy_pattern(r"[\w./\\+-]*[\w/\\]\.\w+|[\w./\\+-]*/[\w.+-]+")
_NUMBER = lazy_pattern(r"\d+")
# Maximum distance from a file's name to its line number, characters.
_NEAR = 24


def pattern_of_line(line: str, files: Collection[str]) -> str | None:
    """A pattern with the groups `file`, `line` and `message`, None for a line that names no file of the project.

    What stands before the file, and between it and the line, is kept as it is; numbers in it are left open.
    """
    names = {path.rpartition("/")[2] for path in files}
    named = (found for found in _TOKEN.finditer(line) if found[0].replace("\\", "/").rpartition("/")[2] in names)
    file = next(named, None)
    if file is None:
        return None
    number = _NUMBER.search(line, file.end(), file.end() + _NEAR)
    before = _open(line[: file.start()])
    if number is None:
        # The message can come before the file; then all of the line is the message.
        behind = _open(re.match(r"[\s:,)\]-]*", line[file.end() :])[0])  # type: ignore[index]
        return rf"^{before}(?P<file>\S+?){behind}(?P<message>.+)$" if line[file.end() :].strip(" :") else None
    between, rest = line[file.end() : number.start()], line[number.end() :]
    column = re.match(r"([:,.])(\d+)", rest)
    at = rf"{re.escape(column[1])}(?P<column>\d+)" if column is not None else ""
    rest = rest[column.end() :] if column is not None else rest
    gap = re.match(r"[\s:,;)\]=>-]*", rest)
    assert gap is not None
    message = rest[gap.end() :]
    if not message.strip():
        # Everything is said before the file.
        return rf"^(?P<message>.*?){_open(_last_word_gap(line[: file.start()]))}(?P<file>\S+?){_open(between)}(?P<line>\d+)"
    return rf"^{before}(?P<file>\S+?){_open(between)}(?P<line>\d+){at}{_open(gap[0])}(?P<message>.+)$"


def _last_word_gap(before: str) -> str:
    """The text between the message and the file: the last words such as `at` or `in`, and the blanks around them."""
    found = re.search(r"(?:\s+(?:at|in|from|file))?[\s:(\[\"']*$", before)
    return found[0] if found is not None else ""


def _open(text: str) -> str:
    """A text as a pattern, with numbers and blanks left open."""
    parts = re.split(r"(\d+|\s+)", text)
    return "".join(r"\d+" if part.isdigit() else r"\s+" if part.isspace() else re.escape(part) for part in parts)
