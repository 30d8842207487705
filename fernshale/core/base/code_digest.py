"""A digest of the program's own code: what other code found and kept is not used."""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path


@cache
def code_digest(*rooms: str) -> str:
    """Return a digest of the modules and tables of some rooms of the core, and of the base that all of them use."""
    core = Path(__file__).parents[1]
    files = (path for room in ("base", *rooms) for kind in ("*.py", "*.toml") for path in (core / room).rglob(kind))
    digest = hashlib.sha256()
    for path in sorted(files):
        digest.update(path.read_bytes())
    return digest.hexdigest()
