"""Whether files changed since a build or a run, apart from the files that these write into the project themselves.

A tool may keep its cache among the files of a project, and a game its saved games. Such a file is no reason to build or run
again: it changed during a build or run, and it is binary or has no role in the profile.
"""

from __future__ import annotations

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.profile.model import Role
from fernshale.core.snapshot.manifest import digest_of
from fernshale.core.survey.roles import role_of

_COMMAND = "command "
_LEAVING = (f"{_COMMAND}build", f"{_COMMAND}run")


def about_command(name: str) -> str:
    """The `about` of the logbook entry that holds the changes of a profile command."""
    return f"{_COMMAND}{name}"


def fingerprint(crossing: Crossing, scan: ProjectScan, without: tuple[Role, ...]) -> str:
    """A digest that changes when a file changes, except files with a role in `without` and files that builds and runs write."""
    left = frozenset(
        file.path
        for entry in crossing.logbook()
        if entry.about in _LEAVING and entry.changes
        for file in entry.changes.files
    )
    return scan.manifest.derived((without, left), lambda: _fingerprint(scan, without, left))


def _fingerprint(scan: ProjectScan, without: tuple[Role, ...], left: frozenset[TreePath]) -> str:
    lines = []
    for path, entry in scan.manifest.files.items():
        role = role_of(scan.profile, path).role
        if role in without or (path in left and (role == "other" or scan.read(path) is None)):
            continue
        lines.append(f"{path}\0{entry.content}\0{entry.mode}")
    return digest_of("\n".join(lines).encode("utf-8", "surrogateescape"))[:16]
