"""Every place of a project where a release is written."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.globs import FirstFit, matches
from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.profile.model import Notation, Profile, Reach, Site
from fernshale.core.snapshot.manifest import Manifest
from fernshale.core.survey.value_access import FoundValue, find_values, line_of

_PLUGIN = "{plugin}"


@dataclass(frozen=True, slots=True)
class FoundSite:
    """A release found at a site. `plugin` is empty for the engine's; `line` is 1-based.

    `member` is the folder of the workspace member that names its own release here.
    """

    name: str
    file: TreePath
    at: Reach
    notation: Notation
    value: FoundValue
    line: int
    plugin: str = ""
    member: str = ""


def find_sites(profile: Profile, project: Path, manifest: Manifest, plugins: Sequence[str]) -> tuple[FoundSite, ...]:
    """All sites in the order of the profile. Raises FormatError for a broken file, ProjectError for a missing one."""
    found: list[FoundSite] = []
    named = manifest.derived(("sites", profile.site), lambda: _named(profile, manifest))
    for site in profile.site:
        files = [path for path in named if matches(site.files, path)]
        hits = [hit for path in files for hit in _in_file(site, project, path, plugins)]
        if site.required and not hits:
            where = ", ".join(files) or ", ".join(site.files)
            raise ProjectError(
                f"the {site.name} does not say which release the project is on ({where}, at {site.at.text})",
                "Correct the file, or the site in the profile.",
            )
        found += hits
    return tuple(found)


def _named(profile: Profile, manifest: Manifest) -> list[TreePath]:
    """Select the few paths that some site names, in one pass over possibly very many."""
    fit = FirstFit([[glob for site in profile.site for glob in site.files]])
    return fit.those(manifest.paths())


@dataclass(frozen=True, slots=True)
class FoundStandard:
    """A number the project states for its toolchain, as the profile calls it; `line` is 1-based."""

    name: str
    file: TreePath
    value: FoundValue
    line: int


def find_standards(profile: Profile, project: Path, manifest: Manifest) -> tuple[FoundStandard, ...]:
    """All standards the project states, in the order of the profile. Raises FormatError for a broken file."""
    found = []
    for standard in profile.standard:
        for path in manifest.paths():
            if matches(standard.files, path):
                text = read_project_text(project, path).text
                for value in find_values(text, standard.at, path):
                    found.append(FoundStandard(standard.name, path, value, line_of(text, value)))
    return tuple(found)


def project_release(sites: Sequence[FoundSite]) -> str:
    """The release the project is on: the first engine site that names exactly one. Raises ProjectError."""
    for site in sites:
        if not site.plugin and site.notation == "exact":
            return site.value.text
    raise ProjectError("nothing in the project says which engine release it is on")


def read_project_text(project: Path, path: TreePath) -> TextFile:
    """A text file of the project. Raises ProjectError when it is unreadable or binary."""
    try:
        data = on_disk(project, path).read_bytes()
    except OSError as error:
        raise ProjectError(f"{path} cannot be read: {error.strerror}") from error
    text = read_text(data)
    if text is None:
        raise ProjectError(f"{path} is not a text file")
    return text


def expand(reach: Reach, plugin: str) -> Reach:
    """`reach` with `{plugin}` filled in."""
    return replace(reach, **{reach.syntax: getattr(reach, reach.syntax).replace(_PLUGIN, plugin)})


def _in_file(site: Site, project: Path, path: TreePath, plugins: Sequence[str]) -> list[FoundSite]:
    text = read_project_text(project, path).text
    owners = plugins if _PLUGIN in site.at.text else ("",)
    found = []
    for plugin in owners:
        reach = expand(site.at, plugin)
        for value in find_values(text, reach, path):
            line = line_of(text, value)
            found.append(FoundSite(site.name, path, reach, site.notation, value, line, plugin))
    return found
