"""Shelves for those above: read, described, given out."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.route.serve import ShelfServer
from fernshale.core.route.shelf import Shelf
from fernshale.core.route.sources import read_shelf


def shelf_json(shelf: Shelf) -> dict[str, Any]:
    """A shelf as data."""
    return {
        "title": shelf.title,
        "addresses": list(shelf.addresses),
        "engines": [asdict(item) for item in shelf.engines],
        "plugins": [asdict(item) for item in shelf.plugins],
        "successions": [asdict(item) for item in shelf.successions],
        "notices": list(shelf.notices),
    }


def open_server(
    folder: Path, packed: Path, host: str, port: int, progress: Progress, token: CancelToken
) -> ShelfServer:
    """Give a shelf out over HTTP. Raises MisuseError, FormatError, OSError."""
    return ShelfServer(folder, packed, host, port, progress, token)


__all__ = ["open_server", "read_shelf", "shelf_json"]
