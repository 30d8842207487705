"""The samples: a stand-in engine with a small game, a script engine with a workspace of toys, and their shelves."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.texts import marked

_DATA = Path(__file__).parent / "data"
PROFILES = _DATA / "profiles"


@dataclass(frozen=True, slots=True)
class Sample:
    """The folders of an unpacked sample, and a file with recorded decisions."""

    project: Path
    shelf: Path
    profile: Path
    decisions: Path
    target: str


# By name: project, shelf, profile, decisions, target.
_SAMPLES = {
    "nine-piers": ("nine-piers", "shelf", "merelith", "nine-piers", "3.1.0"),
    "quayside": ("quayside", "shelf-osier", "osier", "quayside", "2.0"),
}
# Each with a short description.
SAMPLES = {"nine-piers": marked("a ferry game with eight plugins"), "quayside": marked("a workspace of twelve toys")}


def unpack(folder: Path, name: str = "nine-piers") -> Sample:
    """A fresh copy of a sample below `folder`, which is made. Raises FileExistsError when one is there already."""
    project, shelf, profile, decisions, target = _SAMPLES[name]
    folder.mkdir(parents=True, exist_ok=True)
    for part in (project, shelf):
        shutil.copytree(_DATA / part, folder / part, symlinks=True)
    files = (PROFILES / f"{profile}.profile.toml", _DATA / f"{decisions}.decisions.toml")
    for file in files:
        shutil.copy(file, folder)
    return Sample(folder / project, folder / shelf, folder / files[0].name, folder / files[1].name, target)


def unpack_shape(folder: Path, name: str) -> Path:
    """A fresh copy of one of the small projects in `data/shapes`, below `folder`; returns its folder.

    A file `dot-x` is stored for `.x`, so that packaging and git take it as any other.
    """
    project = folder / name
    shutil.copytree(_DATA / "shapes" / name, project)
    for path in sorted(project.rglob("dot-*"), key=lambda item: -len(item.parts)):
        path.rename(path.with_name("." + path.name.removeprefix("dot-")))
    return project


def shape_releases(name: str) -> Path:
    """The folder with the releases of a small project's engine and plugins, each in a folder of its own."""
    return _DATA / "shapes" / f"{name}.releases"
