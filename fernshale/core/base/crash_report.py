"""Report unexpected errors: one sentence for the user, and a file with the details."""

from __future__ import annotations

import os
import platform
import sys
import tempfile
import time
import traceback
from pathlib import Path

from fernshale.core.base.data_folder import state_folder
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.log import log_error
from fernshale.core.base.texts import tr

# How many such files are kept.
_MAX_KEPT = 20


def in_words(error: BaseException) -> str:
    """Describe an error for the user: Fernshale's own errors by their text, system errors with their file, others with a
    details file."""
    if isinstance(error, FernshaleError):
        return str(error)
    if isinstance(error, OSError):
        where = f"{error.filename}: " if error.filename else ""
        return f"{where}{error.strerror or error}"
    said = " ".join(str(error).split())[:200]
    log_error("unforeseen", error)
    path = keep_details(error)
    details = tr("; the details are in {path}", path=path) if path is not None else ""
    return tr(
        "something unforeseen happened ({error}){details}",
        error=f"{type(error).__name__}: {said}" if said else type(error).__name__,
        details=details,
    )


def keep_details(error: BaseException) -> Path | None:
    """Write an error's traceback to a file; return its path, or None if it cannot be written."""
    parts = traceback.format_exception(error)
    # Infinite recursion repeats the same lines thousands of times.
    text = "".join(parts if len(parts) <= 400 else [*parts[:200], "...\n", *parts[-200:]])
    head = tr(
        "{time}  Python {python_version}  {argv}\n\n",
        time=time.strftime("%Y-%m-%d %H:%M:%S"),
        python_version=platform.python_version(),
        argv=" ".join(sys.argv[1:2]),
    )
    for folder in (state_folder() / "mishaps", Path(tempfile.gettempdir())):
        path = folder / f"fernshale-{time.strftime('%Y%m%d-%H%M%S')}-{os.getpid()}.txt"
        try:
            folder.mkdir(parents=True, exist_ok=True)
            path.write_text(head + text, encoding="utf-8", errors="replace")
            for old in sorted(folder.glob("fernshale-*.txt"))[:-_MAX_KEPT]:
                old.unlink(missing_ok=True)
        except OSError:
            continue
        return path
    return None
