"""Places outside of a shelf's folder that a person has allowed it to use. A shelf of someone else cannot allow itself any."""

from __future__ import annotations

import json
from pathlib import Path

from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import write_atomic

_NAME = "places.json"


def allow_place(shelf: Path, place: Path) -> None:
    """Let the shelf in this folder use a folder outside of it."""
    known = _read()
    known.setdefault(str(shelf), [])
    if str(place) not in known[str(shelf)]:
        known[str(shelf)].append(str(place))
    path = home() / _NAME
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomic(path, json.dumps(known, indent=1).encode(), 0o600)


def is_allowed(shelf: Path, place: str) -> bool:
    return place in _read().get(str(shelf), [])


def _read() -> dict[str, list[str]]:
    try:
        data = json.loads((home() / _NAME).read_bytes())
    except (OSError, ValueError, RecursionError):
        return {}
    if not isinstance(data, dict):
        return {}
    return {str(key): [str(item) for item in value] for key, value in data.items() if isinstance(value, list)}
