"""The files of a commit, read from git's objects: no filter, no hook and nothing else of the repository is run."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import CommandError
from fernshale.core.base.treepath import TreePath, tree_path
from fernshale.core.base.work import CancelToken
from fernshale.core.process.git import ask_git

# So many objects are asked for at once.
_BATCH = 200


@dataclass(frozen=True, slots=True)
class GitEntry:
    """A file or link of a commit; `mode` as git writes it: 100644, 100755, 120000 for a link."""

    path: TreePath
    mode: str
    object: str


@dataclass(frozen=True, slots=True)
class GitName:
    """A tag or branch, and the commit it leads to."""

    name: str
    commit: str
    is_tag: bool


def is_repository(folder: Path) -> bool:
    """Whether a folder is the top of a git work tree, or a bare repository."""
    return (folder / ".git").exists() or ((folder / "HEAD").is_file() and (folder / "objects").is_dir())


def git_names(repository: Path) -> tuple[GitName, ...]:
    """The tags and branches of a repository. Raises CommandError where git cannot read it."""
    form = "%(objectname) %(*objectname) %(refname)"
    listed = ask_git(repository, "for-each-ref", f"--format={form}", "refs/tags", "refs/heads")
    if listed is None:
        raise CommandError(f"git cannot read {repository}", "Is it a repository, and yours?")
    found = []
    for line in os.fsdecode(listed).splitlines():
        own, target, name = line.split(" ", 2)
        is_tag = name.startswith("refs/tags/")
        found.append(GitName(name.removeprefix("refs/tags/").removeprefix("refs/heads/"), target or own, is_tag))
    return tuple(found)


def git_entries(repository: Path, commit: str) -> tuple[GitEntry, ...]:
    """The files and links of a commit; submodules are left out. Raises CommandError, ProjectError for a path that climbs."""
    listed = ask_git(repository, "ls-tree", "-r", "-z", "--full-tree", commit)
    if listed is None:
        raise CommandError(f"git cannot read the commit {commit} of {repository}")
    found = []
    for line in filter(None, listed.split(b"\0")):
        facts, _, name = line.partition(b"\t")
        mode, kind, object_ = facts.decode("ascii").split()
        if kind == "blob":
            found.append(GitEntry(tree_path(os.fsdecode(name)), mode, object_))
    return tuple(found)


def git_contents(
    repository: Path, entries: tuple[GitEntry, ...], token: CancelToken
) -> Iterator[tuple[GitEntry, bytes]]:
    """The content of each entry, in order. Raises CommandError for a missing object, Cancelled."""
    for start in range(0, len(entries), _BATCH):
        token.check()
        some = entries[start : start + _BATCH]
        given = "".join(f"{entry.object}\n" for entry in some).encode()
        output = ask_git(repository, "cat-file", "--batch", given=given)
        if output is None:
            raise CommandError(f"git cannot read objects of {repository}")
        at = 0
        for entry in some:
            end = output.find(b"\n", at)
            words = output[at:end].split()
            if len(words) != 3:
                raise CommandError(f"{repository} lacks the object of {entry.path}", "It may be a partial clone.")
            size = int(words[2])
            yield entry, output[end + 1 : end + 1 + size]
            at = end + size + 2
