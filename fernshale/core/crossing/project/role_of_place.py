"""The role of a place in a project, why it has it, and a person's own rule for it."""

from __future__ import annotations

from pathlib import Path

from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.survey.role_overrides import drop_own_rule, set_own_rule
from fernshale.core.survey.roles import RoleOf, role_of


def role_at(scan: ProjectScan, place: TreePath) -> RoleOf:
    """The role of a file, or of the files in a folder, and the rule that assigns it."""
    first = next((path for path in scan.manifest.paths() if path.startswith(place + "/")), place)
    return role_of(scan.profile, first)


def give_role(project: Path, place: TreePath, role: str) -> str:
    """Assign a role to a place by a rule of the user's own, or with "" remove that rule; returns the result in words.

    Raises MisuseError, ProjectError for a place outside the project.
    """
    if role:
        set_own_rule(project, place, role)
        return tr("{place} is {role} by a rule of your own", place=place, role=role)
    drop_own_rule(project, place)
    return tr("{place} has the role of the profile again", place=place)
