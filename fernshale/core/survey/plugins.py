"""Find a project's plugin folders and read their descriptors."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.globs import FirstFit, literal
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath, on_disk, parents
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.profile.model import PluginShape, Profile, Reach
from fernshale.core.snapshot.manifest import EMPTY, EntryKind, Manifest
from fernshale.core.snapshot.tree_walk import scan_tree
from fernshale.core.survey.value_access import find_values


@dataclass(frozen=True, slots=True)
class Plugin:
    """A plugin folder and the values of its descriptor. `descriptor` is the name of that file in the folder, "" without one."""

    id: str
    folder: TreePath
    version: str
    accepts: str
    descriptor: str = ""


def find_plugins(profile: Profile, project: Path, manifest: Manifest) -> tuple[Plugin, ...]:
    """The plugin folders, by path. A folder without a readable descriptor gets its own name as id."""
    shape = profile.plugins
    folders = manifest.derived(("plugins", shape.folders), lambda: _plugin_folders(shape.folders, manifest))
    names = manifest.derived(("descriptors", shape), lambda: _descriptors(shape, folders, manifest))
    return tuple(_read_plugin(profile, project, folder, names.get(folder, "")) for folder in folders)


def plugin_folder(profile: Profile, id: str) -> TreePath:
    """Return the folder for a plugin that is to be added: the one where the profile's first plugin glob would find it."""
    glob = profile.plugins.folders[0] if profile.plugins.folders else "*"
    return TreePath(glob.strip("/").replace("**", "*").replace("*", id, 1))


def _plugin_folders(globs: tuple[str, ...], manifest: Manifest) -> list[TreePath]:
    fit = FirstFit([globs])
    found = dict.fromkeys(fit.those(manifest.paths(EntryKind.FOLDER)))
    # A glob that fits a folder fits all below it, too; only the outermost is the plugin.
    return [folder for folder in found if not any(parent in found for parent in parents(folder))]


def _descriptors(shape: PluginShape, folders: list[TreePath], manifest: Manifest) -> dict[TreePath, str]:
    """The name of each folder's descriptor, for those that have one. With a glob, the first file by name."""
    if not shape.descriptor or not folders:
        return {}
    globs = {f"{literal(folder)}/{descriptor_glob(shape, folder)}": folder for folder in folders}
    fit = FirstFit([[glob] for glob in globs])
    owners = list(globs.values())
    found: dict[TreePath, str] = {}
    for path in manifest.paths():
        at = fit.find(path)
        if at is not None:
            found.setdefault(owners[at], path[len(owners[at]) + 1 :])
    return found


def descriptor_glob(shape: PluginShape, folder: str) -> str:
    """The descriptor's glob in one folder: `{plugin}` is the folder's own name."""
    return shape.descriptor.replace("{plugin}", literal(folder.rsplit("/", 1)[-1]))


def read_folder(folder: Path, token: CancelToken) -> Manifest:
    """The manifest of a folder that is only looked at."""
    return scan_tree(folder, EMPTY, Work(token=token))


def version_in(profile: Profile, text: str, where: str) -> str:
    """Return the version in a plugin's descriptor, empty if it has none. Raises FormatError for a broken descriptor."""
    shape = profile.plugins
    found = find_values(text, shape.version, where) if shape.version else ()
    return found[0].text if found else ""


def _read_plugin(profile: Profile, project: Path, folder: TreePath, descriptor: str) -> Plugin:
    shape = profile.plugins
    name = folder.rsplit("/", 1)[-1]
    where = TreePath(f"{folder}/{descriptor}")
    text = read_text(on_disk(project, where).read_bytes()) if descriptor else None
    if text is None:
        return Plugin(name, folder, "", "", descriptor)

    def read(reach: Reach | None) -> str:
        found = find_values(text.text, reach.filled(plugin=name), where) if reach else ()
        return found[0].text if found else ""

    return Plugin(read(shape.id) or name, folder, read(shape.version), read(shape.accepts), descriptor)
