"""Delete snapshots by a policy, and free the space that only they needed.

Crash safety: manifests are removed first, then packs without needed contents, then packs with few needed contents are rewritten
and replaced. After a kill at any moment every other snapshot is complete; the remaining space is freed by the next deletion.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

import blake3

from fernshale.core.base.disk import sync_folder
from fernshale.core.base.errors import MisuseError, StoreError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.snapshot.pack import CONTENT, SUFFIX, DamagedBlock, DigestMismatch, PackBlock, read_block, read_pack
from fernshale.core.snapshot.store import Snapshot, Store

# Rewrite a pack when this share of it is unused; below that, rewriting costs more than the space is worth.
_DEAD_SHARE = 0.3
_DIGEST = lazy_pattern(r"[0-9a-f]{64}")


@dataclass(frozen=True, slots=True)
class Policy:
    """Which snapshots of each tree to keep: the last `last`, and of each of the last `daily` days the latest."""

    last: int = 0
    daily: int = 0

    def __post_init__(self) -> None:
        if self.last < 0 or self.daily < 0 or not (self.last or self.daily):
            raise MisuseError(tr("a policy has to keep something"), tr("As --keep-last 10, or --keep-daily 14."))


@dataclass(frozen=True, slots=True)
class Freed:
    """The deleted snapshots, and the bytes freed in the store."""

    forgotten: tuple[str, ...]
    bytes: int


def choose_deleted(snapshots: Sequence[Snapshot], policy: Policy, kept: Collection[str], tree: str = "") -> list[str]:
    """Return the ids that the policy deletes, oldest first; never those in `kept`. With `tree`, only snapshots of that tree."""
    by_tree: dict[str, list[Snapshot]] = {}
    for item in sorted(snapshots, key=lambda item: item.taken):
        by_tree.setdefault(item.tree, []).append(item)
    gone = []
    for name, items in by_tree.items():
        if tree and name != tree:
            continue
        stay = {item.id for item in items[max(0, len(items) - policy.last) :]}
        latest = {time.strftime("%Y-%m-%d", time.localtime(item.taken)): item.id for item in items}
        stay |= set(list(latest.values())[max(0, len(latest) - policy.daily) :])
        gone += [item.id for item in items if item.id not in stay and item.id not in kept]
    return gone


def delete(store: Store, ids: Iterable[str], needed: Callable[[], Collection[str]], work: Work) -> Freed:
    """Delete snapshots and free the contents that nothing else needs.

    `needed` returns the digests needed elsewhere, such as by steps that can be undone; it is called while nobody writes. Raises
    UnknownSnapshot, and StoreError (nothing is done) when a remaining snapshot cannot be read, since its needs are unknown.
    """
    with store.writing(work):
        paths = {path.stem: path for path in (store.manifest_path(id) for id in ids)}
        before = store.size_bytes()
        live = {bytes.fromhex(digest) for digest in needed() if _DIGEST.fullmatch(digest)}
        for item in store.list():
            if item.id not in paths:
                live.update(store.manifest(item.id).file_digests())
        unread = store.unread_manifests()
        if unread - set(paths):
            raise StoreError(
                tr(
                    "snapshot {unread} is damaged; the contents it needs are unknown",
                    unread=", ".join(sorted(unread - set(paths))),
                ),
                tr("Forget it by its id first."),
            )
        live |= store.parts_of(live)
        work.check()
        for path in paths.values():
            path.unlink()
        sync_folder(store.snapshots_folder)
        _free(store, live, work)
        return Freed(tuple(sorted(paths)), max(0, before - store.size_bytes()))


def _free(store: Store, live: Collection[bytes], work: Work) -> None:
    packs = sorted(store.packs_folder.glob("*" + SUFFIX))
    gone: list[str] = []
    try:
        for number, path in enumerate(packs):
            work.check()
            work.progress(tr("freeing"), number, len(packs))
            try:
                blocks = [_sound(block) for block in read_pack(path)]
            except StoreError:
                continue  # damaged blocks may still be readable in part; verify reports them
            size = sum(place.size for block in blocks for _, place in block.blobs)
            dead = sum(place.size for block in blocks for digest, place in block.blobs if digest not in live)
            if dead == size or (dead > _DEAD_SHARE * size and _rewrite(store, path, blocks, live)):
                path.unlink()
                gone.append(path.name)
    finally:
        sync_folder(store.packs_folder)
        store.freed(gone)


def _sound(block: PackBlock | DamagedBlock) -> PackBlock:
    if isinstance(block, DamagedBlock):
        raise block
    return block


def _rewrite(store: Store, path: Path, blocks: Sequence[PackBlock], live: Collection[bytes]) -> bool:
    """Write the needed blobs to a new pack; it has its final name, synced, before the old one is removed.

    Returns False if one of them is damaged: the old pack stays, so that the rest can be recovered.
    """
    try:
        with store.new_pack() as pack:
            for block in blocks:
                wanted = [(digest, place) for digest, place in block.blobs if digest in live]
                content = read_block(path, block.offset).content if wanted else b""
                for digest, place in wanted:
                    data = content[place.at : place.at + place.size]
                    if place.kind == CONTENT and blake3.blake3(data).digest() != digest:
                        raise DamagedBlock(path, block.offset)
                    pack.add(data, digest, place.kind)
    except DigestMismatch:
        return False
    store.took(pack.written())
    return True
