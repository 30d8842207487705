"""The snapshot store: a folder outside every project that holds blobs in packs and a manifest per snapshot.

    store/
      lock                     held (flock) while something is written; the kernel frees it when its holder dies
      packs/NAME.pack
      snapshots/ID.manifest    a line of JSON (the summary), the entries as zstd-compressed JSON, a BLAKE3 digest of both

Covered: a kill at any moment (a pack or manifest has its name only when whole; a temporary file is swept by the next
writer), flipped bits (every read is checked), two processes (one writes at a time, readers need no lock because
nothing that has a name ever changes).
"""

from __future__ import annotations

import contextlib
import json
import os
import time
import uuid
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import blake3
import zstandard

from fernshale.core.base.disk import sweep, write_atomic
from fernshale.core.base.errors import StoreError
from fernshale.core.base.lock import Holder, locked
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Progress, no_progress
from fernshale.core.snapshot.manifest import EMPTY, Entry, Kind, Manifest, digest_of, scan_tree
from fernshale.core.snapshot.pack import SUFFIX, DigestMismatch, Location, PackWriter, read_blob, read_pack

_FORMAT = "fernshale-snapshot/1"
_MANIFEST = ".manifest"
_LARGEST_MANIFEST = 1 << 31


class UnknownSnapshot(StoreError):
    exit_code = 2


@dataclass(frozen=True, slots=True)
class Snapshot:
    """What is known of a snapshot without its entries. `stored` is what it added to the store, in bytes."""

    id: str
    tree: str
    taken: float
    note: str
    files: int
    bytes: int
    stored: int
    reported: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Verdict:
    """What `verify` found: `damaged` are (what, snapshots it touches)."""

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
            raise StoreError(f"the snapshot store {folder} cannot be used: {error.strerror}") from error
        self._places: dict[str, Location] = {}
        self._read_packs: set[str] = set()

    # -- blobs

    def get(self, digest: str) -> bytes:
        """The bytes under `digest`. Raises StoreError when they are not there or damaged."""
        place = self._place(digest)
        if place is not None and not place.pack.exists():
            self.reload()  # its pack was written anew meanwhile
            place = self._place(digest)
        if place is None:
            raise StoreError(f"the store {self.folder} has no blob {digest[:12]}")
        return read_blob(digest, place)

    def reload(self) -> None:
        """Forget where blobs lie; it is read again when they are asked for."""
        self._places.clear()
        self._read_packs.clear()

    def unread_manifests(self) -> set[str]:
        """Snapshots whose summary cannot be read; `list` leaves them out."""
        there = {path.name.removesuffix(_MANIFEST) for path in self.snapshots_folder.glob("*" + _MANIFEST)}
        return there - {item.id for item in self.list()}

    def put_all(self, blobs: Iterable[bytes]) -> None:
        """Keep `blobs`; those already there cost nothing."""
        with self.writing(), self.pack() as pack:
            for data in blobs:
                digest = digest_of(data)
                if self._place(digest) is None:
                    pack.add(data, digest)
        self._places.update(pack.places)

    def size_bytes(self) -> int:
        """What packs and manifests take on disk."""
        folders = (self.packs_folder, self.snapshots_folder)
        return sum(path.stat().st_size for folder in folders for path in folder.iterdir() if path.is_file())

    # -- snapshots

    def take(self, tree: Path, note: str, progress: Progress, token: CancelToken) -> Snapshot:
        """Keep the tree as it is now. Raises OSError when the store cannot be written (nothing of it then counts)."""
        tree = tree.resolve()
        if not tree.is_dir():
            raise StoreError(f"{tree} is not a folder")
        if self.folder.resolve().is_relative_to(tree):
            raise StoreError("the snapshot store lies inside the tree", "Choose a store outside with --store DIR.")
        with self.writing(progress, token):
            previous = next((item for item in reversed(self.list()) if item.tree == str(tree)), None)
            # A damaged earlier manifest only costs the shortcut.
            known = EMPTY
            if previous is not None:
                with contextlib.suppress(StoreError):
                    known = self.manifest(previous.id)
            with self.pack() as pack:

                def keep(data: bytes) -> None:
                    digest = digest_of(data)
                    if self._place(digest) is None:
                        pack.add(data, digest)

                manifest = scan_tree(tree, known, keep, progress, token)
            self._places.update(pack.places)
            return self._write_manifest(tree, note, manifest, pack.stored_bytes)

    def list(self) -> list[Snapshot]:
        """All snapshots, oldest first."""
        found = []
        for path in sorted(self.snapshots_folder.glob("*" + _MANIFEST)):
            with contextlib.suppress(StoreError):  # named by verify, which looks at each
                found.append(_summary(path))
        return found

    def summary(self, id: str) -> Snapshot:
        return _summary(self.manifest_path(id))

    def manifest(self, id: str) -> Manifest:
        """The entries of a snapshot; `id` may be shortened. Raises UnknownSnapshot, StoreError."""
        return _read_manifest(self.manifest_path(id))

    def verify(self, progress: Progress = no_progress, token: CancelToken | None = None) -> Verdict:
        """Read every blob and manifest; name each that is damaged or missing and the snapshots it touches."""
        token = token or CancelToken()
        damaged: list[tuple[str, tuple[str, ...]]] = []
        users: dict[str, set[str]] = {}
        for path in sorted(self.snapshots_folder.glob("*" + _MANIFEST)):
            id = path.name.removesuffix(_MANIFEST)
            try:
                for entry in _read_manifest(path).files.values():
                    users.setdefault(entry.content, set()).add(id)
            except StoreError as error:
                damaged.append((error.message, (id,)))
        for pack in sorted(self.packs_folder.glob("*" + SUFFIX)):
            try:
                self._read_pack(pack)
            except StoreError as error:
                damaged.append((error.message, ()))
        wanted = sorted(set(self._places) | set(users))
        for number, digest in enumerate(wanted):
            token.check()
            progress("verifying", number, len(wanted))
            try:
                self.get(digest)
            except StoreError as error:
                damaged.append((error.message, tuple(sorted(users.get(digest, ())))))
        return Verdict(not damaged, tuple(damaged))

    # -- inside

    @contextlib.contextmanager
    def writing(self, progress: Progress = no_progress, token: CancelToken | None = None) -> Iterator[None]:
        """Hold the store's lock, waiting for another writer; sweep what a killed one left. Raises Cancelled."""

        def on_wait(holder: Holder) -> None:
            if token is not None:
                token.check()
            progress(f"another Fernshale ({holder}) writes into the snapshot store; waiting", 0, 0)

        with locked(self.folder / "lock", on_wait):
            for leftover in self.packs_folder.glob("*.writing"):
                leftover.unlink()
            # Another process may have freed what this one remembers.
            if any(not (self.packs_folder / name).exists() for name in self._read_packs):
                self.reload()
            sweep(self.snapshots_folder)
            yield

    def pack(self) -> PackWriter:
        """A new pack to write into; only while `writing`."""
        return PackWriter(self.packs_folder, f"{time.strftime('%Y%m%d')}-{uuid.uuid4().hex[:16]}")

    def _place(self, digest: str) -> Location | None:
        if digest not in self._places:
            for path in self.packs_folder.glob("*" + SUFFIX):
                if path.name not in self._read_packs:
                    with contextlib.suppress(StoreError):  # a damaged pack costs only what was in it
                        self._read_pack(path)
        return self._places.get(digest)

    def _read_pack(self, path: Path) -> None:
        self._read_packs.add(path.name)
        for digest, place in read_pack(path):  # one by one: what stands before a damaged record is good
            self._places[digest] = place

    def manifest_path(self, id: str) -> Path:
        """Where a snapshot's manifest lies. Raises UnknownSnapshot."""
        found = [path for path in self.snapshots_folder.glob("*" + _MANIFEST) if id and path.name.startswith(id)]
        if len(found) != 1:
            trouble = "is not unique" if found else "is not in this store"
            raise UnknownSnapshot(f"snapshot {id!r} {trouble}", "`fernshale snapshot list` shows those there are.")
        return found[0]

    def _write_manifest(self, tree: Path, note: str, manifest: Manifest, stored: int) -> Snapshot:
        taken = manifest.taken_ns / 1e9
        stamp = time.strftime("%Y%m%d-%H%M%S", time.gmtime(taken)) + f"{manifest.taken_ns // 1000 % 1_000_000:06d}"
        files = manifest.files.values()
        summary = {
            "format": _FORMAT,
            "tree": str(tree),
            "taken": taken,
            "note": note,
            "files": len(files),
            "bytes": sum(entry.size for entry in files),
            "stored": stored,
            "reported": [list(item) for item in manifest.reported],
        }
        entries = {
            "taken_ns": manifest.taken_ns,
            "entries": [
                [path, entry.kind.value, entry.mode, entry.content, entry.size, entry.mtime_ns, list(entry.stamp)]
                for path, entry in manifest.entries.items()
            ],
        }
        body = json.dumps(summary).encode() + b"\n" + zstandard.compress(json.dumps(entries).encode(), 3)
        path = self.snapshots_folder / f"{stamp}-{digest_of(body)[:6]}{_MANIFEST}"
        write_atomic(path, body + blake3.blake3(body).digest())
        return _summary(path)


def _summary(path: Path) -> Snapshot:
    """The first line of a manifest; its digest is checked when the entries are read."""
    with path.open("rb") as file:
        line = file.readline(1 << 26)
    try:
        data: dict[str, Any] = json.loads(line)
        if data["format"] != _FORMAT:
            raise StoreError(f"snapshot {path.stem} was written by a newer Fernshale ({data['format']})")
        reported = tuple((name, why) for name, why in data["reported"])
        numbers = (data["files"], data["bytes"], data["stored"])
        return Snapshot(path.stem, data["tree"], data["taken"], data["note"], *numbers, reported)
    except (ValueError, KeyError, TypeError) as error:
        raise DigestMismatch(f"the manifest of snapshot {path.stem} is damaged") from error


def _read_manifest(path: Path) -> Manifest:
    raw = path.read_bytes()
    body, digest = raw[:-32], raw[-32:]
    if blake3.blake3(body).digest() != digest:
        raise DigestMismatch(f"the manifest of snapshot {path.stem} is damaged")
    reported = _summary(path).reported
    packed = body[body.index(b"\n") + 1 :]
    data: dict[str, Any] = json.loads(zstandard.decompress(packed, max_output_size=_LARGEST_MANIFEST))
    entries = {
        TreePath(name): Entry(Kind(kind), mode, content, size, mtime_ns, (stamp[0], stamp[1], stamp[2]))
        for name, kind, mode, content, size, mtime_ns, stamp in data["entries"]
    }
    return Manifest(entries, reported, data["taken_ns"])


def default_store() -> Path:
    """The store of this user, `$FERNSHALE_HOME/store` where that is set."""
    return home() / "store"


def home() -> Path:
    """Where Fernshale keeps what it knows between runs."""
    if chosen := os.environ.get("FERNSHALE_HOME"):
        return Path(chosen)
    import platformdirs

    return platformdirs.user_data_path("fernshale")
