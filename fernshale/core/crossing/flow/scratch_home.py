"""A data folder of its own for work on a scratch copy, so that nothing of the user's can be written."""

from __future__ import annotations

import shutil
from collections.abc import Iterable
from pathlib import Path

from fernshale.core.base.data_folder import cache_folder, config_folder, home
from fernshale.core.base.limits import NAME as LIMITS
from fernshale.core.base.settings import NAME as SETTINGS

# Caches by content, which every data folder can share.
_SHARED_CACHES = ("drift", "shelves", "assets")


def prepare_home(place: Path, names: Iterable[str]) -> None:
    """Make a data folder with copies of the user's settings, limits and the files `names` of the user's data, and with the user's
    caches. What is in it already stays. Raises OSError."""
    place.mkdir(parents=True, exist_ok=True)
    for source in (*(home() / name for name in names), config_folder() / LIMITS, config_folder() / SETTINGS):
        if source.is_file() and not (place / source.name).exists():
            shutil.copy(source, place / source.name)
    for name in _SHARED_CACHES:
        shared = cache_folder() / name
        shared.mkdir(parents=True, exist_ok=True)
        if not (place / name).exists():
            (place / name).symlink_to(shared, target_is_directory=True)
