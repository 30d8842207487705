"""Find the symbol of an error on its line of code, where the message does not name it."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from fernshale.core.base.languages import C_FAMILY
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.diagnostics import SourcePlace
from fernshale.core.build.message_patterns import OVERRIDE, last_name, plain_quotes
from fernshale.core.build.owners import Owned

_QUOTED = lazy_pattern(r"'([^']+)'")
_CALLED = lazy_pattern(r"([^\W\d]\w*)\s*\(")
# Text that may precede a method, on lines of its own.
_ANNOTATIONS = lazy_pattern(r"^\s*(?:@[\w.]+(?:\([^()]*\))?\s*)+")
_MAX_ANNOTATIONS = 4
# A name with its owner and the member that it lacks; the name by which a method refers to its object.
_CHAIN = lazy_pattern(r"[^\W\d]\w*(?: *\. *[^\W\d]\w*)*")
_LACKING = lazy_pattern(r"has no attribute '(?P<attribute>\w+)'|^'(?P<member>\w+)' is not a known attribute")
_OBJECTS = ("self", "cls", "this")
# An argument that a checker names by its number.
_ARGUMENT = lazy_pattern(r"^Argument (?P<number>\d+) to '(?P<call>\w+)'")
# The position of the name in an assignment.
_SETS = lazy_pattern(r"^Incompatible types in assignment ")
_TARGET = lazy_pattern(r"\s*(?P<target>[^\W\d][\w.]*)\s*(?:[-+*/%@&|^]|//|\*\*|<<|>>)?=(?!=)")
# A variable, whole, by index or called, with members of members.
_MEMBER_OF = lazy_pattern(
    r"(?P<object>[^\W\d]\w*)(?:\[[^\]]*\]|\([^()]*\))?(?:\s*(?:\.|->)\s*[^\W\d]\w*(?:\[[^\]]*\])?)+"
)

# The type of an object in a message, and before a variable at the beginning of a statement or among parameters.
_SAID_TYPE = lazy_pattern(r"(?:non-class|base|reference) type '(?:const )?(?:struct )?(?P<type>\w+)'")
_DECLARED_TYPE = (
    r"(?:^|[;{(,])\s*(?:(?:const|struct|union|register|static|volatile)\s+)*(?P<type>[^\W\d]\w*)(?:\s+|\s*\*)[*\s]*"
)
_NO_TYPES = frozenset(("return", "else", "case", "goto", "sizeof", "delete", "new", "throw"))
_MAX_LINES_UP = 400

LineOf = Callable[[str, int], str]


def no_lines(file: str, line: int) -> str:
    """For logs whose sources are not available."""
    return ""


def held_near(owned: Owned, line_of: LineOf) -> str:
    """Return the variable or field at a place, for a message that only reports its type; "" if there is no plain name."""
    line, at = line_of(owned.place.file, owned.place.line), owned.place.column - 1
    message = plain_quotes(owned.diagnostic.message)
    if _SETS.search(message):
        # The place is that of the value.
        found = _TARGET.match(line)
        return last_name(found["target"]) if found else ""
    chains = list(_CHAIN.finditer(line))
    found = next((found for found in chains if found.start() <= at < found.end()), None)
    if found is None and at < 0:
        found = _chain_meant(message, line, chains, line_of(owned.place.file, owned.place.line - 1))
    if found is None:
        return ""
    names = found[0].replace(" ", "").split(".")
    if lacking := _LACKING.search(message):
        asked = lacking["attribute"] or lacking["member"]
        names = names[: names.index(asked)] if asked in names else []
    elif line[found.end() :].lstrip().startswith("("):
        names = []
    return names[-1] if names and names[-1] not in _OBJECTS else ""


def _chain_meant(message: str, line: str, chains: Sequence[re.Match[str]], line_before: str) -> re.Match[str] | None:
    """Return the chain of names on a line that a message without a column is about; None if it is not certain."""
    if lacking := _LACKING.search(message):
        asked = lacking["attribute"] or lacking["member"]
        meant = [found for found in chains if asked in found[0].replace(" ", "").split(".")[1:]]
    elif argument := _ARGUMENT.match(message):
        calls = [*re.finditer(rf"\b{argument['call']}\s*\(", line)]
        begins = [found.end() for found in calls]
        if not begins and re.search(rf"\b{argument['call']}\s*\(\s*$", line_before):
            begins = [0]  # the arguments are on lines of their own
        # Of two calls of the function on the line, either may be meant.
        given = {_argument(line, begin, int(argument["number"])) for begin in begins}
        meant = [found for found in chains if {found[0]} == given]
    elif "not indexable" in message:
        meant = [found for found in chains if line[found.end() :].lstrip().startswith("[")]
    else:
        return None
    return meant[0] if len({found[0] for found in meant}) == 1 else None


def _argument(line: str, begin: int, number: int) -> str:
    """Return an argument, counted from 1, of the call whose bracket opens before `begin`; "" if the line has not that many."""
    depth, start = 0, begin
    for at in range(begin, len(line) + 1):
        character = line[at : at + 1]
        if depth == 0 and character in (",", ")", ""):
            number -= 1
            if number == 0:
                return line[start:at].strip()
            if character != ",":
                break
            start = at + 1
        depth += (character in ("(", "[", "{")) - (character in (")", "]", "}"))
    return ""


def object_near(owned: Owned, line_of: LineOf) -> str:
    """Return the variable whose member is asked for at a place; "" if it is no plain name."""
    line, at = line_of(owned.place.file, owned.place.line), owned.place.column - 1
    member = _QUOTED.search(plain_quotes(owned.diagnostic.message))
    asks = re.compile(rf"(?:\.|->)\s*{re.escape(member[1])}\b" if member and member[1].isidentifier() else r"\.|->")
    # Some compilers count a tab as one column, others as up to eight.
    for text in (line, line.expandtabs(8)):
        for found in _MEMBER_OF.finditer(text):
            if found.start() <= at <= found.end() and asks.search(found[0]):
                return found["object"]
    return ""


def type_of_object(owned: Owned, name: str, line_of: LineOf) -> str:
    """Return the type of a variable whose member is asked for: as the message has it, or as the code above declares it; "" where
    neither does."""
    if said := _SAID_TYPE.search(plain_quotes(owned.diagnostic.message)):
        return said["type"]
    if not name or not owned.place.file.endswith(C_FAMILY):
        return ""
    plain = re.escape(name)
    declares = re.compile(rf"{_DECLARED_TYPE}(?:\w+\s*(?:\[[^\]]*\]\s*)?,\s*[*\s]*)*{plain}\s*(?:[=;,)\[]|$)")
    for line in range(owned.place.line, max(0, owned.place.line - _MAX_LINES_UP), -1):
        found = declares.search(line_of(owned.place.file, line))
        if found is not None and found["type"] not in _NO_TYPES:
            return found["type"]
    return ""


def called_near(place: SourcePlace, kind: str, line_of: LineOf) -> str:
    """Return the function whose call contains a place, or that is declared there or below its annotations."""
    if kind == OVERRIDE:
        lines = (_ANNOTATIONS.sub("", line_of(place.file, place.line + down)) for down in range(_MAX_ANNOTATIONS))
        return next((found[1] for line in lines if (found := _CALLED.search(line))), "")
    calls = list(_CALLED.finditer(line_of(place.file, place.line)))
    before = [found for found in calls if found.start() < place.column]
    return (before[-1] if before else calls[0])[1] if calls else ""
