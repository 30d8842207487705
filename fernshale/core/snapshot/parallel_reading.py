"""Read and store the listed files: a large tree in two processes, each with a pack of its own."""

from __future__ import annotations

import os
from collections.abc import Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.process.workers import WorkerProcess, is_worthwhile
from fernshale.core.snapshot.blob_writer import BlobWriter
from fernshale.core.snapshot.file_reader import KeepFailed
from fernshale.core.snapshot.manifest import FACTS, Manifest
from fernshale.core.snapshot.pack import PackWriter, WrittenPack, give_names
from fernshale.core.snapshot.tree_walk import Wanted, read_files, unread_files, with_contents

# Approximate cost of a file and of a byte, seconds; only their ratio matters.
_PER_FILE_S = 40e-6
_PER_BYTE_S = 7e-9
_START_S = 0.3
# The function that the second process runs.
_WORKER = "fernshale.core.snapshot.reading_worker:read_share"


@dataclass(frozen=True)
class Share:
    """The second process's share of the files, and the target pack."""

    store: Path
    pack: str
    tree: str
    wanted: Sequence[Wanted]


class BlobStore(Protocol):
    """The parts of the store that are needed here: the folder of packs, which contents exist, and how to add new packs."""

    @property
    def folder(self) -> Path: ...
    @property
    def packs_folder(self) -> Path: ...
    def has_all_of(self, digest: bytes) -> bool: ...
    def keeping(self) -> AbstractContextManager[BlobWriter]: ...
    def new_pack(self) -> PackWriter: ...
    def took(self, *packs: WrittenPack) -> None: ...


def keep_contents(store: BlobStore, tree: Path, listed: Manifest, work: Work) -> tuple[Manifest, int]:
    """`listed` with all contents read and kept, and the bytes that took; only while the store is `writing`.

    Raises OSError when the store cannot be written, StoreError, Cancelled.
    """
    wanted = unread_files(listed)
    if not wanted:
        return listed, 0
    sizes = [listed.folders[path].facts[FACTS * row] for path, row, _ in wanted]
    place = os.fspath(tree)

    def tell(count: int) -> None:
        work.progress(tr("reading files"), count, len(wanted))

    if not is_worthwhile(len(wanted), sum(sizes)):
        with store.keeping() as keeper:
            found = read_files(place, wanted, keeper, tell, work.token)
        return with_contents(listed, wanted, found), keeper.stored_bytes
    mine, others = _shared_out(wanted, sizes)
    other = store.new_pack()
    other.close()
    try:
        with store.new_pack() as pack:
            job = Share(store.folder, other.name, place, others)
            with WorkerProcess(_WORKER, job) as second:
                keeper = BlobWriter(pack, store.has_all_of)
                found = read_files(place, mine, keeper, lambda count: tell(count + second.done), work.token)
                pack.finish()
                theirs, other_pack = second.result(work.token)
            give_names(store.packs_folder, [other_pack])
    except KeepFailed as failed:
        raise failed.cause from failed
    finally:
        other.remove()
    store.took(pack.written(), other_pack)
    found.extend(theirs)
    return with_contents(listed, [*mine, *others], found), pack.stored_bytes + other_pack.stored_bytes


def _shared_out(wanted: Sequence[Wanted], sizes: Sequence[int]) -> tuple[list[Wanted], list[Wanted]]:
    """Divide the files into two shares of about the same duration. Files of one size stay together, so that equal contents are
    stored once."""
    by_size: dict[int, int] = {}
    for size in sizes:
        by_size[size] = by_size.get(size, 0) + 1
    loads = [0.0, _START_S]
    chosen: dict[int, int] = {}
    for cost, size in sorted(
        ((n * (_PER_FILE_S + size * _PER_BYTE_S), size) for size, n in by_size.items()), reverse=True
    ):
        to = loads.index(min(loads))
        loads[to] += cost
        chosen[size] = to
    shares: tuple[list[Wanted], list[Wanted]] = ([], [])
    for item, size in zip(wanted, sizes, strict=True):
        shares[chosen[size]].append(item)
    return shares
