"""The folders of Fernshale: data, settings, cache and state, each where the desktop's conventions have it.

`FERNSHALE_HOME` puts all of them into one folder. The source of the conventions is the XDG Base Directory Specification 0.8.
"""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from pathlib import Path

# What earlier versions kept in the data folder: names there, and the folder that has them now.
_FORMER_CACHES = ("drift", "shelves", "assets")
_FORMER_SETTINGS = ("limits.toml",)
_FORMER_STATE = ("mishaps",)


def home() -> Path:
    """The user's data folder: crossings, snapshots, profiles, trust."""
    if chosen := os.environ.get("FERNSHALE_HOME"):
        return Path(chosen)
    import platformdirs

    return platformdirs.user_data_path("fernshale")


def config_folder() -> Path:
    """The folder of the files that a person may write: settings and limits."""
    if chosen := os.environ.get("FERNSHALE_HOME"):
        return Path(chosen)
    import platformdirs

    return platformdirs.user_config_path("fernshale")


def cache_folder() -> Path:
    """The folder of what can be made or fetched again: downloads, unpacked releases, comparisons."""
    if chosen := os.environ.get("FERNSHALE_HOME"):
        return Path(chosen)
    import platformdirs

    return platformdirs.user_cache_path("fernshale")


def state_folder() -> Path:
    """The folder of the log and of details of unexpected errors."""
    if chosen := os.environ.get("FERNSHALE_HOME"):
        return Path(chosen)
    import platformdirs

    return platformdirs.user_state_path("fernshale")


def move_former_places() -> None:
    """Move what earlier versions kept in the data folder to where it belongs. What cannot be moved stays and is not used."""
    for names, folder in (
        (_FORMER_CACHES, cache_folder()),
        (_FORMER_SETTINGS, config_folder()),
        (_FORMER_STATE, state_folder()),
    ):
        for name in names:
            old, new = home() / name, folder / name
            if old != new and old.exists() and not new.exists():
                with suppress(OSError):
                    folder.mkdir(parents=True, exist_ok=True)
                    shutil.move(old, new)
