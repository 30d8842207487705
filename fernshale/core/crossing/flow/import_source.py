"""The folder that content is imported from, with each file under the path that it would have in the project."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from fernshale.core.base.errors import FormatError, MisuseError, ProjectError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import GITS_OWN, TreePath, tree_path, under
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.asset_texts import AssetTexts, AssetTree
from fernshale.core.crossing.project.scan import ProjectScan, engine_folder
from fernshale.core.crossing.stages.links.reference_index import read_bytes
from fernshale.core.links.binary_assets import BinaryFiles
from fernshale.core.snapshot.manifest import EMPTY, EntryKind, Manifest, TreeEntry
from fernshale.core.snapshot.tree_walk import entry_below, list_tree
from fernshale.core.survey.plugins import find_plugins
from fernshale.core.survey.release_sites import find_sites, project_release


@dataclass(frozen=True)
class ImportSource:
    """A folder to import from. `at` maps the path that a file would have in the project to its path in the folder.

    `texts` are those of its binary assets, by the release of the engine that prints them.
    """

    folder: Path
    tree: Manifest
    at: Mapping[TreePath, TreePath]
    texts: AssetTexts

    def choose(self, chosen: Sequence[str]) -> list[TreePath]:
        """The files of the chosen files and folders, as paths in the project. Raises MisuseError for one that is not there."""
        picked: dict[TreePath, None] = {}
        for item in chosen:
            found = [path for path, inside in self.at.items() if under(inside, tree_path(item))]
            if not found:
                raise MisuseError(tr("there is nothing at {item} in {folder}", item=item, folder=self.folder))
            picked |= dict.fromkeys(found)
        return [path for path in self.at if path in picked]

    def entry(self, path: TreePath) -> TreeEntry | None:
        return entry_below(self.folder, self.at[path])

    def read(self, path: TreePath) -> bytes | None:
        """The bytes of a file; None for a link, and for a file that is unreadable or was removed."""
        inside = self.at[path]
        return read_bytes(self.folder, inside) if self.tree.entries[inside].kind is EntryKind.FILE else None

    @cached_property
    def assets(self) -> AssetTree:
        """The binary assets of the folder, with their contents."""
        formats = self.texts.files
        paths = [path for path in self.at if formats.has_formats and formats.format_of(path) is not None]
        entries = {path: self.entry(path) for path in paths}
        manifest = Manifest.of({path: entry for path, entry in entries.items() if entry is not None})
        return AssetTree(self.texts, manifest, self.read)


def open_source(scan: ProjectScan, folder: Path, into: str, token: CancelToken) -> ImportSource:
    """Read a folder that matches the folder `into` of the project (empty: the project itself). Raises MisuseError, Cancelled."""
    folder = folder.resolve()
    if not folder.is_dir():
        raise MisuseError(tr("{folder} is not a folder", folder=folder))
    prefix = f"{tree_path(into)}/" if into else ""
    tree = list_tree(folder, EMPTY, Work(token=token), GITS_OWN)
    entries = {path: entry for path, entry in tree.entries.items() if entry.kind is not EntryKind.FOLDER}
    # Rules of the profile see every file under its path in the project.
    at = {TreePath(prefix + path): path for path in entries}
    texts = AssetTexts(BinaryFiles(scan.profile.binary), _release(scan, folder, tree) if scan.profile.binary else "")
    return ImportSource(folder, tree, at, texts)


def _release(scan: ProjectScan, folder: Path, tree: Manifest) -> str:
    """The release that the folder names, if its engine is here; otherwise the project's own."""
    try:
        release = project_release(find_sites(scan.profile, folder, tree, find_plugins(scan.profile, folder, tree)))
        engine_folder(scan, release)
    except (ProjectError, FormatError):
        return scan.release
    return release
