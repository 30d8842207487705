"""Every file has exactly one role, and the rule that gave it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

from fernshale.core.base.globs import FirstFit
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import ROLES, Profile, Role, RoleRule
from fernshale.core.snapshot.manifest import Manifest

# The roles of code that people write, and of all files that they edit.
CODE_ROLES: tuple[Role, ...] = ("own", "plugin", "user content")
EDITED_ROLES: tuple[Role, ...] = (*CODE_ROLES, "asset", "settings")


@dataclass(frozen=True, slots=True)
class RoleOf:
    """A file's role and the reason: the rule that applied, or "no rule fits"."""

    role: Role
    why: str


def role_rule(profile: Profile, path: str) -> RoleRule | None:
    """The profile's first rule that fits the file at `path`."""
    at = _fit(profile.role).find(path)
    return None if at is None else profile.role[at]


def role_of(profile: Profile, path: str) -> RoleOf:
    """The role of the file at `path`: the profile's first rule that fits."""
    rule = role_rule(profile, path)
    if rule is None:
        return RoleOf("other", tr("no rule of the profile fits"))
    return RoleOf(rule.role, rule.why or tr("profile: {files}", files=", ".join(rule.files)))


def files_by_role(profile: Profile, manifest: Manifest) -> Mapping[Role, tuple[TreePath, ...]]:
    """Files of each role, roles in their usual order, paths in order."""
    return manifest.derived(("roles", profile.role), lambda: _by_role(profile, manifest))


def _by_role(profile: Profile, manifest: Manifest) -> Mapping[Role, tuple[TreePath, ...]]:
    found: dict[Role, list[TreePath]] = {role: [] for role in ROLES}
    others = found["other"]
    lists = [found[rule.role] for rule in profile.role]
    find = _fit(profile.role).find
    for path in manifest.paths():
        at = find(path)
        (others if at is None else lists[at]).append(path)
    return {role: tuple(paths) for role, paths in found.items() if paths}


def source_files(profile: Profile, paths: Iterable[TreePath]) -> tuple[TreePath, ...]:
    """The files people edit: not generated and not of an unknown role."""
    return files_of(profile, paths, *EDITED_ROLES)


def files_of(profile: Profile, paths: Iterable[TreePath], *roles: Role) -> tuple[TreePath, ...]:
    """Return those of `paths` with one of `roles`, in order."""
    find = _fit(profile.role).find
    fits: set[int | None] = {at for at, rule in enumerate(profile.role) if rule.role in roles}
    if "other" in roles:
        fits.add(None)
    return tuple(path for path in paths if find(path) in fits)


@lru_cache(maxsize=64)
def _fit(rules: tuple[RoleRule, ...]) -> FirstFit:
    return FirstFit([rule.files for rule in rules])
