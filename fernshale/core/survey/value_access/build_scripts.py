"""Values in build scripts: assignments and calls in nested braces, and commands with arguments.

Scripts are neither run nor fully parsed: comments, strings and blocks are recognised, the rest is skipped.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from fernshale.core.survey.value_access.found_value import FoundValue

_SCRIPT = re.compile(
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
_CMAKE = re.compile(
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
    return (value for name, value in assignments(text) if name == key)


def assignments(text: str) -> Iterator[tuple[str, FoundValue]]:
    """Every literal with the key it is assigned or handed to."""
    blocks: list[str] = []
    statement: list[str] = []  # names since the statement began; the first names a block, the last gets a value
    for found in _SCRIPT.finditer(text):
        match found.lastgroup:
            case "open":
                blocks.append(statement[0] if statement else "")
                statement = []
            case "close":
                blocks = blocks[:-1]
                statement = []
            case "line":
                statement = []
            case "name":
                statement.append(found["name"])
            case "string" | "number" | "s1" | "s2" | "s3" | "s4":
                value = _literal(found)
                if statement:
                    yield ".".join([*(block for block in blocks if block), statement[-1]]), value
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
    command, depth, after_word = "", 0, False
    for found in _CMAKE.finditer(text):
        if found["open"]:
            depth += 1
            after_word = False
        elif found["close"]:
            depth -= 1
            command = command if depth > 0 else ""
        elif found["comment"] is None:
            group = "q" if found["quoted"] else "t" if found["bracket"] else "bare"
            if depth == 0:
                command = found[group].lower()
            elif command == wanted.lower():
                if after_word:
                    yield FoundValue(found[group], *found.span(group))
                after_word = found[group] == word
