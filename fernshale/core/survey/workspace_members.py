"""The members of a workspace: small projects that inherit the release of its root, override it, or pin another."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from fernshale.core.base.bounded_regex import search
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.release import same_release
from fernshale.core.base.textfile import line_end
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import Override, Profile, Reach, Workspace
from fernshale.core.snapshot.manifest import EntryKind, Manifest
from fernshale.core.survey.release_sites import FoundSite, read_project_text
from fernshale.core.survey.value_access import FoundValue, find_values, line_of, replace_values

How = Literal["inherits", "overrides", "pins"]


@dataclass(frozen=True, slots=True)
class Member:
    """A member of the workspace. `site` is where it names its own release, None if it inherits."""

    name: str
    folder: TreePath
    descriptor: TreePath
    how: How
    release: str
    site: FoundSite | None


def find_members(profile: Profile, project: Path, manifest: Manifest, root_release: str) -> tuple[Member, ...]:
    """Return all members by folder; none if the profile has no workspace. Raises FormatError for a broken descriptor."""
    workspace = profile.workspace
    if workspace is None:
        return ()
    folders = manifest.derived(("members", workspace), lambda: _folders(workspace, manifest))
    return tuple(_read(workspace, project, folder, root_release) for folder in folders)


def choose_members(members: Sequence[Member], names: Sequence[str]) -> tuple[Member, ...]:
    """The members called so, by name or folder. Raises MisuseError for one that is not there, with those that are."""
    chosen = []
    for name in names:
        found = next((item for item in members if name.strip("/") in (item.name, item.folder)), None)
        if found is None:
            known = ", ".join(item.name for item in members) or tr("there are none")
            raise MisuseError(
                tr("the workspace has no member {name}", name=name), tr("Its members: {known}.", known=known)
            )
        chosen.append(found)
    return tuple(chosen)


def along(members: Iterable[Member], release: str) -> tuple[Member, ...]:
    """Return the members on a release, whether inherited or their own."""
    return tuple(item for item in members if same_release(item.release, release))


def with_override(workspace: Workspace, text: str, release: str, path: str) -> str:
    """Return a member's descriptor with its own release.

    Raises MisuseError when the profile does not say how, or when its locator does not find the new release.
    """
    if workspace.release is None:
        raise MisuseError(tr("{path}: the profile does not say where a member names its release", path=path))
    words = [value for value in find_values(text, workspace.release, path) if value.text == workspace.inherits]
    if words:
        new = replace_values(text, [(words[0], release)])
    elif workspace.override is not None:
        new = _inserted(workspace.override, text, release)
    else:
        raise MisuseError(tr("{path}: the profile does not say how a member gets a release of its own", path=path))
    found = find_values(new, workspace.release, path)
    if [value.text for value in found] != [release]:
        raise MisuseError(
            tr(
                "{path}: what the profile puts in for an override does not lead to {release}",
                path=path,
                release=release,
            )
        )
    return new


def _inserted(override: Override, text: str, release: str) -> str:
    end = line_end(text)
    line = override.text.replace("{release}", release).rstrip("\n").replace("\n", end) + end
    if override.after:
        found = search(override.after, text)
        if found is not None:
            stop = text.find("\n", found.end())
            at = len(text) if stop < 0 else stop + 1
            return text[:at] + ("" if at == 0 or text[at - 1] == "\n" else end) + line + text[at:]
    return text + ("" if not text or text.endswith("\n") else end) + line


def _folders(workspace: Workspace, manifest: Manifest) -> list[TreePath]:
    fit = FirstFit([workspace.members])
    files = frozenset(manifest.paths())
    return [path for path in fit.those(manifest.paths(EntryKind.FOLDER)) if f"{path}/{workspace.descriptor}" in files]


def _read(workspace: Workspace, project: Path, folder: TreePath, root_release: str) -> Member:
    path = TreePath(f"{folder}/{workspace.descriptor}")
    text = read_project_text(project, path).text

    def first(reach: Reach | None) -> FoundValue | None:
        return next(iter(find_values(text, reach, path)), None) if reach else None

    named = first(workspace.name)
    name = named.text if named else folder.rsplit("/", 1)[-1]
    how: How = "pins"
    reach, value = workspace.pin, first(workspace.pin)
    if value is None:
        how, reach, value = "overrides", workspace.release, first(workspace.release)
    if reach is None or value is None or (workspace.inherits and value.text == workspace.inherits):
        return Member(name, folder, path, "inherits", root_release, None)
    site = FoundSite(
        f"{name} {how} the release",
        path,
        reach,
        "exact",
        value,
        line_of(text, value),
        member=folder,
    )
    return Member(name, folder, path, how, value.text, site)
