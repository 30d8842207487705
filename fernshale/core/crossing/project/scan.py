"""The project scan, the input of every stage: profile, shelf, the file tree, places that name a release, plugins."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from fernshale.core.base.cache import Cache
from fernshale.core.base.errors import MisuseError, ProjectError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.settings import parallel_jobs
from fernshale.core.base.textfile import read_text
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import GITS_OWN, TreePath, on_disk, under
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.profile.model import Profile
from fernshale.core.profile.read import fill, read_profile
from fernshale.core.route.shelf import NotOnShelf, Shelf, ShelfRelease
from fernshale.core.route.shelf_sources import read_shelf
from fernshale.core.snapshot.manifest import EMPTY, Manifest, TreeEntry
from fernshale.core.snapshot.tree_walk import list_tree, read_contents
from fernshale.core.survey.plugins import Plugin, find_plugins, read_folder
from fernshale.core.survey.release_sites import FoundSite, find_sites, project_release
from fernshale.core.survey.role_overrides import with_own_rules
from fernshale.core.survey.workspace_members import Member, along, choose_members, find_members


@dataclass(frozen=True, slots=True)
class ProjectScan:
    """A project as it was read. `shelf` is None when none was named.

    `members` are those of a workspace. `along` are the folders of the members that a crossing is about, and `release` is
    theirs; without members it is that of the project.
    """

    project: Path
    profile: Profile
    shelf: Shelf | None
    manifest: Manifest
    sites: tuple[FoundSite, ...]
    plugins: tuple[Plugin, ...]
    release: str
    members: tuple[Member, ...] = ()
    along: tuple[TreePath, ...] = ()
    cache: Cache = field(default_factory=Cache, compare=False, repr=False)

    @property
    def files(self) -> Mapping[TreePath, TreeEntry]:
        """All files, but not those of members of a workspace that stay where they are."""
        staying, files = self._staying, self.manifest.files
        return {path: entry for path, entry in files.items() if not path.startswith(staying)} if staying else files

    @property
    def paths(self) -> Sequence[TreePath]:
        """Where the `files` are, in order."""
        return tuple(self.files) if self._staying else self.manifest.paths()

    @property
    def _staying(self) -> tuple[str, ...]:
        return tuple(f"{item.folder}/" for item in self.members if item.folder not in self.along)

    def read(self, path: TreePath) -> str | None:
        """The text of a file of the project, None where it is binary or missing."""
        try:
            data = on_disk(self.project, path).read_bytes()
        except OSError:
            return None
        text = read_text(data)
        return text.text if text is not None else None


_MANIFEST = "manifest"


@dataclass(frozen=True, slots=True)
class ScanOptions:
    """The extent of a scan. Without `contents` files are only listed; a survey needs no more, it reads plugin folders itself.

    With `members` (names or folders of members of a workspace) the release is theirs, not that of the root. `cache` holds
    earlier scans of the project and keeps this one.
    """

    contents: bool = True
    members: Sequence[str] = ()
    cache: Cache = field(default_factory=Cache)


def scan_project(
    project: Path,
    profile: Profile,
    shelf: Shelf | None,
    work: Work,
    options: ScanOptions | None = None,
) -> ProjectScan:
    """Read the project. With the cache of an earlier scan, an unchanged tree costs a stat per file.

    Raises ProjectError, FormatError, MisuseError for a member that is not there.
    """
    project = project.resolve()
    if not project.is_dir():
        raise ProjectError(tr("{project} is not a folder", project=project))
    profile = with_own_rules(profile, project)
    options = options or ScanOptions()
    before = options.cache.find(_MANIFEST, project, lambda: EMPTY) or EMPTY
    manifest = list_tree(project, before, work, GITS_OWN)
    if options.contents:
        manifest = read_contents(project, manifest, work)
    _keep_manifest(options.cache, project, manifest)
    plugins = find_plugins(profile, project, manifest)
    sites = find_sites(profile, project, manifest, plugins)
    release = project_release(sites)
    found = find_members(profile, project, manifest, release)
    sites = (*sites, *(item.site for item in found if item.site is not None))
    chosen = choose_members(found, options.members)
    if chosen:
        release = chosen[0].release
    folders = tuple(item.folder for item in chosen or along(found, release))
    return ProjectScan(project, profile, shelf, manifest, sites, plugins, release, found, folders, options.cache)


def plugin_manifest(scan: ProjectScan, plugin: Plugin, token: CancelToken) -> Manifest:
    """The part of the project's manifest below a plugin folder, with paths relative to it; contents are read.

    Compiled output is left out: it is neither the vendor's nor an edit.
    """
    manifest = read_contents(scan.project, scan.manifest, Work(token=token), below=plugin.folder)
    if manifest is not scan.manifest:
        # The next scan then finds them read.
        seen = scan.cache.find(_MANIFEST, scan.project, lambda: scan.manifest) or scan.manifest
        read = {path: folder for path, folder in manifest.folders.items() if under(path, plugin.folder)}
        _keep_manifest(scan.cache, scan.project, replace(seen, folders={**seen.folders, **read}, memo={}))
    whole = manifest.below(plugin.folder)
    shape = scan.profile.plugins.compiled
    outputs = (shape.output.replace("{release}", "*").strip("/") + "/",) if shape is not None else ()
    made = set(FirstFit([outputs]).those(whole.entries)) if outputs else set()
    if not made:
        return whole
    return Manifest.of({path: entry for path, entry in whole.entries.items() if path not in made})


def scan_crossing(crossing: Crossing, work: Work) -> ProjectScan:
    """Scan the project of a crossing."""
    setup = crossing.setup
    profile, shelf = read_profile(setup.profile), read_shelf(setup.shelves)
    return scan_project(setup.project, profile, shelf, work, ScanOptions(members=setup.members, cache=crossing.cache))


def shelf_manifest(scan: ProjectScan, item: ShelfRelease, token: CancelToken) -> Manifest:
    """The manifest of a release on the project's shelf; releases do not change, so it is read once. Raises ShelfError."""
    place = shelf_of(scan).place(item, Work(token=token))
    known = scan.cache.find(_MANIFEST, place, lambda: EMPTY)
    if known is None:
        known = read_folder(place, token)
        _keep_manifest(scan.cache, place, known)
    return known


def _keep_manifest(cache: Cache, place: Path, manifest: Manifest) -> None:
    cache.put(_MANIFEST, place, manifest, 1 + sum(len(folder.names) for folder in manifest.folders.values()))


def shelf_of(scan: ProjectScan) -> Shelf:
    """The project's shelf. Raises MisuseError where none was named."""
    if scan.shelf is None:
        raise MisuseError(tr("no shelf was named"), tr("Name the folder or server of the releases with --shelf."))
    return scan.shelf


def engine_folder(scan: ProjectScan, release: str) -> Path:
    """Where a release of the engine is: installed, else on the shelf. Raises ProjectError with the folders looked at."""
    shelves = [str(source.folder) for source in scan.shelf.sources] if scan.shelf else []
    looked = []
    for text in scan.profile.installed:
        for shelf in shelves if "{shelf}" in text else [""]:
            folder = Path(fill(text, {"release": release, "shelf": shelf}))
            if folder.is_dir():
                return folder
            looked.append(str(folder))
    if scan.shelf is not None:
        with contextlib.suppress(NotOnShelf):
            return scan.shelf.place(scan.shelf.engine(scan.profile.id, release))
    names = ", ".join(looked) or tr("the profile names no folder")
    raise ProjectError(
        tr(
            "{title} {release} is not installed; looked at {names}",
            title=scan.profile.title,
            release=release,
            names=names,
        )
    )


def known_engine_folder(scan: ProjectScan, release: str) -> Path | None:
    """The folder of a release of the engine, None if it is not here."""
    try:
        return engine_folder(scan, release)
    except ProjectError:
        return None


def command_places(crossing: Crossing, scan: ProjectScan, release: str) -> Mapping[str, str]:
    """Values for the placeholders of the profile's commands."""
    return {
        "project": str(scan.project),
        "release": release,
        "shelf": str(scan.shelf.sources[0].folder) if scan.shelf else "",
        "engine": str(engine_folder(scan, release)),
        "build": str(crossing.scratch(f"build/{release}")),
        "out": str(crossing.scratch(f"out/{release}")),
        "jobs": str(parallel_jobs()),
        "python": sys.executable,
    }


def find_plugin(scan: ProjectScan, id: str) -> Plugin:
    """A plugin of the project by its id. Raises MisuseError where it does not exist."""
    found = next((item for item in scan.plugins if item.id == id), None)
    if found is None:
        raise MisuseError(tr("there is no plugin {id}", id=id))
    return found
