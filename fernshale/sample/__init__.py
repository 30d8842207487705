"""The sample: a stand-in engine, a small game with plugins, and the shelf their releases lie on."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from pathlib import Path

_DATA = Path(__file__).parent / "data"
PROFILES = _DATA / "profiles"


@dataclass(frozen=True, slots=True)
class Sample:
    """Where an unpacked sample lies, and the decisions of those who have crossed with it before."""

    project: Path
    shelf: Path
    profile: Path
    decisions: Path
    target: str


def unpack(folder: Path) -> Sample:
    """A fresh copy below `folder`, which is made. Raises FileExistsError when one is there already."""
    folder.mkdir(parents=True, exist_ok=True)
    shutil.copytree(_DATA / "nine-piers", folder / "nine-piers", symlinks=True)
    shutil.copytree(_DATA / "shelf", folder / "shelf", symlinks=True)
    shutil.copy(PROFILES / "merelith.profile.toml", folder)
    shutil.copy(_DATA / "nine-piers.decisions.toml", folder)
    return Sample(
        folder / "nine-piers",
        folder / "shelf",
        folder / "merelith.profile.toml",
        folder / "nine-piers.decisions.toml",
        "3.1.0",
    )
