"""Find the files that have one of a few words, by the system's own plain text search, on all processors."""

from __future__ import annotations

import os
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from fernshale.core.base.errors import CommandError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.process.command import run_command

# Well below the system's limit on the length of a command line.
_MAX_FILES = 5000
# Of fewer files each is read as quickly, and of more words most files have one.
_MIN_FILES_TO_SEARCH = 2000
_MAX_WORDS_TO_SEARCH = 8
# Byte order marks of other encodings, in which words have different bytes.
_MARKS = tuple(map(os.fsdecode, (b"^\xff\xfe", b"^\xfe\xff")))
# Characters with a special meaning in a pattern.
_SPECIAL = lazy_pattern(r"[][\\.*^$]")
_LIMIT_S = 600.0


def files_with(root: Path, paths: Sequence[TreePath], words: Sequence[str], token: CancelToken) -> Sequence[TreePath]:
    """Return those of `paths` below `root` that may contain one of `words`, in order: all that do, and few others.

    Returns all paths if a search would not be faster than reading them, is not available, or failed on a file.
    Raises Cancelled.
    """
    if not words or len(words) > _MAX_WORDS_TO_SEARCH or len(paths) < _MIN_FILES_TO_SEARCH or not all(words):
        return paths
    if any("\n" in text for text in (*words, *paths)):
        return paths  # line-based output cannot represent these
    plain = (_SPECIAL.sub(r"\\\g<0>", word) for word in words)
    looked_for = [part for pattern in (*plain, *_MARKS) for part in ("-e", pattern)]

    def search(part: Sequence[TreePath]) -> list[str] | None:
        # Compare bytes, independent of the locale.
        arguments = ["grep", "-l", "-s", *looked_for, "--", *part]
        done = run_command(arguments, root, Work(token=token), {"LC_ALL": "C"}, _LIMIT_S)
        # Status 1 means no match; a higher status means that a file could not be read.
        return os.fsdecode(done.output).split("\n") if done.status in (0, 1) and not done.timed_out else None

    processors = len(os.sched_getaffinity(0))
    size = min(_MAX_FILES, max(1, -(-len(paths) // processors)))
    parts = [paths[at : at + size] for at in range(0, len(paths), size)]
    try:
        with ThreadPoolExecutor(processors) as pool:
            found = list(pool.map(search, parts))
    except CommandError:
        return paths
    having: set[str] = set()
    for part in found:
        if part is None:
            return paths
        having.update(part)
    return tuple(path for path in paths if path in having)
