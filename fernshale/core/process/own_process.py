"""Other processes of Fernshale itself: how one is started, whether or not the program is installed."""

from __future__ import annotations

import os
import sys
from collections.abc import Mapping
from pathlib import Path

_ROOT = Path(__file__).parents[3]


def module_command(module: str, *arguments: str) -> list[str]:
    """The command that runs a module of Fernshale; it needs `own_environment`."""
    return [sys.executable, "-m", module, *arguments]


def own_environment() -> Mapping[str, str]:
    """The variables with which another process finds the same program as this one."""
    paths = [str(_ROOT), *filter(None, [os.environ.get("PYTHONPATH")])]
    return {"PYTHONPATH": os.pathsep.join(paths)}
