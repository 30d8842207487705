"""Values in files of lines: INI sections, and `key=value` properties."""

from __future__ import annotations

import re
from collections.abc import Iterator

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.survey.value_access.found_value import FoundValue

_INI_SECTION = lazy_pattern(r"^\s*\[([^\]]*)\]")
_INI_VALUE = lazy_pattern(r"^\s*([^=:#;\s][^=:]*?)\s*[=:][ \t]*(.*?)[ \t]*(?:[ \t][;#].*)?$")
_PROPERTY = lazy_pattern(r"^\s*((?:[^=:#!\s\\]|\\.)(?:[^=:\s\\]|\\.)*)(?:\s*[=:]\s*|\s+)(.*?)\s*$")


def find_ini(text: str, key: str) -> Iterator[FoundValue]:
    """Values of `section.key`, or of a `key` before any section."""
    return (value for section, name, value in ini_values(text) if key == (f"{section}.{name}" if section else name))


def ini_values(text: str) -> Iterator[tuple[str, str, FoundValue]]:
    """Each value with its section ("" before any) and its key."""
    section, offset = "", 0
    for line in text.splitlines(keepends=True):
        if header := _INI_SECTION.match(line):
            section = header[1].strip()
        elif found := _INI_VALUE.match(line):
            yield section, found[1], FoundValue(found[2], offset + found.start(2), offset + found.end(2))
        offset += len(line)


def find_property(text: str, key: str) -> Iterator[FoundValue]:
    """Values of `key` in a properties file."""
    return (value for name, value in properties(text) if name == key)


def properties(text: str) -> Iterator[tuple[str, FoundValue]]:
    """Each value of a properties file with its key; a backslash at the end continues a line."""
    offset, goes_on = 0, False
    for line in text.splitlines(keepends=True):
        found = None if goes_on else _PROPERTY.match(line)
        if found:
            key = re.sub(r"\\(.)", r"\1", found[1])
            yield key, FoundValue(found[2], offset + found.start(2), offset + found.end(2))
        is_comment = line.lstrip().startswith(("#", "!"))
        goes_on = not is_comment and len(line.rstrip("\r\n")) - len(line.rstrip("\r\n").rstrip("\\")) & 1 == 1
        offset += len(line)
