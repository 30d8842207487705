"""The release that each plugin folder came from: compared with the shelves, then with the project's history and snapshots."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.release import same_release
from fernshale.core.base.textfile import read_text
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.scan import ProjectScan, plugin_manifest
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import START
from fernshale.core.route.shelf import Shelf
from fernshale.core.snapshot.manifest import Manifest, TreeEntry
from fernshale.core.snapshot.store import Store, default_store
from fernshale.core.survey.git_history import find_past
from fernshale.core.survey.plugins import Plugin, version_in
from fernshale.core.survey.release_index import (
    FileColumn,
    ReleaseIndex,
    build_index,
    cell_of,
    shelf_index,
    short_digest,
)
from fernshale.core.survey.release_origin import Origin, find_origin
from fernshale.core.survey.roles import role_of
from fernshale.core.survey.text_evidence import FolderTexts, folder_texts

_MAX_SNAPSHOTS = 60


@dataclass(frozen=True, slots=True)
class PluginOrigin:
    """A plugin folder and its origin. `note` describes anything unusual about it, "" otherwise.

    `source` is what the origin was compared with: "shelf", a commit of the history, or an earlier snapshot; `at` is the id of
    that commit or snapshot.
    """

    plugin: Plugin
    origin: Origin | None
    source: str = "shelf"
    note: str = ""
    at: str = ""


def local_json(origin: Origin | None) -> dict[str, Any]:
    """The local changes of a folder as data; empty lists where its origin is unknown."""
    names = ("edited", "own", "deleted", "respelled")
    return {
        **{name: list(getattr(origin, name)) if origin else [] for name in names},
        "leftovers": dict(origin.leftovers) if origin else {},
        "mixture": [origin.name, *origin.mixture] if origin and origin.mixture else [],
        "mixture_files": {name: list(paths) for name, paths in origin.mixture.items()} if origin else {},
    }


def file_states(origins: tuple[PluginOrigin, ...]) -> dict[str, str]:
    """The state of each file of a plugin that differs from its release, in words, by path in the project."""
    states: dict[str, str] = {}
    for item in origins:
        origin = item.origin
        if origin is None:
            continue
        groups = [(path, tr("line ends or encoding changed")) for path in origin.respelled]
        groups += [(path, "edited") for path in origin.edited] + [(path, tr("your own")) for path in origin.own]
        groups += [(path, tr("as in {name}", name=name)) for name, paths in origin.mixture.items() for path in paths]
        groups += [(path, tr("left over from {name}", name=name)) for path, name in origin.leftovers.items()]
        states.update({f"{item.plugin.folder}/{path}": words for path, words in groups})
    return states


def find_origins(scan: ProjectScan, crossing: Crossing | None, token: CancelToken) -> tuple[PluginOrigin, ...]:
    """The origin of each plugin folder. Raises ShelfError for a release that cannot be fetched, Cancelled."""
    return tuple(find_plugin_origin(scan, plugin, crossing, token) for plugin in scan.plugins)


def find_plugin_origin(
    scan: ProjectScan, plugin: Plugin, crossing: Crossing | None, token: CancelToken
) -> PluginOrigin:
    """The origin of one plugin folder: among the shelves' releases, and elsewhere if the shelves do not have the release it
    names."""
    mine = plugin_manifest(scan, plugin, token)
    key = (plugin, scan.shelf, scan.profile.role, crossing is None)

    def inspect() -> PluginOrigin:
        index = _index(scan, plugin, token)
        if plugin.version and not any(same_release(name, plugin.version) for name in index.names):
            others = _elsewhere(scan, plugin, crossing, token)
            if others:
                return _compare(scan, plugin, mine, index, others, token)
        # Only other contents, here or on the shelf, give another origin: most changes of a project are outside the folder.
        contents = hash((tuple((path, entry.content) for path, entry in mine.files.items()), index.raw.tobytes()))
        return scan.cache.get("origin", (*key, contents), lambda: _compare(scan, plugin, mine, index, {}, token))

    return scan.manifest.derived(("origin", *key), inspect)


def _compare(
    scan: ProjectScan,
    plugin: Plugin,
    mine: Manifest,
    index: ReleaseIndex,
    others: Mapping[str, _Elsewhere],
    token: CancelToken,
) -> PluginOrigin:
    """The origin among the shelf's releases and `others`, the earlier states of the folder."""
    whole = index
    if others:
        columns = {name: index.column(name) for name in index.names}
        whole = build_index({**columns, **{name: item.files for name, item in others.items()}})
    texts = _texts(scan, plugin, others, token)
    origin = find_origin(_contents(mine), whole, _plain_of(scan, plugin), plugin.version, texts)
    if origin is None:
        return PluginOrigin(plugin, None, "", "" if scan.shelf is None else tr("no release of it is on the shelf"))
    other = others.get(origin.name)
    source, at = (other.words, other.at) if other is not None else ("shelf", "")
    local = _with_content(scan, plugin, mine, origin)
    return PluginOrigin(plugin, local, source, _note(plugin, origin, source), at)


def _texts(
    scan: ProjectScan, plugin: Plugin, others: Mapping[str, _Elsewhere], token: CancelToken
) -> FolderTexts | None:
    """How to read the folder's and the releases' files; None where a release is not a folder on this machine."""
    if scan.shelf is None or others:
        return None
    return folder_texts(scan.project / plugin.folder, _places(scan.shelf, plugin, token), token)


def _places(shelf: Shelf, plugin: Plugin, token: CancelToken) -> Mapping[str, Path]:
    return {item.version: shelf.place(item, Work(token=token)) for item in shelf.releases_of(plugin.id)}


def _index(scan: ProjectScan, plugin: Plugin, token: CancelToken) -> ReleaseIndex:
    shelf = scan.shelf
    if shelf is None:
        return build_index({})
    return shelf_index(_places(shelf, plugin, token), token)


@dataclass(frozen=True, slots=True)
class _Elsewhere:
    """A folder as it was with a release: where that is from, in words and by id, and its files."""

    words: str
    at: str
    files: FileColumn


def _elsewhere(
    scan: ProjectScan, plugin: Plugin, crossing: Crossing | None, token: CancelToken
) -> Mapping[str, _Elsewhere]:
    """Earlier states of the folder, by the release it had then."""
    if not plugin.descriptor:
        return {}
    where = f"{plugin.folder}/{plugin.descriptor}"

    def version(text: str) -> str:
        try:
            return version_in(scan.profile, text, where)
        except FernshaleError:
            return ""  # a descriptor that was broken at the time names nothing

    past = find_past(scan.project, plugin.folder, plugin.descriptor, version, token)
    found = {
        item.version: _Elsewhere(tr("commit {commit}", commit=item.commit), item.commit, item.files)
        for item in past.values()
    }
    return {**_snapshots(scan, plugin, crossing, version), **found}


def _snapshots(
    scan: ProjectScan, plugin: Plugin, crossing: Crossing | None, version: Callable[[str], str]
) -> Mapping[str, _Elsewhere]:
    """Snapshots of the project from before this crossing; a snapshot of the current state would show nothing as edited."""
    folder = default_store()
    if not folder.is_dir() or crossing is None:
        return {}
    store = Store(folder)
    began = store.summary(start).taken if (start := crossing.read(START)) else 0.0
    earlier = [item for item in store.list() if item.tree == str(scan.project) and item.taken < began]
    found: dict[str, _Elsewhere] = {}
    for item in earlier[-_MAX_SNAPSHOTS:]:
        try:
            files = _below(store.manifest(item.id), plugin.folder)
            entry = files[TreePath(plugin.descriptor)]
            text = read_text(store.get(entry.content))
            name = version(text.text) if text is not None else ""
            if name and name not in found:
                when = datetime.fromtimestamp(item.taken).strftime("%Y-%m-%d")
                cells = {path: cell_of(store.get(entry.content)) for path, entry in files.items()}
                found[name] = _Elsewhere(tr("snapshot of {when}", when=when), item.id, cells)
        except (FernshaleError, KeyError):
            continue  # damaged, or without this plugin: `verify` reports the first, and the second needs no report
    return found


def _below(manifest: Manifest, folder: TreePath) -> dict[TreePath, TreeEntry]:
    prefix = folder + "/"
    return {TreePath(path[len(prefix) :]): entry for path, entry in manifest.files.items() if path.startswith(prefix)}


def _contents(manifest: Manifest) -> dict[TreePath, int]:
    return {path: short_digest(entry.content) for path, entry in manifest.files.items()}


def _plain_of(scan: ProjectScan, plugin: Plugin) -> Callable[[TreePath], int]:
    def plain(path: TreePath) -> int:
        try:
            return cell_of(on_disk(scan.project, TreePath(f"{plugin.folder}/{path}")).read_bytes())[1]
        except OSError:
            return 0

    return plain


def _with_content(scan: ProjectScan, plugin: Plugin, mine: Manifest, origin: Origin) -> Origin:
    """Files that a role rule calls the user's own stay the user's, also where the vendor has a file of that name."""
    roles = {path: role_of(scan.profile, f"{plugin.folder}/{path}").role for path in mine.files}
    content = {path for path, role in roles.items() if role in ("user content", "own")}
    if not content:
        return origin
    edited = tuple(path for path in origin.edited if path not in content)
    leftovers = {path: name for path, name in origin.leftovers.items() if path not in content}
    return replace(origin, edited=edited, own=tuple(sorted({*origin.own, *content})), leftovers=leftovers)


def _note(plugin: Plugin, origin: Origin, source: str) -> str:
    if plugin.version and not same_release(origin.name, plugin.version):
        known = any(same_release(item.name, plugin.version) for item in origin.ranking)
        if known and not origin.tied:
            return tr("it names {version}, but its files are those of {name}", version=plugin.version, name=origin.name)
        return tr(
            "it names {version}, which is not available; {name} is the nearest",
            version=plugin.version,
            name=origin.name,
        )
    return (
        ""
        if source == "shelf"
        else tr("compared with the {source}, since no shelf has {name}", source=source, name=origin.name)
    )
