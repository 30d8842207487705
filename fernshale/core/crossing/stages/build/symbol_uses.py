"""Find the uses of a missing symbol in the project, where the tool names none: a linker names object files, and a compiler of C
may only name the macro of the engine that has the error in its code."""

from __future__ import annotations

import posixpath
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from fernshale.core.base.textfile import position
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.build.causes import kind_and_symbol
from fernshale.core.build.diagnostics import Note, SourcePlace
from fernshale.core.build.message_patterns import LINK
from fernshale.core.build.owners import OUTSIDE, Owned
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.project.source_texts import texts_with
from fernshale.core.fix.tokens import name_starts
from fernshale.core.survey.roles import role_of

# More uses than these are not listed with an error.
_MAX_USES = 50


def with_symbol_uses(errors: Sequence[Owned], scan: ProjectScan, token: CancelToken) -> tuple[Owned, ...]:
    """Return the errors; a missing symbol without a line of the project gets the places in its own code that use it.

    Raises Cancelled.
    """
    wanted = {number: symbol for number, error in enumerate(errors) if (symbol := _missing_symbol(error))}
    if not wanted:
        return tuple(errors)
    texts = {
        path: text
        for path, text in texts_with(scan, set(wanted.values()), token).items()
        if role_of(scan.profile, path).role == "own"
    }
    return tuple(
        _located(error, wanted[number], texts) if number in wanted else error for number, error in enumerate(errors)
    )


def _missing_symbol(error: Owned) -> str:
    """Return the undefined symbol of a linker error without a line, or the macro of an error in the code of the engine; "" for
    any other error."""
    if error.macro and error.owner in OUTSIDE:
        return error.macro
    kind, symbol = kind_and_symbol(error.diagnostic.message)
    return symbol if kind == LINK and not error.diagnostic.place.line and symbol.isidentifier() else ""


def _located(error: Owned, symbol: str, texts: Mapping[TreePath, str]) -> Owned:
    """Return the error at the first use of its symbol, with the other uses as notes: in the file that the linker names if the
    project has it, else in all files."""
    named = posixpath.splitext(posixpath.basename(error.diagnostic.place.file))[0]
    uses = list(_uses(symbol, texts))
    near = [place for place in uses if posixpath.splitext(posixpath.basename(place.file))[0] == named]
    places = (near or uses)[:_MAX_USES]
    if not places:
        return error
    notes = tuple(Note(place, tr("{symbol} is used here", symbol=symbol)) for place in places[1:])
    first, was = places[0], error.diagnostic
    return Owned(replace(was, place=first, notes=(*was.notes, *notes)), "own", first, error.macro)


def _uses(symbol: str, texts: Mapping[TreePath, str]) -> Iterator[SourcePlace]:
    for path, text in texts.items():
        for start in name_starts(text, path, symbol):
            line, column = position(text, start)
            yield SourcePlace(path, line, column)
