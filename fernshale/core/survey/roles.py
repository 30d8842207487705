"""Every file has exactly one role, and the rule that gave it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from fernshale.core.base.globs import matches
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import ROLES, Profile, Role
from fernshale.core.snapshot.manifest import Manifest


@dataclass(frozen=True, slots=True)
class RoleOf:
    """A file's role and why: the glob's rule, or "no rule fits"."""

    role: Role
    why: str


def role_of(profile: Profile, path: str) -> RoleOf:
    """The role of the file at `path`: the profile's first rule that fits."""
    for rule in profile.role:
        if matches(rule.files, path):
            return RoleOf(rule.role, f"{rule.role} in the profile: {', '.join(rule.files)}")
    return RoleOf("other", "no rule of the profile fits")


def files_by_role(profile: Profile, manifest: Manifest) -> Mapping[Role, tuple[TreePath, ...]]:
    """Files of each role, roles in their usual order, paths in order."""
    found: dict[Role, list[TreePath]] = {role: [] for role in ROLES}
    for path in manifest.files:
        found[role_of(profile, path).role].append(path)
    return {role: tuple(paths) for role, paths in found.items() if paths}


def source_files(profile: Profile, paths: Iterable[TreePath]) -> tuple[TreePath, ...]:
    """The files people edit: not generated and not of an unknown role."""
    edited = ("own", "plugin", "user content", "asset", "settings")
    return tuple(path for path in paths if role_of(profile, path).role in edited)
