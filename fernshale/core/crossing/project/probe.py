"""What has to be known of a project before a crossing can begin; runs nothing and writes nothing."""

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

# Somebody sits before the dialog and waits.
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
    """Releases of the project's engine to go to, the newest stable one first; a server is not waited for long.

    Raises MisuseError, FormatError, ShelfError.
    """
    here = parse_release(opening.release)
    found = read_shelf(shelves, _HASTY).engines_of(opening.profile.id)
    others = [item for item in found if parse_release(item.version) != here]
    ordered = sorted(others, key=lambda item: parse_release(item.version), reverse=True)
    return [item.version for item in sorted(ordered, key=lambda item: item.stage != "stable")]


def missing_tools() -> list[str]:
    """What most projects need of a machine and is not here."""
    tools = (("a C++ compiler (g++)", "g++"), ("make", "make"), ("git", "git"))
    return [words for words, program in tools if shutil.which(program) is None]
