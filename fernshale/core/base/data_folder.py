"""Where Fernshale keeps what it knows between runs."""

from __future__ import annotations

import os
from pathlib import Path


def home() -> Path:
    """The user's data folder, or what `FERNSHALE_HOME` says."""
    if chosen := os.environ.get("FERNSHALE_HOME"):
        return Path(chosen)
    import platformdirs

    return platformdirs.user_data_path("fernshale")
