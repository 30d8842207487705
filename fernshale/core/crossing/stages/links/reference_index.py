"""The links of a project and of the tree from before the crossing: read once, then only where files changed."""

from __future__ import annotations

import threading
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.treepath import GITS_OWN, TreePath, on_disk
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.asset_texts import AssetTexts, AssetTree
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.links.binary_assets import BinaryFiles, with_binary
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.missing_references import MissingReference, find_missing_references
from fernshale.core.links.reference_reader import with_includes
from fernshale.core.links.renamed_targets import StatedRenames
from fernshale.core.links.targets import LinkSide
from fernshale.core.profile.model import Profile
from fernshale.core.snapshot.manifest import EMPTY, Manifest
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import list_tree


@dataclass(frozen=True, slots=True)
class Linkage:
    """The current tree and the earlier one with their links, and the missing references."""

    now: LinkSide
    before: LinkSide
    missing: tuple[MissingReference, ...]


@dataclass(slots=True)
class _Kept:
    """The indexes of one project, kept for the next inspection."""

    now: LinkIndex
    before: LinkIndex
    lock: threading.Lock = field(default_factory=threading.Lock)
    of: tuple[str, str, Mapping[TreePath, TreePath], StatedRenames] = ("", "", {}, {})
    linkage: Linkage | None = None


@dataclass(frozen=True, slots=True)
class TreeBefore:
    """The project as it was: a snapshot of a store (None for none), and the release of the engine that it is for."""

    store: Store | None
    snapshot: str | None
    release: str


def read_linkage(
    scan: ProjectScan, then: TreeBefore, moved: Mapping[TreePath, TreePath], stated: StatedRenames, work: Work
) -> Linkage:
    """The links of a crossing's project and those it had before; only changed files are read again.

    `moved` maps the old paths of files that merges moved to the new ones. Raises FormatError, Cancelled.
    """
    store, start = then.store, then.snapshot
    profile = scan.profile
    weight = len(scan.manifest.files)
    kept = scan.cache.get(
        "links", profile.digest, lambda: _Kept(_index(profile), _index(profile)), lambda found: 2 * weight
    )
    with kept.lock:
        tree = project_assets(scan)
        stamp = scan.manifest.derived("links stamp", lambda: _stamp(scan.manifest))
        if profile.binary:
            stamp += str(hash(tuple(tree.unread())))
        if kept.linkage is not None and kept.of == (stamp, start or "", moved, stated):
            return kept.linkage
        kept.linkage = None
        read_now = tree.reader()
        kept.now.update(_stamps(scan.manifest, tree.texts), read_now if profile.binary else scan.project, work)
        now = LinkSide(kept.now, scan.manifest.files, read_now)
        old_texts = texts_of(scan, then.release)
        if store is not None and start is not None:
            manifest = store.manifest(start)
            old = AssetTree(old_texts, manifest, from_store(store, manifest))
            before = LinkSide(kept.before, manifest.files, old.reader())
        else:
            before = LinkSide(kept.before, {}, lambda path: None)
            manifest = EMPTY
        # A text that another release printed is another text.
        like = kept.now if not profile.binary else None
        kept.before.update(_stamps(manifest, old_texts), before.read, work, like=like)
        kept.linkage = Linkage(now, before, find_missing_references(before, now, moved, stated, work.token))
        kept.of = stamp, start or "", moved, stated
        return kept.linkage


def compare_trees(profile: Profile, tree: Path, before: Path | tuple[Store, str], work: Work) -> Linkage:
    """The links of a tree compared with those of another, a folder or a snapshot in a store.

    Binary assets are not read, since that runs a command. Raises ProjectError, FormatError.
    """
    now, index = _index(profile), _index(profile)
    here = list_tree(tree, EMPTY, work, GITS_OWN)
    now.update({path: (entry.size, path) for path, entry in here.files.items()}, tree, work)
    there: Callable[[TreePath], bytes | None]
    if isinstance(before, Path):
        folder = before
        manifest = list_tree(folder, EMPTY, work, GITS_OWN)
        there = lambda path: read_bytes(folder, path)  # noqa: E731
        index.update({path: (entry.size, path) for path, entry in manifest.files.items()}, folder, work)
    else:
        store, snapshot = before
        manifest = store.manifest(snapshot)
        there = from_store(store, manifest)
        index.update(_stamps(manifest), there, work)
    sides = LinkSide(now, here.files, lambda path: read_bytes(tree, path)), LinkSide(index, manifest.files, there)
    return Linkage(*sides, find_missing_references(sides[1], sides[0], {}, {}, work.token))


def read_bytes(root: Path, path: TreePath) -> bytes | None:
    """The bytes of a file of a tree, None where it is missing or unreadable."""
    try:
        return on_disk(root, path).read_bytes()
    except (OSError, FernshaleError):
        return None


def _index(profile: Profile) -> LinkIndex:
    """An index of the ids and paths of assets. Includes of code are left out, since compilers report those."""
    return LinkIndex(with_includes(with_binary(profile.links, profile.binary), of_code=False), profile.data)


def texts_of(scan: ProjectScan, release: str) -> AssetTexts:
    """The texts of the binary assets of a tree that is made for a release."""
    return AssetTexts(BinaryFiles(scan.profile.binary), release)


def project_assets(scan: ProjectScan) -> AssetTree:
    """The project as a tree with binary assets."""
    return AssetTree(texts_of(scan, scan.release), scan.manifest, lambda path: read_bytes(scan.project, path))


def unread_assets(scan: ProjectScan) -> list[TreePath]:
    """The binary assets of the project that were not read yet, by path."""
    return sorted(project_assets(scan).unread())


def binary_assets(profile: Profile, files: Collection[TreePath]) -> list[TreePath]:
    """The files that only a command of the profile can read, by path."""
    formats = BinaryFiles(profile.binary)
    return sorted(path for path in files if formats.format_of(path) is not None)


def is_binary_asset(scan: ProjectScan, path: TreePath) -> bool:
    return BinaryFiles(scan.profile.binary).format_of(path) is not None


def _stamps(manifest: Manifest, texts: AssetTexts | None = None) -> Mapping[TreePath, str]:
    if texts is None or not texts.has_formats:
        return {path: entry.content for path, entry in manifest.files.items()}
    return {path: texts.stamp(path, entry.content) for path, entry in manifest.files.items()}


def _stamp(manifest: Manifest) -> str:
    return str(hash(tuple(_stamps(manifest).items())))


def from_store(store: Store, manifest: Manifest) -> Callable[[TreePath], bytes | None]:
    def read(path: TreePath) -> bytes | None:
        entry = manifest.entries.get(path)
        try:
            return store.get(entry.content) if entry is not None else None
        except FernshaleError:
            return None  # a damaged content costs the comparison, not the stage

    return read
