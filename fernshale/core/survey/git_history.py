"""Read earlier states of a folder from the project's git history, with plumbing commands that run nothing from the project.

For each release that a plugin's descriptor has named, the first commit with it is closest to the vendor's files. Files come from
git's objects instead of the work tree, so filters and hooks do not apply.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import CommandError, ProjectError
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.process.git import ask_git
from fernshale.core.process.git_tree import git_contents, git_entries
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
    """Each file below a folder of a commit, with its mode and content; what git cannot read is left out."""
    try:
        entries = [entry for entry in git_entries(project, commit, folder) if entry.mode != "120000"]
    except (CommandError, ProjectError):
        return
    for entry, data in git_contents(project, entries, token):
        if data is not None:
            yield TreePath(entry.path[len(folder) + 1 :]), 0o755 if entry.mode == "100755" else 0o644, data
