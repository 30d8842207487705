"""Archive a crossing that is done: it stays complete and can be resumed, without what commands can build again."""

from __future__ import annotations

import shutil
from pathlib import Path

from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact

IS_ARCHIVED: Fact[bool] = Fact("archived", False, bool)
# Folders of a crossing that commands fill: builds, their results, the copy in which proposals are tried.
SCRATCH = ("build", "out", "attempts")


def archivable_bytes(crossing: Crossing) -> int:
    """The bytes that archiving frees."""
    folders = (crossing.folder / name for name in SCRATCH)
    return sum(path.lstat().st_size for folder in folders for path in _files(folder))


def archive_crossing(crossing: Crossing) -> int:
    """Archive a crossing and return the bytes that were freed. Raises AnotherActs, OSError."""
    with crossing.acting():
        freed = archivable_bytes(crossing)
        for name in SCRATCH:
            folder = crossing.folder / name
            if folder.is_dir():
                shutil.rmtree(folder)
        crossing.keep(IS_ARCHIVED, True)
    return freed


def take_from_archive(crossing: Crossing) -> None:
    """List a crossing among the others again."""
    if crossing.read(IS_ARCHIVED):
        crossing.keep(IS_ARCHIVED, False)


def _files(folder: Path) -> list[Path]:
    return [path for path in folder.rglob("*") if path.is_symlink() or path.is_file()]
