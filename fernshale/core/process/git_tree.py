"""The files of a commit, read from git's objects: no filter, no hook and nothing else of the repository is run."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import CommandError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, tree_path
from fernshale.core.base.work import CancelToken
from fernshale.core.process.git import GIT, ask_git, git_environment


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
        raise CommandError(f"git cannot read {repository}", tr("Is it a repository, and yours?"))
    found = []
    for line in os.fsdecode(listed).splitlines():
        own, target, name = line.split(" ", 2)
        is_tag = name.startswith("refs/tags/")
        found.append(GitName(name.removeprefix("refs/tags/").removeprefix("refs/heads/"), target or own, is_tag))
    return tuple(found)


def git_entries(repository: Path, commit: str, below: str = "") -> tuple[GitEntry, ...]:
    """The files and links of a commit, `below` a folder if it is named; submodules are left out.

    Raises CommandError, ProjectError for a path that climbs.
    """
    where = ("--", f"{below}/") if below else ()
    listed = ask_git(repository, "ls-tree", "-r", "-z", "--full-tree", commit, *where)
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
    repository: Path, entries: Iterable[GitEntry], token: CancelToken
) -> Iterator[tuple[GitEntry, bytes | None]]:
    """The content of each entry, in order; None for an object that is missing, as in a partial clone. Raises Cancelled."""
    with subprocess.Popen(
        [*GIT, "cat-file", "--batch"], cwd=repository, env=git_environment(repository), stdin=subprocess.PIPE,
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, process_group=0,
    ) as git:  # fmt: skip
        assert git.stdin is not None and git.stdout is not None
        for entry in entries:
            token.check()
            git.stdin.write(entry.object.encode() + b"\n")
            git.stdin.flush()
            head = git.stdout.readline().split()
            if len(head) != 3 or head[1] != b"blob":
                yield entry, None
                continue
            data = git.stdout.read(int(head[2]))
            git.stdout.read(1)
            yield entry, data
        git.stdin.close()
