"""A file for the person who helps: versions, the machine, the profile, the end of the log, and the logbook without contents.

It is a zip of texts that a person can read before sending it.
"""

from __future__ import annotations

import os
import platform
import sys
import time
import zipfile
from collections.abc import Mapping
from contextlib import suppress
from importlib import metadata
from pathlib import Path

from fernshale.core.base.log import log_file
from fernshale.core.crossing.record.database import Crossing

# Only the end of a long log.
_LOG_BYTES = 400_000


def bundle_texts(crossing: Crossing | None) -> Mapping[str, str]:
    """The texts of a bundle by file name; of a crossing where one is open."""
    texts = {"about.txt": _about(), "log.txt": _end_of(log_file())}
    if crossing is not None:
        texts["profile.toml"] = _end_of(crossing.setup.profile)
        texts["logbook.txt"] = _logbook(crossing)
    return texts


def write_bundle(path: Path, crossing: Crossing | None) -> None:
    """Write a bundle. Raises OSError."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, text in bundle_texts(crossing).items():
            bundle.writestr(name, text)


def _about() -> str:
    lines = [f"Python {sys.version.split()[0]}", platform.platform(), f"{os.cpu_count()} processors"]
    with suppress(OSError, ValueError):
        pages = os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
        lines.append(f"{pages / 2**30:.1f} GiB of memory")
    for name in ("fernshale", "PySide6_Essentials", "tree-sitter", "numpy"):
        with suppress(metadata.PackageNotFoundError):
            lines.append(f"{name} {metadata.version(name)}")
    lines += [
        f"{name}={os.environ[name]}" for name in ("LANG", "XDG_SESSION_TYPE", "QT_QPA_PLATFORM") if name in os.environ
    ]
    return "\n".join(lines) + "\n"


def _end_of(path: Path) -> str:
    try:
        data = path.read_bytes()
    except OSError as error:
        return f"{path} cannot be read: {error.strerror}\n"
    return data[-_LOG_BYTES:].decode("utf-8", "replace")


def _logbook(crossing: Crossing) -> str:
    setup = crossing.setup
    lines = [f"{setup.start} to {', '.join(setup.stops)}, leg {setup.leg + 1}"]
    for entry in crossing.logbook():
        when = time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(entry.time))
        files = f", {len(entry.changes.files)} files" if entry.changes is not None else ""
        lines.append(f"{entry.id} {when} {entry.stage.value} {entry.state}{files}: {entry.title}")
    return "\n".join(lines) + "\n"
