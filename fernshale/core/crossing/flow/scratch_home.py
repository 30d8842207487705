"""A data folder of its own for work on a scratch copy, so that nothing of the user's can be written."""

from __future__ import annotations

import shutil
from collections.abc import Iterable
from pathlib import Path

from fernshale.core.base.data_folder import cache_folder, config_folder, home
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.limits import NAME as LIMITS
from fernshale.core.base.settings import NAME as SETTINGS
from fernshale.core.base.settings import settings_file
from fernshale.core.base.toml_schema import read_utf8

# Caches by content, which every data folder can share.
_SHARED_CACHES = ("drift", "shelves", "assets")


def prepare_home(place: Path, names: Iterable[str], settings: str) -> None:
    """Make a data folder with some settings, copies of the user's limits and of the files `names` of the user's data, and with the
    user's caches. What is in it already stays. Raises OSError."""
    place.mkdir(parents=True, exist_ok=True)
    if settings and not (place / SETTINGS).exists():
        write_atomic(place / SETTINGS, settings.encode())
    for source in (*(home() / name for name in names), config_folder() / LIMITS):
        if source.is_file() and not (place / source.name).exists():
            shutil.copy(source, place / source.name)
    for name in _SHARED_CACHES:
        shared = cache_folder() / name
        shared.mkdir(parents=True, exist_ok=True)
        if not (place / name).exists():
            (place / name).symlink_to(shared, target_is_directory=True)


def scratch_settings() -> str:
    """The user's settings as text, "" for none; without the folder of the store, which the scratch work must not write to.

    Raises FormatError, MisuseError for a damaged file.
    """
    import tomlkit

    path = settings_file()
    if not path.is_file():
        return ""
    document = tomlkit.parse(read_utf8(path)[1])
    document.get("store", {}).pop("folder", None)
    return tomlkit.dumps(document)
