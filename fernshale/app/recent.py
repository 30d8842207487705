"""The folders that were opened last, for the start page."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings

_KEY = "recent folders"
_MOST = 5


def remember(folder: Path) -> None:
    """Put a folder first."""
    kept = [str(folder.resolve()), *(item for item in _kept() if item != str(folder.resolve()))]
    QSettings().setValue(_KEY, kept[:_MOST])


def recent_folders() -> tuple[Path, ...]:
    """Those that still exist, the last one first."""
    return tuple(Path(item) for item in _kept() if Path(item).is_dir())


def _kept() -> list[str]:
    value = QSettings().value(_KEY, [])
    return [value] if isinstance(value, str) else [str(item) for item in value] if isinstance(value, list) else []
