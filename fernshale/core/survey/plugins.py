"""Plugin folders of a project, and how each differs from the vendor's release it came from."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.globs import FirstFit
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath, parents
from fernshale.core.base.work import CancelToken, no_progress
from fernshale.core.profile.model import Profile, Reach
from fernshale.core.snapshot.manifest import EMPTY, Kind, Manifest, scan_tree
from fernshale.core.survey.reach import find_values


@dataclass(frozen=True, slots=True)
class Plugin:
    """A plugin folder and what its descriptor says."""

    id: str
    folder: TreePath
    version: str
    accepts: str


@dataclass(frozen=True, slots=True)
class Origin:
    """A plugin folder against one vendor release; paths are relative to the folder.

    `score` is the share of the release's files that stand in the folder unchanged, 0..1.
    """

    version: str
    score: float
    same: tuple[TreePath, ...]
    edited: tuple[TreePath, ...]
    own: tuple[TreePath, ...]
    deleted: tuple[TreePath, ...]


def find_plugins(profile: Profile, project: Path, manifest: Manifest) -> tuple[Plugin, ...]:
    """The plugin folders, by path. A folder without a readable descriptor gets its own name as id."""
    shape = profile.plugins
    folders = manifest.derived(("plugins", shape.folders), lambda: _plugin_folders(shape.folders, manifest))
    return tuple(_read_plugin(profile, project, folder) for folder in folders)


def plugin_folder(profile: Profile, id: str) -> TreePath:
    """Where a plugin goes that is not there yet: where the profile's first glob for plugins would find it."""
    glob = profile.plugins.folders[0] if profile.plugins.folders else "*"
    return TreePath(glob.strip("/").replace("**", "*").replace("*", id, 1))


def _plugin_folders(globs: tuple[str, ...], manifest: Manifest) -> list[TreePath]:
    fit = FirstFit([globs])
    folders = (path for path, entry in manifest.entries.items() if entry.kind is Kind.FOLDER)
    found = {folder: None for folder in folders if fit.find(folder) is not None}
    # A glob that fits a folder fits all below it, too; only the outermost is the plugin.
    return [folder for folder in found if not any(parent in found for parent in parents(folder))]


def read_folder(folder: Path, token: CancelToken) -> Manifest:
    """The manifest of a folder that is only looked at."""
    return scan_tree(folder, EMPTY, lambda data: None, no_progress, token)


def compare_with_release(version: str, mine: Manifest, vendor: Manifest) -> Origin:
    """How `mine` differs from one release of the vendor."""
    ours, theirs = mine.files, vendor.files
    same = [path for path in theirs if path in ours and ours[path].content == theirs[path].content]
    edited = [path for path in theirs if path in ours and ours[path].content != theirs[path].content]
    return Origin(
        version,
        len(same) / len(theirs) if theirs else 0.0,
        tuple(same),
        tuple(edited),
        tuple(path for path in ours if path not in theirs),
        tuple(path for path in theirs if path not in ours),
    )


def rank_origins(mine: Manifest, releases: Mapping[str, Manifest]) -> tuple[Origin, ...]:
    """All releases compared, the most alike first; of equals the one with fewer strange files."""
    origins = [compare_with_release(version, mine, vendor) for version, vendor in releases.items()]
    return tuple(sorted(origins, key=lambda origin: (-origin.score, len(origin.own), origin.version)))


def find_mixture(mine: Manifest, ranking: Sequence[Origin], releases: Mapping[str, Manifest]) -> tuple[str, ...]:
    """Releases of which the folder holds files that the best release has otherwise: a half-finished update."""
    if not ranking:
        return ()
    best = releases[ranking[0].version].files
    strange = {path: entry.content for path, entry in mine.files.items() if _content(best, path) != entry.content}
    others = [
        origin.version
        for origin in ranking[1:]
        if any(_content(releases[origin.version].files, path) == content for path, content in strange.items())
    ]
    return (ranking[0].version, *others) if others else ()


def _content(files: Mapping[TreePath, object], path: TreePath) -> str:
    return getattr(files.get(path), "content", "")


def _read_plugin(profile: Profile, project: Path, folder: TreePath) -> Plugin:
    shape = profile.plugins
    descriptor = project / folder / shape.descriptor
    name = folder.rsplit("/", 1)[-1]
    text = None
    if shape.descriptor and descriptor.is_file() and not descriptor.is_symlink():
        text = read_text(descriptor.read_bytes())
    if text is None:
        return Plugin(name, folder, "", "")
    where = f"{folder}/{shape.descriptor}"

    def read(reach: Reach | None) -> str:
        found = find_values(text.text, reach, where) if reach else ()
        return found[0].text if found else ""

    return Plugin(read(shape.id) or name, folder, read(shape.version), read(shape.accepts))
