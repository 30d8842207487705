"""The three sides of a plugin's merge: which old release is the base, file by file where necessary."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.textfile import TextFile
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.plugin_origins import find_plugin_origin
from fernshale.core.crossing.project.scan import ProjectScan, plugin_manifest, shelf_manifest
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.merge.base_versions import compose_base
from fernshale.core.merge.folder_merge import ByFormat, ContentMerge, FolderMerge, FolderSide, disk_side, merge_folders
from fernshale.core.merge.keyed import Identities, merge_keyed
from fernshale.core.merge.ledger import FoundEdits
from fernshale.core.profile.model import Profile
from fernshale.core.route.planner import PluginStep
from fernshale.core.snapshot.manifest import EMPTY
from fernshale.core.snapshot.store import Store, default_store
from fernshale.core.survey.git_history import read_past
from fernshale.core.survey.plugins import Plugin

_SNAPSHOT = "snapshot"


@dataclass(frozen=True, slots=True)
class PluginMerge:
    """The merge of a plugin folder with its new release; the release used as base, a note on anything unusual about it, and the
    edits that were found for earlier results."""

    merge: FolderMerge
    base: str
    note: str
    found: FoundEdits = field(default_factory=FoundEdits)


def merge_plugin(
    scan: ProjectScan, crossing: Crossing, plugin: Plugin, step: PluginStep, token: CancelToken
) -> PluginMerge:
    """Merge a plugin folder with its new release, in memory.

    Raises ProjectError when the release is not on the shelf any more.
    """
    shelf = scan.shelf
    assert shelf is not None
    # Derived from the project's manifest: while no file changes, it is the same object with the same entries.
    what = "plugin", plugin.folder, scan.profile.plugins.compiled
    mine = scan.manifest.derived(what, lambda: plugin_manifest(scan, plugin, token))
    incoming = shelf.plugin(step.becomes or plugin.id, step.to)
    if incoming is None:
        raise ProjectError(tr("{id} {to} is not on the shelf any more", id=plugin.id, to=step.to))
    place = shelf.place(incoming, Work(token=token))
    names = tuple(item.version for item in shelf.releases_of(plugin.id))
    key = (scan.project / plugin.folder, plugin.version, names, place, step.becomes, tuple(mine.entries.items()))
    # Cached by everything it depends on, so that showing a page again merges nothing; releases of a shelf do not change.
    kept: PluginMerge | None = scan.cache.find("merge", key)
    if kept is not None:
        return kept
    news = disk_side(place, shelf_manifest(scan, incoming, token))
    if step.becomes in {item.id for item in scan.plugins}:
        news = FolderSide(EMPTY, news.read)  # it is part of another plugin of the project: its folder is removed
    local = disk_side(scan.project / plugin.folder, mine)
    base, name, note = _base(scan, crossing, plugin, local, token)
    merge = merge_folders(base, local, news, Work(token=token), _by_format(scan.profile, plugin.folder))
    merged = PluginMerge(merge, name, note)
    scan.cache.put("merge", key, merged, 10 * len(merge.files))
    return merged


def plain_format(path: TreePath, base: TextFile, mine: TextFile, incoming: TextFile) -> ContentMerge | None:
    """Merge settings by key, without rules of a profile."""
    return merge_keyed(path, base, mine, incoming, Identities())


def _by_format(profile: Profile, folder: TreePath) -> ByFormat:
    identities = Identities(tuple((rule.files, rule.by) for rule in profile.keyed))

    def merge(path: TreePath, base: TextFile, mine: TextFile, incoming: TextFile) -> ContentMerge | None:
        return merge_keyed(TreePath(f"{folder}/{path}"), base, mine, incoming, identities)

    return merge


def _base(
    scan: ProjectScan, crossing: Crossing, plugin: Plugin, mine: FolderSide, token: CancelToken
) -> tuple[FolderSide | None, str, str]:
    """The old side, its name, and a note. An empty side where the folder is new, None where no old release is known."""
    if not mine.things:
        return FolderSide(EMPTY, lambda path: b""), plugin.version, ""
    found = find_plugin_origin(scan, plugin, crossing, token)
    releases = dict(_shelf_sides(scan, plugin, token))
    if found.at and found.origin is not None:
        releases[found.origin.name] = _past_side(scan, plugin, found.source, found.at, token)
    if found.origin is None or found.origin.name not in releases:
        return None, "", tr("no old release is known; every difference is a conflict")
    best = found.origin.name
    base = compose_base(mine, releases, best)
    notes = [found.note] if found.note else []
    for name in dict.fromkeys(base.others.values()):
        notes.append(
            tr(
                "{files} compared with {name}",
                files=count(sum(other == name for other in base.others.values()), "file"),
                name=name,
            )
        )
    return base.side, best, "; ".join(notes)


def _shelf_sides(scan: ProjectScan, plugin: Plugin, token: CancelToken) -> Mapping[str, FolderSide]:
    shelf = scan.shelf
    assert shelf is not None
    return {
        item.version: disk_side(shelf.place(item, Work(token=token)), shelf_manifest(scan, item, token))
        for item in shelf.releases_of(plugin.id)
    }


def _past_side(scan: ProjectScan, plugin: Plugin, source: str, at: str, token: CancelToken) -> FolderSide:
    """The folder as a commit or an earlier snapshot had it."""
    if source.startswith(_SNAPSHOT):
        store = Store(default_store())
        manifest = store.manifest(at).below(plugin.folder)
        return FolderSide(manifest, lambda path: store.get(manifest.entries[path].content))
    manifest, contents = read_past(scan.project, at, plugin.folder, token)
    return FolderSide(manifest, lambda path: contents[path])
