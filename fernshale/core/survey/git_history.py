"""Read earlier states of a folder from the project's git history, with plumbing commands that run nothing from the project.

For each release that a plugin's descriptor has named, the first commit with it is closest to the vendor's files. Files come from
git's objects instead of the work tree, so filters and hooks do not apply.
"""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.process.git import GIT, ask_git, git_environment
from fernshale.core.snapshot.manifest import EntryKind, Manifest, TreeEntry, digest_of
from fernshale.core.survey.release_index import FileColumn, cell_of

_MAX_COMMITS = 400


@dataclass(frozen=True, slots=True)
class Past:
    """A folder as a commit had it."""

    version: str
    commit: str
    files: FileColumn


def find_past(
    project: Path, folder: TreePath, descriptor: str, version_in: Callable[[str], str], token: CancelToken
) -> Mapping[str, Past]:
    """Return, by release, the folder at the first commit whose descriptor named it; empty without a git history."""
    path = f"{folder}/{descriptor}"
    listed = ask_git(project, "rev-list", "--reverse", f"--max-count={_MAX_COMMITS}", "HEAD", "--", f":(literal){path}")
    if not listed:
        return {}
    prefix = (ask_git(project, "rev-parse", "--show-prefix") or b"").decode("utf-8", "surrogateescape").strip()
    found: dict[str, Past] = {}
    for commit in listed.decode("ascii").split():
        token.check()
        data = ask_git(project, "cat-file", "blob", f"{commit}:{prefix}{path}")
        text = read_text(data) if data is not None else None
        version = version_in(text.text) if text is not None else ""
        if version and version not in found:
            files = dict(_files(project, commit, prefix + folder, token))
            found[version] = Past(version, commit[:10], files)
    return found


def read_past(
    project: Path, commit: str, folder: TreePath, token: CancelToken
) -> tuple[Manifest, Mapping[TreePath, bytes]]:
    """A folder as a commit had it: its files, and their contents by path. Links are left out."""
    prefix = (ask_git(project, "rev-parse", "--show-prefix") or b"").decode("utf-8", "surrogateescape").strip()
    entries: dict[TreePath, TreeEntry] = {}
    contents: dict[TreePath, bytes] = {}
    for path, mode, data in _blobs(project, commit, prefix + folder, token):
        entries[path] = TreeEntry(EntryKind.FILE, mode, digest_of(data), len(data))
        contents[path] = data
    return Manifest.of(entries), contents


def _files(project: Path, commit: str, folder: str, token: CancelToken) -> Iterator[tuple[TreePath, tuple[int, int]]]:
    return ((path, cell_of(data)) for path, _, data in _blobs(project, commit, folder, token))


def _blobs(project: Path, commit: str, folder: str, token: CancelToken) -> Iterator[tuple[TreePath, int, bytes]]:
    """Each file below a folder of a commit, with its mode and content."""
    listed = ask_git(project, "ls-tree", "-r", "-z", "--full-tree", commit, "--", folder + "/")
    names: list[tuple[bytes, TreePath, int]] = []
    for line in (listed or b"").split(b"\0"):
        if not line:
            continue
        about, _, name = line.partition(b"\t")
        mode, kind, blob = about.split()
        if kind == b"blob" and mode != b"120000":
            place = TreePath(os.fsdecode(name)[len(folder) + 1 :])
            names.append((blob, place, 0o755 if mode == b"100755" else 0o644))
    with subprocess.Popen(
        [*GIT, "cat-file", "--batch"], cwd=project, env=git_environment(project), stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL, process_group=0,
    ) as git:  # fmt: skip
        assert git.stdin is not None and git.stdout is not None
        for id, path, bits in names:
            token.check()
            git.stdin.write(id + b"\n")
            git.stdin.flush()
            head = git.stdout.readline().split()
            if len(head) != 3 or head[1] != b"blob":
                continue  # an object that is missing, as in a partial clone
            data = git.stdout.read(int(head[2]))
            git.stdout.read(1)
            yield path, bits, data
        git.stdin.close()
