"""Find the owner of a diagnostic: own code, a plugin, the engine, generated files, or somewhere else."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from fernshale.core.base.treepath import TreePath, under
from fernshale.core.build.diagnostics import Diagnostic, SourcePlace, macro_code, macro_use
from fernshale.core.build.path_mapping import ProjectFiles
from fernshale.core.profile.model import Role

# Owners that are no part of the project.
OUTSIDE = ("engine", "elsewhere")


@dataclass(frozen=True, slots=True)
class OwnerContext:
    """Locations: the project and its files, the engine, the build folders, plugins (id, folder), the role of each file.

    `line_now` returns the current line of a line of a project file, 0 if it was changed since the build.
    """

    project: Path
    files: ProjectFiles
    engine: Path | None
    scratch: tuple[Path, ...]
    plugins: tuple[tuple[str, TreePath], ...]
    role_of: Callable[[str], Role]
    line_now: Callable[[str, int], int]
    # Many diagnostics name the same place, so results are cached.
    mapped: dict[SourcePlace, tuple[SourcePlace, str]] = field(
        default_factory=dict, init=False, repr=False, compare=False
    )


@dataclass(frozen=True, slots=True)
class Owned:
    """A diagnostic with its owner and the place to show: in the project if there is one.

    `owner` is "own", "plugin ID", "engine", "generated" or "elsewhere". `macro` is the macro from outside the project that has
    the error in its code and is used at the place, "" if there is none.
    """

    diagnostic: Diagnostic
    owner: str
    place: SourcePlace
    macro: str = ""


def all_places(diagnostic: Diagnostic, context: OwnerContext) -> tuple[SourcePlace, ...]:
    """Every place inside the project that the diagnostic, its notes or its context name."""
    named = (diagnostic.place, *(note.place for note in diagnostic.notes), *diagnostic.context, *diagnostic.included)
    return tuple(place for place, owner in (_mapped(item, context) for item in named) if owner not in OUTSIDE)


def place_in_project(place: SourcePlace, context: OwnerContext) -> SourcePlace | None:
    """Where a place of a tool is in the project, None where it is elsewhere."""
    there, owner = _mapped(place, context)
    return None if owner in OUTSIDE else there


def find_owner(diagnostic: Diagnostic, context: OwnerContext) -> Owned:
    """Return place and owner. For an error inside a library that project code caused, the project's place counts.

    An error in the engine belongs to the project if project code instantiated or called the engine; including the header is no
    reason. The first note about a macro that is no part of the project counts.
    """
    place, owner = _mapped(diagnostic.place, context)
    if not diagnostic.place.file:
        return Owned(diagnostic, owner, place)
    for note in diagnostic.notes:
        if owner in OUTSIDE and (macro := macro_use(note)):
            use, user = _mapped(note.place, context)
            if user not in OUTSIDE:
                return Owned(diagnostic, user, use, macro)
        elif macro := macro_code(note):
            code, coder = _mapped(note.place, context)
            if coder in OUTSIDE and (owner not in OUTSIDE or code == place):
                return Owned(diagnostic, owner, place, macro)
    if owner not in OUTSIDE:
        return Owned(diagnostic, owner, place)
    noted = tuple(note.place for note in diagnostic.notes) if owner == "elsewhere" else ()
    chain = diagnostic.included if owner == "elsewhere" else ()
    others = (_mapped(item, context) for item in (*noted, *diagnostic.context, *chain))
    place, owner = next((item for item in others if item[1] not in OUTSIDE), (place, owner))
    return Owned(diagnostic, owner, place)


def find_owners(diagnostics: Sequence[Diagnostic], context: OwnerContext) -> tuple[Owned, ...]:
    """Return each diagnostic with its owner. Those in the code of the project's own macros are listed once for all uses."""
    seen: dict[object, int] = {}
    found: list[Owned] = []
    for diagnostic in diagnostics:
        owned = find_owner(diagnostic, context)
        if not owned.macro and any(map(macro_use, diagnostic.notes)):
            known = seen.setdefault((owned.place, diagnostic.severity, diagnostic.message), len(found))
            if known < len(found):
                was = found[known]
                count = was.diagnostic.count + diagnostic.count
                found[known] = replace(was, diagnostic=replace(was.diagnostic, count=count))
                continue
        found.append(owned)
    return tuple(found)


def _mapped(place: SourcePlace, context: OwnerContext) -> tuple[SourcePlace, str]:
    known = context.mapped.get(place)
    if known is None:
        known = context.mapped[place] = _map(place, context)
    return known


def _map(place: SourcePlace, context: OwnerContext) -> tuple[SourcePlace, str]:
    if not place.file:
        return place, "elsewhere"
    path = os.path.normpath(os.path.join(context.project, place.folder, place.file))
    if any(under(path, str(folder)) for folder in context.scratch):
        return place, "elsewhere"
    if context.engine is not None and under(path, str(context.engine)):
        return replace(place, file=path), "engine"
    inner = context.files.find(place)
    if inner is None:
        return place, "elsewhere"
    line = context.line_now(inner, place.line) if place.line else 0
    return replace(place, file=inner, line=line, folder=""), _owner_inside(inner, context)


def _owner_inside(path: str, context: OwnerContext) -> str:
    if context.role_of(path) == "generated":
        return "generated"
    for id, folder in context.plugins:
        if path.startswith(folder + "/"):
            return f"plugin {id}"
    return "own"
