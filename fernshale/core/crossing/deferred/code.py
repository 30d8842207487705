"""Code that is switched off for now: a line, a function or a file, so that the rest compiles.

Switching code off is a step like any other, and a debt until it is switched on again. Later changes of other lines stay. A
function keeps its signature and reports at run time that it was switched off.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.temporary_removals import take_back, waiting_steps
from fernshale.core.drift.parsing.functions import Function, function_at
from fernshale.core.fix.commenting_out import as_comments
from fernshale.core.survey.release_sites import read_project_text

What = Literal["line", "function", "file"]
_ABOUT = "debt "
# Of each logbook entry that switched code off: what, title, place, reason.
_FACT: Fact[dict[str, list[Any]]] = Fact("debts", {}, dict)
_MARK = "switched off: "
# The text that replaces a body, by language, and the headers that C and C++ need for it.
_STUBS = {
    "c": ('{{ fprintf(stderr, "switched off: {name}\\n"); abort(); }}', ("stdio.h", "stdlib.h")),
    "c++": ('{{ throw std::logic_error("switched off: {name}"); }}', ("stdexcept",)),
    "c#": ('{{ throw new System.NotImplementedException("switched off: {name}"); }}', ()),
    "java": ('{{ throw new UnsupportedOperationException("switched off: {name}"); }}', ()),
    "rust": ('{{ unimplemented!("switched off: {name}") }}', ()),
    "python": ('raise NotImplementedError("switched off: {name}")', ()),
    "typescript": ('{{ throw new Error("switched off: {name}"); }}', ()),
    "tsx": ('{{ throw new Error("switched off: {name}"); }}', ()),
    "javascript": ('{{ throw new Error("switched off: {name}"); }}', ()),
    "lua": ('error("switched off: {name}")', ()),
}


@dataclass(frozen=True, slots=True)
class Debt:
    """A piece of code that is switched off: its kind, place and reason, and the logbook entry that switched it off."""

    what: What
    title: str
    place: str
    why: str
    entry: int


@dataclass(frozen=True, slots=True)
class CodeLine:
    """A line of a file, 1-based."""

    path: TreePath
    line: int


def switch_code_off(crossing: Crossing, scan: ProjectScan, place: CodeLine, what: What, why: str, work: Work) -> int:
    """Switch off a line, the function around it or its file; returns the id of the logbook entry.

    Raises MisuseError where the line or the function does not exist, or the language has no stub.
    """
    path, line = place.path, place.line
    draft = Draft(scan.project)
    if what == "file":
        draft.delete(path)
        title = f"{printable(path)} switched off"
    else:
        file = read_project_text(scan.project, path)
        if what == "line":
            new, title = without_line(file.text, path, line), f"{printable(path)}:{line} switched off"
        else:
            new, name = with_stub(file.text, path, line)
            title = f"{name} switched off"
        draft.write(path, file.with_text(new).encode())
    entry = write_step(crossing, EntryText(Stage.BUILD, title, why, f"{_ABOUT}{what}"), draft.change_set(), work)
    kept = crossing.read(_FACT)
    crossing.keep(_FACT, {**kept, str(entry): [what, title, f"{path}:{line}", why]})
    return entry


def switch_code_on(crossing: Crossing, entry: int, work: Work) -> int:
    """Switch code on again and keep later changes of other lines. Raises MisuseError with the obstacles."""
    found = next((item for item in find_debts(crossing) if item.entry == entry), None)
    if found is None:
        raise MisuseError(tr("step {entry} switched nothing off", entry=entry))
    title = f"switched on: {found.title.removesuffix(' switched off')}"
    return take_back(crossing, entry, Stage.BUILD, title, f"{found.title} cannot be switched on", work)


def find_debts(crossing: Crossing) -> tuple[Debt, ...]:
    """The code that is still switched off, in the order in which it was switched off."""
    known = crossing.read(_FACT)
    found = []
    for entry in waiting_steps(crossing, _ABOUT):
        if str(entry.id) in known:
            what, title, place, why = known[str(entry.id)]
            found.append(Debt(what, title, place, why, entry.id))
    return tuple(found)


def without_line(text: str, path: str, line: int) -> str:
    """`text` with a line (1-based) turned into a comment. Where the language needs a statement, an empty one replaces it.

    Raises MisuseError where the line does not exist or is empty.
    """
    lines = text.split("\n")
    if not 0 < line <= len(lines) or not lines[line - 1].strip():
        raise MisuseError(tr("{path} has nothing on line {line}", path=printable(path), line=line))
    lines[line - 1 : line] = as_comments(lines[line - 1 : line], path, _MARK)
    return "\n".join(lines)


def with_stub(text: str, path: str, line: int) -> tuple[str, str]:
    """`text` with the function round a line (1-based) reduced to a stub, and the function's name. Raises MisuseError."""
    data = text.encode("utf-8", "surrogateescape")
    found = function_at(data, path, line)
    if found is None or found.language not in _STUBS:
        raise MisuseError(tr("no function around {path}:{line} can be switched off", path=printable(path), line=line))
    stub, headers = _STUBS[found.language]
    body = stub.format(name=found.name.replace('"', ""))
    changed = (data[: found.start] + body.encode() + data[found.end :]).decode("utf-8", "surrogateescape")
    return _with_headers(changed, headers), _title(found)


def _with_headers(text: str, headers: tuple[str, ...]) -> str:
    missing = [name for name in headers if f"<{name}>" not in text]
    return "".join(f"#include <{name}>\n" for name in missing) + text


def _title(function: Function) -> str:
    return f"{function.name}()"
