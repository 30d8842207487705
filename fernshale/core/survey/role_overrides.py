"""A person's own rules for the roles of files, kept outside the project: "this folder is mine"."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import ClassVar

from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.dry_run import before_writing
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.toml_schema import STRICT, read_toml
from fernshale.core.base.treepath import TreePath, printable, tree_path
from fernshale.core.profile.model import ROLES, Profile, Role, RoleRule
from fernshale.core.survey.roles import RoleOf

FORMAT = "fernshale-roles/1"
_WHY = tr("a rule of your own: ")


@dataclass(frozen=True, slots=True)
class OwnRule:
    """A place (a file or a folder of the project) and the role you gave it."""

    __pydantic_config__: ClassVar = STRICT
    place: str
    role: Role


@dataclass(frozen=True, slots=True)
class _RoleFile:
    __pydantic_config__: ClassVar = STRICT
    project: str = ""
    rule: tuple[OwnRule, ...] = ()


def read_own_rules(project: Path) -> tuple[OwnRule, ...]:
    """The rules for a project, the latest first. Raises FormatError."""
    path = _file_of(project)
    return read_toml(path, _RoleFile, FORMAT).rule if path.is_file() else ()


def set_own_rule(project: Path, place: TreePath, role: str) -> None:
    """Set the role of a file or folder, overriding the profile. Raises ProjectError for a path outside, MisuseError."""
    tree_path(place)
    if place != printable(place):
        raise MisuseError(
            tr("{place} has a name that is not UTF-8", place=printable(place)), tr("Give the folder above it a role.")
        )
    if role not in ROLES:
        raise MisuseError(tr("{role!r} is no role", role=role), tr("Roles: {roles}.", roles=", ".join(ROLES)))
    kept = [rule for rule in read_own_rules(project) if rule.place != place]
    _write(project, [OwnRule(place, role), *kept])


def drop_own_rule(project: Path, place: TreePath) -> None:
    """Remove a role that the user set. Raises MisuseError when there is none."""
    rules = read_own_rules(project)
    if not any(rule.place == place for rule in rules):
        raise MisuseError(tr("there is no rule of your own for {place}", place=place))
    _write(project, [rule for rule in rules if rule.place != place])


def with_own_rules(profile: Profile, project: Path) -> Profile:
    """The profile with a person's own rules before its own."""
    rules = tuple(
        RoleRule(
            rule.role,
            (_escaped(rule.place), _escaped(rule.place) + "/**"),
            why=tr("{why}{place} is {role}", why=_WHY, place=rule.place, role=rule.role),
        )
        for rule in read_own_rules(project)
    )
    return replace(profile, role=(*rules, *profile.role)) if rules else profile


def is_own_rule(found: RoleOf) -> bool:
    """Return whether the user set this role."""
    return found.why.startswith(_WHY)


def _escaped(place: str) -> str:
    return "".join("\\" + letter if letter in "*?[]!\\# " else letter for letter in place)


def _write(project: Path, rules: Sequence[OwnRule]) -> None:
    lines = [
        f"format = {json.dumps(FORMAT)}",
        f"project = {json.dumps(os.fsencode(project).decode('utf-8', 'replace'))}",
    ]
    for rule in rules:
        lines += [
            "",
            "[[rule]]",
            f"place = {json.dumps(rule.place, ensure_ascii=False)}",
            f"role = {json.dumps(rule.role)}",
        ]
    path = _file_of(project)
    before_writing(path)
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomic(path, ("\n".join(lines) + "\n").encode())


def _file_of(project: Path) -> Path:
    key = hashlib.sha256(os.fsencode(project.resolve())).hexdigest()[:24]
    return home() / "roles" / f"{key}.toml"
