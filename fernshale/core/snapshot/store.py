"""The snapshot store: a folder outside every project that holds blobs in packs and a manifest per snapshot.

    store/
      lock                     held (flock) during writes; the kernel releases it when its holder dies
      index                    the position of each blob; can be rebuilt from the packs
      packs/NAME.pack
      snapshots/ID.manifest

Covered: a kill at any moment (a pack or manifest gets its name only when complete; the next writer removes temporary files),
flipped bits (every read is verified), two processes (one writes at a time; readers need no lock, because named files never
change, except the index, which only grows).
"""

from __future__ import annotations

import contextlib
import time
import uuid
from collections import OrderedDict
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

import blake3

from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import sweep, write_atomic
from fernshale.core.base.errors import MisuseError, StoreError
from fernshale.core.base.lock import Holder, locked
from fernshale.core.base.settings import settings
from fernshale.core.base.texts import tr
from fernshale.core.base.work import UNWATCHED, Work, many_values
from fernshale.core.snapshot.blob_index import BlobIndex
from fernshale.core.snapshot.blob_writer import BlobWriter
from fernshale.core.snapshot.file_reader import KeepFailed
from fernshale.core.snapshot.manifest import EMPTY, FACTS, UNREAD, Manifest
from fernshale.core.snapshot.manifest_file import (
    encode_entries,
    encode_manifest,
    read_body,
    read_manifest,
    read_summary,
)
from fernshale.core.snapshot.pack import (
    PARTS,
    SUFFIX,
    WRITING,
    BlobPlace,
    DamagedBlock,
    DigestMismatch,
    OpenedBlock,
    PackBlock,
    PackWriter,
    WrittenPack,
    content_of,
    decode_parts,
    read_block,
    read_pack,
)
from fernshale.core.snapshot.parallel_reading import keep_contents
from fernshale.core.snapshot.tree_walk import list_tree

# A crossing asks for its start, its last build and the last step again and again.
_RECENT_MANIFESTS = 4
_MANIFEST = ".manifest"
# Blocks to keep in memory: contents of one block are mostly read together.
_BLOCKS_KEPT = 8
# The number of large files whose lists of parts a snapshot reads to check that all parts exist.
_MAX_LISTS_CHECKED = 256


class UnknownSnapshot(StoreError):
    exit_code = 2


@dataclass(frozen=True, slots=True)
class Snapshot:
    """A snapshot without its entries. `stored` is the number of bytes it added to the store."""

    id: str
    tree: str
    taken: float
    note: str
    files: int
    bytes: int
    stored: int
    reported: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class StoreCheck:
    """The result of `verify`: `damaged` are (description, affected snapshots)."""

    ok: bool
    damaged: tuple[tuple[str, tuple[str, ...]], ...]


class Store:
    """An open store. Cheap to open; blob places are read when first asked for."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.packs_folder = folder / "packs"
        self.snapshots_folder = folder / "snapshots"
        try:
            self.packs_folder.mkdir(parents=True, exist_ok=True)
            self.snapshots_folder.mkdir(exist_ok=True)
        except OSError as error:
            raise StoreError(
                tr("the snapshot store {folder} cannot be used: {strerror}", folder=folder, strerror=error.strerror)
            ) from error
        self._index: BlobIndex | None = None
        self._blocks: OrderedDict[tuple[str, int], OpenedBlock] = OrderedDict()

    # -- blobs

    def get(self, digest: str) -> bytes:
        """The bytes under `digest`. Raises StoreError when they are not there or damaged."""
        key = bytes.fromhex(digest)
        data, kind = self._blob(key)
        if kind != PARTS:
            return data
        whole = b"".join(bytes(part) if isinstance(part, int) else part for part in self.pieces(key))
        if blake3.blake3(whole).hexdigest() != digest:
            raise DigestMismatch(tr("the parts of {digest} do not make what was put in", digest=digest[:12]))
        return whole

    def raw(self, digest: bytes) -> tuple[bytes, int]:
        """A blob as it was put in, and its kind: a content, or the list of its parts. Raises StoreError."""
        return self._blob(digest)

    def pieces(self, digest: bytes) -> Iterator[bytes | int]:
        """The same piece by piece, a hole as its length; the digest of a whole in parts is for the caller to check."""
        data, kind = self._blob(digest)
        if kind != PARTS:
            yield data
            return
        for size, part in decode_parts(data):
            yield size if part == UNREAD else self._blob(part)[0]

    def blocks(self, digests: bytes) -> list[list[int]]:
        """Return the rows of `digests` (32 bytes each) by block, in order."""
        return [rows for _, _, rows in self._read_index().blocks_of(digests, self._find)]

    def contents(self, digests: bytes) -> Iterator[tuple[int, memoryview | None]]:
        """Yield many contents, `digests` being 32 bytes of each, as (row, content) in storage order.

        Content stored in parts is None: use `pieces`. Raises StoreError, before the first one if one is missing.
        """
        for name, number, rows in self._read_index().blocks_of(digests, self._find):
            block = self._open(name, number)
            content = memoryview(block.content if block is not None else b"")
            for row in rows:
                digest = digests[32 * row : 32 * row + 32]
                if block is None:  # another process rewrote the pack
                    data, kind = self._blob(digest)
                    yield row, memoryview(data) if kind != PARTS else None
                else:
                    place = _place_in(block, digest, name)
                    yield row, content[place.at : place.at + place.size] if place.kind != PARTS else None

    def has_all_of(self, digest: bytes) -> bool:
        """Whether all of a content is there: a list of parts may have outlived them."""
        found = self._read_index().find(digest)
        if found is None or found[1].kind != PARTS:
            return found is not None
        try:
            parts = decode_parts(self._blob(digest)[0])
        except StoreError:
            return False
        return all(part == UNREAD or self._read_index().find(part) is not None for _, part in parts)

    def parts_of(self, digests: Iterable[bytes]) -> set[bytes]:
        """The digests of the parts of those contents that are kept in parts. Raises StoreError."""
        found: set[bytes] = set()
        index = self._read_index()
        for digest in digests:
            at = index.find(digest)
            if at is not None and at[1].kind == PARTS:
                found |= {part for _, part in decode_parts(self._blob(digest, at)[0])}
        return found - {UNREAD}

    def reload(self) -> None:
        """Drop the positions of blobs; they are read again on demand."""
        self._index = None
        self._blocks.clear()

    def put_all(self, blobs: Iterable[bytes]) -> None:
        """Keep `blobs`; those that are kept already cost nothing. Raises OSError."""
        with self.writing(), self.keeping() as keeper:
            for data in blobs:
                keeper.content(data)

    def size_bytes(self) -> int:
        """Return the size of the store on disk, bytes."""
        paths = [*self.packs_folder.iterdir(), *self.snapshots_folder.iterdir(), self.folder / "index"]
        return sum(path.stat().st_size for path in paths if path.is_file())

    # -- snapshots

    def take(self, tree: Path, note: str, work: Work) -> Snapshot:
        """Keep the tree as it is now. Raises OSError when the store cannot be written (nothing of it then counts)."""
        tree = tree.resolve()
        if not tree.is_dir():
            raise StoreError(tr("{tree} is not a folder", tree=tree))
        if self.folder.resolve().is_relative_to(tree):
            raise StoreError(
                tr("the snapshot store lies inside the tree"), tr("Choose a store outside with --store DIR.")
            )
        with self.writing(work), many_values():
            last, path = self._last_of(tree)
            listed = self.without_lost(list_tree(tree, last, work))
            manifest, stored = keep_contents(self, tree, listed, work)
            same = path if manifest.folders is last.folders else None
            return self._write_manifest(tree, note, manifest, stored, same)

    def scan(self, tree: Path, previous: Manifest, work: Work) -> Manifest:
        """The tree as it is now, with every content kept that `previous` does not have; no snapshot of it. Raises OSError."""
        with self.writing(work):
            listed = self.without_lost(list_tree(tree, previous, work))
            return keep_contents(self, tree, listed, work)[0]

    def without_lost(self, manifest: Manifest) -> Manifest:
        """Return `manifest` with those files marked as unread whose content the store has lost, so that they are read again;
        the same object if nothing is missing. This considers removed packs, but not damaged ones, which only `verify` reads."""
        folders = dict(manifest.folders)
        digests = b"".join(folder.digests for folder in folders.values())
        missing, in_parts = self._read_index().rows_without(digests)
        lost = {row for row in missing if digests[32 * row : 32 * row + 32] != UNREAD}
        # Each list of parts has to be read, so check very many only if some content is known to be missing.
        if lost or self._read_index().has_lost or len(in_parts) <= _MAX_LISTS_CHECKED:
            lost |= {row for row in in_parts if not self.has_all_of(digests[32 * row : 32 * row + 32])}
        if not lost:
            return manifest
        first = 0
        for path, folder in manifest.folders.items():
            rows = [row for row in range(len(folder.names)) if first + row in lost]
            first += len(folder.names)
            if rows:
                kept = bytearray(folder.digests)
                for row in rows:
                    kept[32 * row : 32 * row + 32] = UNREAD
                folders[path] = replace(folder, digests=bytes(kept))
        return Manifest(folders, manifest.reported, manifest.taken_ns)

    def list(self) -> list[Snapshot]:
        """All snapshots, oldest first."""
        found = []
        for path in sorted(self.snapshots_folder.glob("*" + _MANIFEST)):
            with contextlib.suppress(StoreError):  # verify reports it
                found.append(_summary(path))
        return found

    def summary(self, id: str) -> Snapshot:
        return _summary(self.manifest_path(id))

    def manifest(self, id: str) -> Manifest:
        """The entries of a snapshot; `id` may be shortened. Raises UnknownSnapshot, StoreError."""
        path = self.manifest_path(id)
        status = path.stat()
        return _manifest_at(path, (status.st_ino, status.st_size, status.st_mtime_ns))

    def manifest_path(self, id: str) -> Path:
        """Return the path of a snapshot's manifest. Raises UnknownSnapshot."""
        found = [path for path in self.snapshots_folder.glob("*" + _MANIFEST) if id and path.name.startswith(id)]
        if len(found) != 1:
            trouble = tr("is not unique") if found else tr("is not in this store")
            raise UnknownSnapshot(
                tr("snapshot {id!r} {trouble}", id=id, trouble=trouble),
                tr("`fernshale snapshot list` shows those there are."),
            )
        return found[0]

    def unread_manifests(self) -> set[str]:
        """Return snapshots whose summary cannot be read; `list` skips them."""
        there = {path.name.removesuffix(_MANIFEST) for path in self.snapshots_folder.glob("*" + _MANIFEST)}
        return there - {item.id for item in self.list()}

    def verify(self, work: Work = UNWATCHED) -> StoreCheck:
        """Read every block and manifest; report damaged and missing contents with the affected snapshots.

        The index is not verified: it has its own digests and contains only data from the packs.
        """
        damaged: list[tuple[str, tuple[str, ...]]] = []
        users: dict[bytes, set[str]] = {}
        for path in sorted(self.snapshots_folder.glob("*" + _MANIFEST)):
            id = path.name.removesuffix(_MANIFEST)
            try:
                for digest in read_manifest(path).file_digests():
                    users.setdefault(digest, set()).add(id)
            except StoreError as error:
                damaged.append((error.message, (id,)))
        good: set[bytes] = set()
        parts: dict[bytes, set[bytes]] = {}
        broken: list[tuple[str, int, str]] = []
        packs = sorted(self.packs_folder.glob("*" + SUFFIX))
        total = sum(path.stat().st_size for path in packs)
        done = 0
        for path in packs:
            try:
                for block in read_pack(path, check=True):
                    work.check()
                    if isinstance(block, DamagedBlock):
                        broken.append((path.name, block.offset, block.message))
                        continue
                    work.progress(tr("verifying"), (done + block.end) >> 20, total >> 20)
                    good |= {digest for digest, _ in block.blobs}
                    parts |= _parts_in(path, block)
            except StoreError as error:
                damaged.append((error.message, ()))
            done += path.stat().st_size
        lost: dict[bytes, set[str]] = {}
        for digest, ids in users.items():
            for missing in ({digest} | parts.get(digest, set())) - good:
                lost.setdefault(missing, set()).update(ids)
        index = self._read_index()
        for name, offset, words in broken:
            here = {digest for digest in lost if (at := index.find(digest)) and (at[0], at[1].block) == (name, offset)}
            damaged.append((words, tuple(sorted({id for digest in here for id in lost[digest]}))))
            for digest in here:
                del lost[digest]
        damaged += [
            (tr("blob {digest} is missing", digest=digest.hex()[:12]), tuple(sorted(ids)))
            for digest, ids in lost.items()
        ]
        return StoreCheck(not damaged, tuple(damaged))

    # -- writing

    @contextlib.contextmanager
    def writing(self, work: Work = UNWATCHED) -> Iterator[None]:
        """Hold the store's lock, waiting for another writer; remove temporary files of killed writers. Raises Cancelled."""

        def on_wait(holder: Holder) -> None:
            work.check()
            work.progress(
                tr("another Fernshale ({holder}) writes into the snapshot store; waiting", holder=holder), 0, 0
            )

        with locked(self.folder / "lock", on_wait):
            for leftover in self.packs_folder.glob("*" + WRITING):
                leftover.unlink()
            for folder in (self.folder, self.snapshots_folder):
                sweep(folder)
            if self._index is not None:
                self._index.refresh()
            yield

    @contextlib.contextmanager
    def keeping(self) -> Iterator[BlobWriter]:
        """Keep contents in a new pack, which counts once this is left without an error; only while `writing`.

        Raises OSError when it cannot be written.
        """
        try:
            with self.new_pack() as pack:
                yield BlobWriter(pack, self.has_all_of)
            self.took(pack.written())
        except KeepFailed as failed:
            raise failed.cause from failed

    def new_pack(self) -> PackWriter:
        """A new pack to write into; only while `writing`."""
        return PackWriter(self.packs_folder, f"{time.strftime('%Y%m%d')}-{uuid.uuid4().hex[:16]}")

    def took(self, *packs: WrittenPack) -> None:
        """Make the contents of written packs available."""
        index = self._read_index()
        for pack in packs:
            if pack.records:
                index.mend()
                index.add(pack)

    def freed(self, packs: Collection[str]) -> None:
        """Remove packs from the index. Raises OSError."""
        self._read_index().write_without(packs)
        self.reload()

    # -- inside

    def _last_of(self, tree: Path) -> tuple[Manifest, Path | None]:
        """Return the latest snapshot of a tree, and its manifest's path."""
        previous = next((item for item in reversed(self.list()) if item.tree == str(tree)), None)
        # A damaged earlier manifest only costs the shortcut.
        with contextlib.suppress(StoreError):
            if previous is not None:
                path = self.manifest_path(previous.id)
                return read_manifest(path), path
        return EMPTY, None

    def _read_index(self) -> BlobIndex:
        if self._index is None:
            self._index = BlobIndex(self.folder / "index", self.packs_folder)
            self._index.load()
        return self._index

    def _find(self, digest: bytes) -> tuple[str, BlobPlace]:
        """Return the position of a blob. Raises StoreError if there is none."""
        index = self._read_index()
        found = index.find(digest)
        if found is None:
            index.refresh()  # another process may have written it
            found = index.find(digest)
        if found is None:
            raise StoreError(
                tr("the store {folder} has no blob {digest}", folder=self.folder, digest=digest.hex()[:12])
            )
        return found

    def _blob(self, digest: bytes, where: tuple[str, BlobPlace] | None = None) -> tuple[bytes, int]:
        """A blob as it was put in, and its kind."""
        name, place = where or self._find(digest)
        block = self._open(name, place.block)
        if block is None:
            self.reload()
            name, place = self._find(digest)
            block = read_block(self.packs_folder / name, place.block)
        found = _place_in(block, digest, name)
        return block.content[found.at : found.at + found.size], found.kind

    def _open(self, name: str, number: int) -> OpenedBlock | None:
        """Return a block of a pack; None if another process has rewritten the pack."""
        block = self._blocks.get((name, number))
        if block is None:
            if not (self.packs_folder / name).exists():
                return None
            block = read_block(self.packs_folder / name, number)
            self._blocks[name, number] = block
            if len(self._blocks) > _BLOCKS_KEPT:
                self._blocks.popitem(last=False)
        return block

    def _write_manifest(self, tree: Path, note: str, manifest: Manifest, stored: int, same: Path | None) -> Snapshot:
        """`same` is the file of a snapshot with the very same entries."""
        taken = manifest.taken_ns / 1e9
        stamp = time.strftime("%Y%m%d-%H%M%S", time.gmtime(taken)) + f"{manifest.taken_ns // 1000 % 1_000_000:06d}"
        if same is not None:
            earlier, entries = _summary(same), read_body(same)
            files, size, newest_ns = earlier.files, earlier.bytes, manifest.newest_ns
        else:
            sizes = [folder.facts[FACTS * row] for folder in manifest.folders.values() for row in folder.file_rows()]
            files, size, entries = len(sizes), sum(sizes), encode_entries(manifest)
            newest_ns = max((folder.newest_ns for folder in manifest.folders.values()), default=0)
        summary = {
            "tree": str(tree),
            "taken": taken,
            "taken_ns": manifest.taken_ns,
            "newest_ns": newest_ns,
            "note": note,
            "files": files,
            "bytes": size,
            "stored": stored,
            "reported": [list(item) for item in manifest.reported],
        }
        data = encode_manifest(summary, entries)
        path = self.snapshots_folder / f"{stamp}-{data[-3:].hex()}{_MANIFEST}"
        write_atomic(path, data)
        return _summary(path)


def _place_in(block: OpenedBlock, digest: bytes, pack: str) -> BlobPlace:
    """Return the position from the verified block itself, since the index may be wrong. Raises DigestMismatch."""
    found = block.places.get(digest)
    if found is None:
        raise DigestMismatch(
            tr(
                "{pack}: the index says that {digest} is in a block that does not have it",
                pack=pack,
                digest=digest.hex()[:12],
            )
        )
    return found


def _summary(path: Path) -> Snapshot:
    data = read_summary(path)
    try:
        reported = tuple((name, why) for name, why in data["reported"])
        numbers = (data["files"], data["bytes"], data["stored"])
        return Snapshot(path.stem, data["tree"], data["taken"], data["note"], *numbers, reported)
    except (ValueError, KeyError, TypeError) as error:
        raise DigestMismatch(tr("the manifest of snapshot {id} is damaged", id=path.stem)) from error


def _parts_in(path: Path, block: PackBlock) -> dict[bytes, set[bytes]]:
    """The parts of the large files that a block lists."""
    lists = [(digest, place) for digest, place in block.blobs if place.kind == PARTS]
    if not lists:
        return {}
    with path.open("rb") as file:
        content = content_of(file.fileno(), path, block)
    found = {}
    for digest, place in lists:
        parts = decode_parts(content[place.at : place.at + place.size])
        found[digest] = {part for _, part in parts} - {UNREAD}
    return found


def check_store_folder(chosen: str) -> None:
    """Check that the settings may name another folder of the store; "" is the usual one.

    Raises MisuseError where snapshots would be left behind: the folder in use has some, and the other one is no store.
    """
    now, new = default_store(), Path(chosen).expanduser() if chosen else home() / "store"
    if not new.is_absolute():
        raise MisuseError(
            tr("{chosen} is not an absolute path", chosen=chosen), tr("Write the whole path of the folder.")
        )
    if now != new and now.is_dir() and Store(now).list() and not (new.is_dir() and Store(new).list()):
        raise MisuseError(
            tr("{now} has snapshots that crossings need, and {new} has none", now=now, new=new),
            tr("Close Fernshale, move {now} to {new}, and choose it then.", now=now, new=new),
        )


def default_store() -> Path:
    """The folder of this user's store: the one of the settings, else in the data folder. Raises FormatError, MisuseError."""
    chosen = settings().store.folder
    return Path(chosen).expanduser() if chosen else home() / "store"


@lru_cache(maxsize=_RECENT_MANIFESTS)
def _manifest_at(path: Path, state: tuple[int, int, int]) -> Manifest:
    """The manifest in a file, read once for each `state` of the file (inode, size, time of the last change in ns)."""
    return read_manifest(path)
