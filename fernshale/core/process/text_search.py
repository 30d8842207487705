"""Find the files that have one of a few words, by the system's own plain text search, on all processors."""

from __future__ import annotations

import os
import re
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from fernshale.core.base.errors import CommandError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.process.command import run_command

# The system limits how much a command may be told: so many long paths are well below.
_MOST_FILES = 5000
# Of fewer files each is read as quickly, and of more words most files have one.
_FEW_FILES, _MANY_WORDS = 2000, 8
# A text in another encoding begins with one of these, and its words look otherwise.
_MARKS = tuple(map(os.fsdecode, (b"^\xff\xfe", b"^\xfe\xff")))
# What stands for more than itself in a pattern.
_SPECIAL = re.compile(r"[][\\.*^$]")
_LIMIT_S = 600.0


def files_with(root: Path, paths: Sequence[TreePath], words: Sequence[str], token: CancelToken) -> Sequence[TreePath]:
    """Those of the files `paths` below `root` that may have one of `words`: all that have it and few others, in order.

    All of them where a search first is not quicker than reading each, cannot be had here, or could not look at every file.
    Raises Cancelled.
    """
    if not words or len(words) > _MANY_WORDS or len(paths) < _FEW_FILES or not all(words):
        return paths
    if any("\n" in text for text in (*words, *paths)):
        return paths  # neither can be told in lines
    plain = (_SPECIAL.sub(r"\\\g<0>", word) for word in words)
    looked_for = [part for pattern in (*plain, *_MARKS) for part in ("-e", pattern)]

    def search(part: Sequence[TreePath]) -> list[str] | None:
        # Byte by byte, whatever language the system speaks.
        arguments = ["grep", "-l", "-s", *looked_for, "--", *part]
        done = run_command(arguments, root, token, lambda line: None, {"LC_ALL": "C"}, _LIMIT_S)
        # 1 says that nothing was found; anything else, that a file could not be looked at.
        return os.fsdecode(done.output).split("\n") if done.status in (0, 1) and not done.timed_out else None

    processors = len(os.sched_getaffinity(0))
    size = min(_MOST_FILES, max(1, -(-len(paths) // processors)))
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
