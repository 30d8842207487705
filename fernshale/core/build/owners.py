"""Whose a diagnostic is: own code, a plugin, the engine, generated files, or nobody's here."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from fernshale.core.base.treepath import TreePath
from fernshale.core.build.diagnostics import Diagnostic, Place
from fernshale.core.profile.model import Role

_OUTSIDE = ("engine", "elsewhere")


@dataclass(frozen=True, slots=True)
class Ground:
    """Where things lie: the project, the engine, the build's folders, the plugins (id, folder), the role of a file.

    `line_now` tells where a line of a project file stands by now, 0 when it was changed since the build.
    """

    project: Path
    engine: Path | None
    scratch: tuple[Path, ...]
    plugins: tuple[tuple[str, TreePath], ...]
    role_of: Callable[[str], Role]
    line_now: Callable[[str, int], int]


def all_places(diagnostic: Diagnostic, ground: Ground) -> tuple[Place, ...]:
    """Every place inside the project that the diagnostic, its notes or its context name."""
    named = (diagnostic.place, *(note.place for note in diagnostic.notes), *diagnostic.context)
    return tuple(place for place, owner in (_mapped(item, ground) for item in named) if owner not in _OUTSIDE)


@dataclass(frozen=True, slots=True)
class Owned:
    """A diagnostic with its owner and the place people must look at: in the project where there is one.

    `owner` is "own", "plugin ID", "engine", "generated" or "elsewhere".
    """

    diagnostic: Diagnostic
    owner: str
    place: Place


def find_owner(diagnostic: Diagnostic, ground: Ground) -> Owned:
    """Place and owner. Of an error inside a library that the project's code brought about, the project's place counts."""
    noted = tuple(note.place for note in diagnostic.notes)
    places = [_mapped(place, ground) for place in (diagnostic.place, *noted, *diagnostic.context)]
    inside = [(place, owner) for place, owner in places if owner not in _OUTSIDE]
    place, owner = inside[0] if inside and places[0][1] == "elsewhere" and diagnostic.place.file else places[0]
    if diagnostic.tool in ("linker", "make") and owner == "elsewhere":
        place = diagnostic.place
    return Owned(diagnostic, owner, place)


def find_owners(diagnostics: Sequence[Diagnostic], ground: Ground) -> tuple[Owned, ...]:
    return tuple(find_owner(diagnostic, ground) for diagnostic in diagnostics)


def _mapped(place: Place, ground: Ground) -> tuple[Place, str]:
    if not place.file:
        return place, "elsewhere"
    path = Path(os.path.normpath(ground.project / place.file))
    if any(path.is_relative_to(folder) for folder in ground.scratch):
        return place, "elsewhere"
    if ground.engine is not None and path.is_relative_to(ground.engine):
        return replace(place, file=str(path)), "engine"
    if not path.is_relative_to(ground.project):
        return place, "elsewhere"
    inner = path.relative_to(ground.project).as_posix()
    line = ground.line_now(inner, place.line) if place.line else 0
    return replace(place, file=inner, line=line), _owner_inside(inner, ground)


def _owner_inside(path: str, ground: Ground) -> str:
    if ground.role_of(path) == "generated":
        return "generated"
    for id, folder in ground.plugins:
        if path.startswith(folder + "/"):
            return f"plugin {id}"
    return "own"
