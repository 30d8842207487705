"""What a person needs to know of a project before a crossing begins. Runs nothing and writes nothing."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.release import parse_release
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.scan import ScanOptions, scan_project
from fernshale.core.profile.model import Profile
from fernshale.core.profile.read import find_profile, read_profile
from fernshale.core.route.download import Patience
from fernshale.core.route.shelf_sources import read_shelf
from fernshale.core.survey.workspace_members import Member

# The time limit for a server while a person waits in a dialog.
_HASTY = Patience(silence_s=4.0, tries=1)


@dataclass(frozen=True, slots=True)
class ProjectProbe:
    """A project and the profile that fits it; `members` are those of a workspace, in order."""

    project: Path
    profile: Profile
    release: str
    members: tuple[Member, ...] = ()


def probe_project(project: Path, profile: Path | None, folders: Sequence[Path]) -> ProjectProbe:
    """Find the profile and the release. Raises ProjectError, FormatError."""
    found = read_profile(profile) if profile else find_profile(project, folders)
    scan = scan_project(project, found, None, Work(), ScanOptions(contents=False))
    return ProjectProbe(scan.project, found, scan.release, scan.members)


def targets_on(shelves: Sequence[str | Path], opening: ProjectProbe) -> list[str]:
    """The releases to move to, the newest stable one first. A server that does not answer soon is skipped.

    Raises MisuseError, FormatError, ShelfError.
    """
    here = parse_release(opening.release)
    found = read_shelf(shelves, _HASTY).engines_of(opening.profile.id)
    others = [item for item in found if parse_release(item.version) != here]
    ordered = sorted(others, key=lambda item: parse_release(item.version), reverse=True)
    return [item.version for item in sorted(ordered, key=lambda item: item.stage != "stable")]


def missing_tools() -> list[str]:
    """Tools that most projects need and that this machine lacks."""
    tools = (("a C++ compiler (g++)", "g++"), ("make", "make"), ("git", "git"))
    return [words for words, program in tools if shutil.which(program) is None]
