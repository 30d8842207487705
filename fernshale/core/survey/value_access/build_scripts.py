"""Values in build scripts: assignments and calls in nested braces, and commands with arguments.

Scripts are neither run nor fully parsed: comments, strings and blocks are recognised, the rest is skipped.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.survey.value_access.found_value import FoundValue

_SCRIPT = lazy_pattern(
    r"""
      (?P<comment>//[^\n]*|/\*.*?\*/|\#![^\n]*)
    | (?P<string>\"\"\"(?P<s1>.*?)\"\"\"|\'\'\'(?P<s2>.*?)\'\'\'
        |"(?P<s3>[^"\\\n]*+(?:\\.[^"\\\n]*+)*+)"|'(?P<s4>[^'\\\n]*+(?:\\.[^'\\\n]*+)*+)')
    | (?P<name>[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*)
    | (?P<number>\d+(?:\.\d+)*)
    | (?P<open>\{) | (?P<close>\}) | (?P<sign>[=:(\[,]) | (?P<line>\n|;) | (?P<other>\S)
    """,
    re.VERBOSE | re.DOTALL,
)
_CMAKE = lazy_pattern(
    r"""
      (?P<comment>\#\[(?P<c>=*)\[.*?\](?P=c)\]|\#[^\n]*)
    | (?P<quoted>"(?P<q>[^"\\]*+(?:\\.[^"\\]*+)*+)")
    | (?P<bracket>\[(?P<b>=*)\[(?P<t>.*?)\](?P=b)\])
    | (?P<open>\() | (?P<close>\))
    | (?P<bare>(?:[^\s()\#"\\]++|\\.)++)
    """,
    re.VERBOSE | re.DOTALL,
)


def find_assignment(text: str, key: str) -> Iterator[FoundValue]:
    """Literals assigned to, or handed to, `key`: the names of the blocks around it and its own, with dots between.

    `ext.release` fits `ext { release = '1' }`, `ext.release = "1"` and `ext { release("1") }`.
    """
    return (item.value for item in assignments(text) if item.key == key)


@dataclass(frozen=True, slots=True)
class Assignment:
    """A literal, the key it is assigned or handed to, and the literals before it in the same statement."""

    key: str
    value: FoundValue
    before: tuple[str, ...]


def assignments(text: str) -> Iterator[Assignment]:
    """Every literal of a build script."""
    blocks: list[str] = []
    statement: list[str] = []  # names since the statement began; the first names a block, the last gets a value
    before: list[str] = []
    for found in _SCRIPT.finditer(text):
        match found.lastgroup:
            case "open":
                blocks.append(statement[0] if statement else "")
                statement, before = [], []
            case "close":
                blocks = blocks[:-1]
                statement, before = [], []
            case "line":
                statement, before = [], []
            case "name":
                statement.append(found["name"])
            case "string" | "number" | "s1" | "s2" | "s3" | "s4":
                value = _literal(found)
                if statement:
                    key = ".".join([*(block for block in blocks if block), statement[-1]])
                    yield Assignment(key, value, tuple(before))
                before.append(value.text)
                if len(statement) > 1:
                    statement.pop()


def _literal(found: re.Match[str]) -> FoundValue:
    for group in ("s1", "s2", "s3", "s4", "number"):
        if found[group] is not None:
            return FoundValue(found[group], *found.span(group))
    raise AssertionError("a literal has a group")


def find_argument(text: str, key: str) -> Iterator[FoundValue]:
    """Find the argument after a word of a command: `set NAME` finds the value in `set(NAME "3.0" CACHE STRING "")`.

    Names of commands are case-insensitive, as in CMake.
    """
    wanted, _, word = key.partition(" ")
    return (value for command, before, value in cmake_arguments(text) if command == wanted.lower() and before == word)


def cmake_arguments(text: str) -> Iterator[tuple[str, str, FoundValue]]:
    """Each argument that has another before it: its command in lower case, the argument before, and it."""
    command, depth, before = "", 0, None
    for found in _CMAKE.finditer(text):
        if found["open"]:
            depth += 1
            before = None
        elif found["close"]:
            depth -= 1
            command = command if depth > 0 else ""
        elif found["comment"] is None:
            group = "q" if found["quoted"] else "t" if found["bracket"] else "bare"
            if depth == 0:
                command = found[group].lower()
            else:
                if before is not None:
                    yield command, before, FoundValue(found[group], *found.span(group))
                before = found[group]
