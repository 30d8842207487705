"""The folder of Fernshale's own data."""

from __future__ import annotations

import os
from pathlib import Path


def home() -> Path:
    """Return the user's data folder, or the value of `FERNSHALE_HOME`."""
    if chosen := os.environ.get("FERNSHALE_HOME"):
        return Path(chosen)
    import platformdirs

    return platformdirs.user_data_path("fernshale")
