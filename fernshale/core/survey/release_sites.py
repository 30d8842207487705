"""Every place of a project where a release is written."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.globs import FirstFit, literal, matches
from fernshale.core.base.range_dialects import Policy, lowest_release
from fernshale.core.base.release_notation import read_written
from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.profile.model import Notation, Profile, Reach, ReleaseValue, Site
from fernshale.core.snapshot.manifest import Manifest
from fernshale.core.survey.plugins import Plugin
from fernshale.core.survey.value_access import FoundValue, find_values, line_of


@dataclass(frozen=True, slots=True)
class FoundSite:
    """A release found at a site. `plugin` is empty for the engine's; `line` is 1-based.

    `member` is the folder of the workspace member that names its own release here. `belonging` is the name of a value that
    belongs to the engine's release, if this is one.
    """

    name: str
    file: TreePath
    at: Reach
    notation: Notation
    value: FoundValue
    line: int
    plugin: str = ""
    member: str = ""
    policy: Policy = "widen"
    belonging: str = ""

    @property
    def names_engine(self) -> bool:
        """Whether it names exactly one release of the engine."""
        return not self.plugin and not self.belonging and self.notation == "exact"


@dataclass(frozen=True, slots=True)
class SitePlace:
    """A file in which a site is to be looked for, and the locator there; `plugin` is the id of the plugin it is for."""

    file: TreePath
    at: Reach
    plugin: str = ""


def find_sites(profile: Profile, project: Path, manifest: Manifest, plugins: Sequence[Plugin]) -> tuple[FoundSite, ...]:
    """All sites in the order of the profile. Raises FormatError for a broken file, ProjectError for a missing one."""
    found: list[FoundSite] = []
    for site in profile.site:
        places = list(site_places(site, manifest, plugins))
        hits = [hit for place in places for hit in _at_place(site, project, place)]
        if site.required and not hits:
            where = ", ".join(dict.fromkeys(place.file for place in places)) or ", ".join(site.files)
            raise ProjectError(
                tr(
                    "the {name} does not say which release the project is on ({where}, at {words})",
                    name=site.name,
                    where=where,
                    words=site.at.text,
                ),
                tr("Correct the file, or the site in the profile."),
            )
        found += hits
    for value in profile.release_value:
        for path in _fitting(value.files, manifest):
            found += _belonging(value, project, path)
    return tuple(found)


def _belonging(value: ReleaseValue, project: Path, path: TreePath) -> list[FoundSite]:
    text = read_project_text(project, path).text
    return [
        FoundSite(value.name, path, value.at, "exact", found, line_of(text, found), belonging=value.name)
        for found in find_values(text, value.at, path)
    ]


def site_places(site: Site, manifest: Manifest, plugins: Sequence[Plugin]) -> Iterator[SitePlace]:
    """Where a site has to be looked for."""
    if not site.is_per_plugin:
        yield from (SitePlace(path, site.at) for path in _fitting(site.files, manifest))
        return
    for plugin in plugins:
        globs = tuple(fill_plugin(glob, plugin) for glob in site.files)
        for path in _fitting(globs, manifest):
            yield SitePlace(path, site.at.filled(plugin=plugin.id, id=plugin.id), plugin.id)


def fill_plugin(glob: str, plugin: Plugin) -> str:
    """A glob for one plugin: `{plugin}` is its folder, `{id}` its id."""
    return glob.replace("{plugin}", literal(plugin.folder)).replace("{id}", literal(plugin.id))


def _fitting(globs: tuple[str, ...], manifest: Manifest) -> list[TreePath]:
    return manifest.derived(("files of a site", globs), lambda: FirstFit([globs]).those(manifest.paths()))


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
    """The release the project is on: the first engine site that names exactly one, or, where there are only ranges, the lowest
    that the first of them holds. Raises ProjectError."""
    for site in sites:
        if site.names_engine and (release := read_written(site.value.text)) is not None:
            return release.text
    for site in sites:
        is_range = not site.plugin and not site.belonging and site.notation not in ("exact", "series")
        if is_range and (lowest := lowest_release(site.value.text)) is not None:
            return lowest.text
    raise ProjectError(tr("nothing in the project says which engine release it is on"))


def read_project_text(project: Path, path: TreePath) -> TextFile:
    """A text file of the project. Raises ProjectError when it is unreadable or binary."""
    try:
        data = on_disk(project, path).read_bytes()
    except OSError as error:
        raise ProjectError(tr("{path} cannot be read: {strerror}", path=path, strerror=error.strerror)) from error
    text = read_text(data)
    if text is None:
        raise ProjectError(tr("{path} is not a text file", path=path))
    return text


def _at_place(site: Site, project: Path, place: SitePlace) -> list[FoundSite]:
    text = read_project_text(project, place.file).text
    of = place.plugin if site.names_plugin else ""
    return [
        FoundSite(site.name, place.file, place.at, site.notation, value, line_of(text, value), of, policy=site.policy)
        for value in find_values(text, place.at, place.file)
    ]
