"""The user's own profiles, in the data folder."""

from __future__ import annotations

import shutil
from pathlib import Path

from fernshale.core.base.data_folder import home
from fernshale.core.profile.read import read_profile

ENDING = ".profile.toml"


def keep_profile(file: Path) -> Path:
    """Copy a profile to the user's own ones and return its place; one that is there with other bytes stays, and this one gets
    another name. Raises FormatError, MisuseError, OSError."""
    profile = read_profile(file)
    place = home() / "profiles" / file.name
    if place.exists() and place.read_bytes() != file.read_bytes():
        place = place.with_name(f"{file.name.removesuffix(ENDING)}-{profile.digest[:8]}{ENDING}")
    place.parent.mkdir(parents=True, exist_ok=True)
    if not place.exists():
        shutil.copyfile(file, place)
    return place
