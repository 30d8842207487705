"""Commits of a crossing in a git work tree: a branch for it, and a commit for each step with a message from its decisions.

Commits are made with an index of our own and without touching the work tree, so staged or edited files of the user are neither
committed nor lost. Nothing is written before the user has agreed.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import CommandError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath, printable, under
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.crossing.record.database import Crossing, LogEntry
from fernshale.core.crossing.record.facts import Fact, text_fact
from fernshale.core.process.git import Filter, ask_git, find_filters, tell_git

KEY = "git:steps"
# The branch that steps are committed on, LEFT_ALONE, or None before a decision.
_BRANCH: Fact[str | None] = Fact("git", None, str)
LEFT_ALONE = "leave"
# Of each logbook entry the state that was committed and the commit.
_COMMITS: Fact[dict[str, list[str]]] = Fact("git commits", {}, dict)
# What git refused the last time.
_TROUBLE = text_fact("git trouble")
# The digest of the filters that a person agreed to.
_FILTERS = text_fact("git filters")
# The facts that hold only for the person and the repository that they were agreed to with.
AGREEMENTS = (_BRANCH.name, _COMMITS.name, _TROUBLE.name, _FILTERS.name)
_SUBJECT = 72
_LINK_MODE = b"160000"
_POINTER = b"version https://git-lfs."
_SHOWN = 3


@dataclass(frozen=True, slots=True)
class WorkTree:
    """The git work tree of a project. `obstacles` say why steps cannot be committed; `remarks` are to be read before.

    `filters` are those that git would run on files of the project when it commits them.
    """

    branch: str
    head: str
    obstacles: tuple[str, ...]
    remarks: tuple[str, ...]
    filters: tuple[Filter, ...] = ()

    @property
    def consent(self) -> str:
        """What a person agrees to when steps are to be committed, see `consent_to`."""
        return consent_to(self.filters)


def find_work_tree(project: Path) -> WorkTree | None:
    """None if the project is in no git work tree, or git tracks nothing of it. Only reads."""
    inside = ask_git(project, "rev-parse", "--is-inside-work-tree")
    if inside is None or inside.strip() != b"true" or ask_git(project, "check-ignore", "-q", ".") is not None:
        return None
    branch = (ask_git(project, "symbolic-ref", "-q", "--short", "HEAD") or b"").decode("utf-8", "replace").strip()
    head = (ask_git(project, "rev-parse", "-q", "--verify", "HEAD^{commit}") or b"").decode("ascii", "replace").strip()
    remarks, filters = tuple(_remarks(find_submodules(project))), used_filters(project)
    return WorkTree(branch, head, tuple(_obstacles(project, head)), remarks, filters)


def used_filters(project: Path, further: bytes = b"") -> tuple[Filter, ...]:
    """The filters that the settings name and that the attributes of a tracked file ask for, or of a file in `further`."""
    filters = find_filters(project)
    if not filters:
        return ()
    used = {value.decode("utf-8", "surrogateescape") for _, value in _filter_attributes(project, further)}
    return tuple(item for item in filters if item.name in used)


def _filter_attributes(project: Path, further: bytes = b"") -> list[tuple[bytes, bytes]]:
    """Each tracked file, and each in `further`, with the name of the filter that its attributes ask for."""
    listed = (ask_git(project, "ls-files", "-z") or b"") + further
    cells = (ask_git(project, "check-attr", "-z", "--stdin", "filter", given=listed) or b"").split(b"\0")
    pairs = zip(cells[::3], cells[2::3], strict=False)
    return [(name, value) for name, value in pairs if value not in (b"unspecified", b"unset", b"set")]


def consent_to(filters: Sequence[Filter]) -> str:
    """What a person agrees to when git commits with these filters: it names their exact command lines."""
    return f"commit {filters_digest(filters)}" if filters else "commit"


def filters_digest(filters: Sequence[Filter]) -> str:
    """A digest that changes with the command line of any filter."""
    text = json.dumps([[item.name, item.commands] for item in filters])
    return hashlib.sha256(text.encode("utf-8", "surrogateescape")).hexdigest()[:12]


def filter_lines(filters: Sequence[Filter]) -> tuple[str, ...]:
    """Each command line that filters would run, for people."""
    return tuple(
        printable(f"filter {item.name}, {when}: {command}") for item in filters for when, command in item.commands
    )


def _obstacles(project: Path, head: str, agreed: Sequence[Filter] = ()) -> Iterable[str]:
    if not head:
        yield "the repository has no commit yet; make a first one"
        return
    for name, words in (("MERGE_HEAD", "a merge"), ("rebase-merge", "a rebase"), ("rebase-apply", "a rebase")):
        place = ask_git(project, "rev-parse", "--git-path", name)
        if place and (project / os.fsdecode(place.strip())).exists():
            yield f"{words} is under way; finish or abort it"
    if ask_git(project, "var", "GIT_COMMITTER_IDENT") is None:
        yield "git does not know who you are; set user.name and user.email"
    if names := _uncommitted(project, agreed):
        yield f"{count(len(names), 'file')} changed and not committed ({_some(names)}); commit or stash them"
    yield from _pointer_obstacles(project)


def _uncommitted(project: Path, agreed: Sequence[Filter]) -> list[bytes]:
    """Tracked files below the project that differ from the last commit.

    Files that only seem changed by their times are compared by content: git itself would run the filters that its settings
    name. A file that such a filter converts is compared only after a person has agreed to it.
    """
    words = ("diff-index", "-z", "--relative", "--ignore-submodules=all", "HEAD", "--", ".")
    cells = (ask_git(project, *words) or b"").split(b"\0")
    rows = [(about.lstrip(b":").split(), name) for about, name in zip(cells[::2], cells[1::2], strict=False)]
    names = [item.name for item in agreed]
    configured = {item.name for item in find_filters(project)}
    converted = {
        name: value.decode("utf-8", "surrogateescape") for name, value in _filter_attributes(project)
    } if configured else {}  # fmt: skip
    found = []
    for (old_mode, new_mode, old, new, _), name in rows:
        if old_mode == new_mode and not new.strip(b"0"):
            filter_name = converted.get(name)
            if filter_name in configured and filter_name not in names:
                continue  # unknown for now
            how = ("--stdin-paths",) if filter_name in configured else ("--no-filters", "--stdin-paths")
            now = ask_git(project, "hash-object", *how, given=name + b"\n", filters=names)
            if now is not None and now.strip() == old:
                continue
        found.append(name)
    return found


def _pointer_obstacles(project: Path) -> Iterable[str]:
    names = [name for name, value in _filter_attributes(project) if value == b"lfs"]
    if not names:
        return
    pointers = [name for name in names if _is_pointer(project / os.fsdecode(name))]
    if pointers:
        yield f"LFS pointers in place of {count(len(pointers), 'file')} ({_some(pointers)}); fetch them"
    elif not (ask_git(project, "config", "filter.lfs.clean") and shutil.which("git-lfs")):
        yield f"{count(len(names), 'file')} are kept by LFS, which is not set up on this machine; install it"


def _is_pointer(path: Path) -> bool:
    try:
        with path.open("rb") as file:
            return file.read(len(_POINTER)) == _POINTER
    except OSError:
        return False


def _remarks(submodules: Sequence[TreePath]) -> Iterable[str]:
    if submodules:
        names = ", ".join(submodules[:_SHOWN])
        yield f"files in a submodule ({names}) are not committed here; commit them there"


def _some(names: Sequence[bytes]) -> str:
    shown = ", ".join(os.fsdecode(name).encode("utf-8", "replace").decode() for name in names[:_SHOWN])
    return f"{shown}, …" if len(names) > _SHOWN else shown


@dataclass(frozen=True, slots=True)
class Committing:
    """Whether the steps of a crossing are committed. `branch` is None before a decision, "" where git is left alone.

    `trouble` is the last error of git, "" where there was none.
    """

    branch: str | None
    trouble: str


def read_committing(crossing: Crossing) -> Committing:
    """The decision about commits, and the result of the last one."""
    chosen = crossing.read(_BRANCH)
    return Committing("" if chosen == "leave" else chosen, crossing.read(_TROUBLE) or "")


def commit_from_now_on(crossing: Crossing, consent: str) -> str:
    """Switch to a branch for the crossing, or resume commits that failed; returns the name of the branch.

    `consent` is what a person agreed to, see `WorkTree.consent`. Raises CommandError with the obstacle, such as filters that
    the person did not see.
    """
    project = crossing.setup.project
    chosen = crossing.read(_BRANCH)
    filters = used_filters(project)
    agreed = consent.partition(" ")[2]
    if filters and agreed != filters_digest(filters):
        lines = "\n".join(filter_lines(filters))
        raise CommandError(
            f"git would run commands that its settings name, and nobody agreed to these:\n{lines}",
            tr(
                "If you trust them, choose “commit {filters_digest}”, or add --trust to --git.",
                filters_digest=filters_digest(filters),
            ),
        )
    crossing.keep(_FILTERS, agreed)
    if chosen not in (None, "leave"):
        commit_steps(crossing)
        if trouble := crossing.read(_TROUBLE):
            raise CommandError(trouble)
        return str(chosen)
    tree = find_work_tree(project)
    if tree is None:
        raise CommandError(tr("{project} is not in a git work tree", project=project))
    if obstacles := tuple(_obstacles(project, tree.head, filters)):
        raise CommandError(tr("steps cannot be committed: ") + "; ".join(obstacles))
    name = branch_name(crossing)
    # The new branch begins where HEAD is: neither the index nor the work tree changes.
    tell_git(project, "update-ref", f"refs/heads/{name}", tree.head, "0" * len(tree.head))
    tell_git(project, "symbolic-ref", "-m", f"crossing: on {name}", "HEAD", f"refs/heads/{name}")
    crossing.keep(_BRANCH, name)
    crossing.keep(_COMMITS, {str(entry.id): [entry.state, ""] for entry in crossing.logbook()})
    crossing.keep(_TROUBLE, "")
    return name


def leave_alone(crossing: Crossing) -> None:
    """Stop committing steps."""
    crossing.keep(_BRANCH, "leave")
    crossing.keep(_TROUBLE, "")


def commit_steps(crossing: Crossing) -> None:
    """Commit each step that was done or undone and is not committed yet. An error of git becomes an open item.

    The step is in the project whether git accepts it or not, so errors of git are not raised.
    """
    branch = crossing.read(_BRANCH)
    if branch in (None, "leave"):
        return
    project = crossing.setup.project
    try:
        on = (ask_git(project, "symbolic-ref", "-q", "--short", "HEAD") or b"").decode("utf-8", "replace").strip()
        if on != branch:
            raise CommandError(
                tr("the project is on {on}, not on {branch}; switch to it", on=on or tr("no branch"), branch=branch)
            )
        kept = crossing.read(_COMMITS)
        commits = {**kept}
        # A return to a point undid several steps at once: one commit, with its own message.
        for entry in sorted(crossing.logbook(), key=lambda item: not item.is_return):
            state, _ = commits.get(str(entry.id), ["", ""])
            if entry.changes is None or entry.state not in ("done", "undone") or entry.state == state:
                continue
            if entry.state == "undone" and not state:
                continue  # done and undone before any of it was committed
            commits[str(entry.id)] = [entry.state, _commit(crossing, project, branch, entry)]
            crossing.keep(_COMMITS, commits)
    except CommandError as error:
        crossing.keep(_TROUBLE, error.message)
    else:
        crossing.keep(_TROUBLE, "")


def commit_of(crossing: Crossing, entry: int) -> str:
    """The commit of a step in its current state, "" where there is none."""
    commits = crossing.read(_COMMITS) or {}
    return str(commits.get(str(entry), ["", ""])[1])


def _commit(crossing: Crossing, project: Path, branch: str, entry: LogEntry) -> str:
    """Raises CommandError."""
    assert entry.changes is not None
    paths, left_out = _committed_paths(project, entry.changes, find_submodules(project))
    head = tell_git(project, "rev-parse", "--verify", f"refs/heads/{branch}^{{commit}}")
    own = {"GIT_INDEX_FILE": str(crossing.folder / "git.index")}
    given = b"".join(os.fsencode(path) + b"\0" for path in paths)
    filters = used_filters(project, given)
    if filters and crossing.read(_FILTERS) != filters_digest(filters):
        raise CommandError(tr("git's filters are not those you agreed to: ") + "; ".join(filter_lines(filters)))
    names = [item.name for item in filters]
    tell_git(project, "read-tree", head, more=own)
    tell_git(project, "update-index", "--add", "--remove", "-z", "--stdin", given=given, more=own, filters=names)
    made = tell_git(project, "write-tree", more=own)
    if made == tell_git(project, "rev-parse", f"{head}^{{tree}}"):
        return head  # git ignores all of it
    message = message_of(crossing, entry, left_out).encode("utf-8", "replace")
    commit = tell_git(project, "commit-tree", made, "-p", head, "-F", "-", given=message)
    tell_git(project, "update-ref", "-m", f"crossing: {entry.title}"[:200], f"refs/heads/{branch}", commit, head)
    # So that git does not list committed files as staged; other files that the user staged stay staged.
    tell_git(project, "update-index", "--add", "--remove", "-z", "--stdin", given=given, filters=names)
    return commit


def find_submodules(project: Path) -> tuple[TreePath, ...]:
    listed = ask_git(project, "ls-files", "-s", "-z") or b""
    return tuple(_path(line) for line in listed.split(b"\0") if line.startswith(_LINK_MODE))


def _committed_paths(
    project: Path, changes: ChangeSet, submodules: Sequence[TreePath]
) -> tuple[list[TreePath], dict[TreePath, int]]:
    """The paths that git tracks, and the number of paths in each submodule, which this repository cannot commit."""
    paths: list[TreePath] = []
    left_out: dict[TreePath, int] = {}
    for change in changes.files:
        module = next((item for item in submodules if under(change.path, item)), None)
        if module is None:
            paths.append(change.path)
        else:
            left_out[module] = left_out.get(module, 0) + 1
    given = b"".join(os.fsencode(path) + b"\0" for path in paths)
    ignored = ask_git(project, "check-ignore", "-z", "--stdin", given=given) or b""
    gone = {os.fsdecode(name) for name in ignored.split(b"\0")}
    return [path for path in paths if path not in gone], left_out


def message_of(crossing: Crossing, entry: LogEntry, left_out: dict[TreePath, int]) -> str:
    """The message of a step's commit: title, reason, decisions and route."""
    subject = f"{entry.stage.value}: {entry.title}"
    if entry.state == "undone":
        subject = f"Undo: {entry.title}"
    whole = [subject, ""] if len(subject) > _SUBJECT else []
    lines = [subject if not whole else subject[: _SUBJECT - 1] + "…", "", *whole]
    if entry.why:
        lines += [entry.why, ""]
    taken = [item for item in crossing.decisions().values() if item.entry == entry.id and item.entry]
    if taken:
        lines += ["Decisions:", *(f"- {_decision(item.key, item.choice, item.who, item.why)}" for item in taken), ""]
    for module, number in left_out.items():
        lines += [f"Not in this commit: {count(number, 'file')} in the submodule {module}.", ""]
    setup = crossing.setup
    lines.append(f"Crossing: {setup.from_} to {setup.to}")
    return "\n".join(lines) + "\n"


def _decision(key: str, choice: str, who: str, why: str) -> str:
    return f"{key}: {choice or 'left as it is'} ({who}{': ' + why if why else ''})"


def branch_name(crossing: Crossing) -> str:
    """A name no branch has yet."""
    setup = crossing.setup
    plain = f"crossing-{setup.start}-to-{setup.target}"
    name = "".join(letter if letter.isalnum() or letter in "-." else "-" for letter in plain).replace("..", ".")
    number = 1
    while ask_git(setup.project, "rev-parse", "-q", "--verify", f"refs/heads/{_numbered(name, number)}"):
        number += 1
    return _numbered(name, number)


def _numbered(name: str, number: int) -> str:
    return name if number == 1 else f"{name}-{number}"


def _path(line: bytes) -> TreePath:
    return TreePath(os.fsdecode(line.partition(b"\t")[2]))
