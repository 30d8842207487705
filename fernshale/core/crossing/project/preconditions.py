"""What a person needs to know of a project before a crossing begins. Runs nothing and writes nothing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.work import Work
from fernshale.core.crossing.project.scan import ScanOptions, scan_project
from fernshale.core.profile.model import Profile
from fernshale.core.profile.read import find_profile, read_profile
from fernshale.core.route.download import Patience
from fernshale.core.survey.plugins import Plugin
from fernshale.core.survey.workspace_members import Member

# The time limit for a server while a person waits in a dialog.
HASTY = Patience(silence_s=4.0, tries=1)


@dataclass(frozen=True, slots=True)
class ProjectProbe:
    """A project and the profile that fits it; `members` are those of a workspace, `plugins` its plugins."""

    project: Path
    profile: Profile
    release: str
    members: tuple[Member, ...] = ()
    plugins: tuple[Plugin, ...] = ()


def probe_project(project: Path, profile: Path | None, folders: Sequence[Path]) -> ProjectProbe:
    """Find the profile and the release. Raises ProjectError, FormatError."""
    found = read_profile(profile) if profile else find_profile(project, folders)
    scan = scan_project(project, found, None, Work(), ScanOptions(contents=False))
    return ProjectProbe(scan.project, found, scan.release, scan.members, scan.plugins)
