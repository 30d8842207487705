"""Find a project's plugin folders and read their descriptors."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.globs import FirstFit
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath, parents
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.profile.model import Profile, Reach
from fernshale.core.snapshot.manifest import EMPTY, EntryKind, Manifest
from fernshale.core.snapshot.tree_walk import scan_tree
from fernshale.core.survey.value_access import find_values


@dataclass(frozen=True, slots=True)
class Plugin:
    """A plugin folder and the values of its descriptor."""

    id: str
    folder: TreePath
    version: str
    accepts: str


def find_plugins(profile: Profile, project: Path, manifest: Manifest) -> tuple[Plugin, ...]:
    """The plugin folders, by path. A folder without a readable descriptor gets its own name as id."""
    shape = profile.plugins
    folders = manifest.derived(("plugins", shape.folders), lambda: _plugin_folders(shape.folders, manifest))
    return tuple(_read_plugin(profile, project, folder) for folder in folders)


def plugin_folder(profile: Profile, id: str) -> TreePath:
    """Return the folder for a plugin that is to be added: the one where the profile's first plugin glob would find it."""
    glob = profile.plugins.folders[0] if profile.plugins.folders else "*"
    return TreePath(glob.strip("/").replace("**", "*").replace("*", id, 1))


def _plugin_folders(globs: tuple[str, ...], manifest: Manifest) -> list[TreePath]:
    fit = FirstFit([globs])
    found = dict.fromkeys(fit.those(manifest.paths(EntryKind.FOLDER)))
    # A glob that fits a folder fits all below it, too; only the outermost is the plugin.
    return [folder for folder in found if not any(parent in found for parent in parents(folder))]


def read_folder(folder: Path, token: CancelToken) -> Manifest:
    """The manifest of a folder that is only looked at."""
    return scan_tree(folder, EMPTY, Work(token=token))


def version_in(profile: Profile, text: str, where: str) -> str:
    """Return the version in a plugin's descriptor, empty if it has none. Raises FormatError for a broken descriptor."""
    shape = profile.plugins
    found = find_values(text, shape.version, where) if shape.version else ()
    return found[0].text if found else ""


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
