"""Ask the real git. Nothing that a repository's own settings or hooks name is run, and reading takes no locks."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Mapping
from pathlib import Path

from fernshale.core.base.errors import CommandError

GIT = ("git", "--no-pager", "-c", "core.fsmonitor=false", "-c", "core.hooksPath=/dev/null")
_QUIET = {"GIT_NO_LAZY_FETCH": "1", "GIT_TERMINAL_PROMPT": "0", "LC_ALL": "C.UTF-8"}
_LONGEST_S = 120


def git_environment(more: Mapping[str, str] | None = None, *, reading: bool = True) -> dict[str, str]:
    """Our environment with what keeps git quiet, and `more`; `reading` also keeps it from taking locks."""
    return {**os.environ, **_QUIET, **({"GIT_OPTIONAL_LOCKS": "0"} if reading else {}), **(more or {})}


def ask_git(folder: Path, *words: str, given: bytes = b"") -> bytes | None:
    """What git says, None when it fails or is not there; for questions only."""
    try:
        done = subprocess.run(
            [*GIT, *words], cwd=folder, env=git_environment(), input=given, capture_output=True, timeout=_LONGEST_S,
            check=False,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return None
    return done.stdout if done.returncode == 0 else None


def tell_git(folder: Path, *words: str, given: bytes = b"", more: Mapping[str, str] | None = None) -> str:
    """Have git do something; what it says, stripped. Raises CommandError with git's own words."""
    try:
        done = subprocess.run(
            [*GIT, *words], cwd=folder, env=git_environment(more, reading=False), input=given, capture_output=True,
            timeout=_LONGEST_S, check=False,
        )  # fmt: skip
    except OSError as error:
        raise CommandError(f"git cannot be run: {error.strerror}") from error
    except subprocess.TimeoutExpired as error:
        raise CommandError(f"git {words[0]} did not end within {_LONGEST_S} s") from error
    if done.returncode != 0:
        said = done.stderr.decode("utf-8", "replace").strip()
        raise CommandError(f"git {words[0]} failed: {said or f'status {done.returncode}'}")
    return done.stdout.decode("utf-8", "surrogateescape").strip()
