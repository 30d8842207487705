"""The position of each blob of a store: an append-only file with a segment for each pack.

    "FSIX" | length of the pack's name (2) | count (4) | name | count x (digest (32) | block (8) | at (4) | size (4) | kind (1))
    BLAKE3 of all of the segment before it (32)

The index only saves time: packs without a segment are read themselves, damaged or incomplete segments are skipped, and segments
of removed packs are ignored. It is written again when packs are removed.
"""

from __future__ import annotations

import os
import struct
from bisect import bisect_left
from collections.abc import Callable, Collection, Iterator, Mapping
from contextlib import suppress
from pathlib import Path

import blake3

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import StoreError
from fernshale.core.snapshot.pack import PARTS, PLACED, SUFFIX, BlobPlace, DamagedBlock, WrittenPack, read_pack

_MAGIC = b"FSIX"
# The fields of `PLACED`, for NumPy.
_COLUMNS = [("digest", "V32"), ("block", "<u8"), ("at", "<u4"), ("size", "<u4"), ("kind", "u1")]
_HEAD = struct.Struct("<4sHI")
_DIGEST = 32


class BlobIndex:
    """Blobs by digest. A million of them take about 60 MB: the records stay as they were read, sorted by number."""

    def __init__(self, path: Path, packs_folder: Path) -> None:
        self._path = path
        self._folder = packs_folder
        self._packs: list[str] = []
        self._records = b""
        self._pack_of = b""
        # Of each record the first 8 bytes of the digest as a number, sorted, and which record it is.
        self._keys: memoryview = memoryview(b"").cast("Q")
        self._rows: memoryview = memoryview(b"").cast("q")
        # Blobs added since: their pack, its records, and the row in them.
        self._fresh: dict[bytes, tuple[str, bytes, int]] = {}
        self._known: set[str] = set()
        self._unwritten: list[str] = []
        self._is_torn = False
        self.has_lost = False
        """Whether the index names a pack that is not there."""

    def load(self) -> None:
        """Read the index from disk; packs that it does not contain are read themselves."""
        there = {name for name in os.listdir(self._folder) if name.endswith(SUFFIX)}
        segments = {}
        length = 0
        self.has_lost = False
        data = self._read()
        for name, records in _segments(data):
            length += _HEAD.size + len(name) + len(records) + _DIGEST
            if name in there:
                segments[name] = records
            else:
                self.has_lost = True
        self._is_torn = length != len(data)
        self._take_in(segments)
        self._known, self._unwritten = set(segments), []
        for name in sorted(there - set(segments)):
            self._read_pack(name)

    def refresh(self) -> None:
        """Add the changes of other processes; read everything again if packs were removed."""
        there = {name for name in os.listdir(self._folder) if name.endswith(SUFFIX)}
        if self._known - there or len(there - self._known) > 8:
            self.load()
            return
        for name in sorted(there - self._known):
            self._read_pack(name)

    def find(self, digest: bytes) -> tuple[str, BlobPlace] | None:
        """The pack and the place of a blob, as far as it was read."""
        if fresh := self._fresh.get(digest):
            name, records, start = fresh
            return name, _place_at(records, start)
        keys = self._keys
        if not keys:
            return None
        key = int.from_bytes(digest[:8], "little")
        at = bisect_left(keys, key)
        found = None
        while at < len(keys) and keys[at] == key:
            row = self._rows[at]
            start = row * PLACED.size
            if self._records[start : start + _DIGEST] == digest:
                pack = int.from_bytes(self._pack_of[4 * row : 4 * row + 4], "little")
                found = self._packs[pack], _place_at(self._records, start)  # the last record wins
            at += 1
        return found

    def rows_without(self, digests: bytes) -> tuple[list[int], list[int]]:
        """The rows of `digests`, 32 bytes of each, that no pack has; and those of contents that are kept in parts."""
        import numpy as np

        wanted = np.frombuffer(digests, np.uint8).reshape(-1, _DIGEST)
        found = np.zeros(len(wanted), bool)
        in_parts = np.zeros(len(wanted), bool)
        if self._records:
            table = np.frombuffer(self._records, _COLUMNS)
            keys = np.ascontiguousarray(wanted[:, :8]).view("<u8").ravel()
            records = np.asarray(self._rows)[np.maximum(np.searchsorted(np.asarray(self._keys), keys, "right") - 1, 0)]
            raw = np.frombuffer(self._records, np.uint8).reshape(-1, PLACED.size)
            found = (raw[records, :_DIGEST] == wanted).all(axis=1)
            in_parts = found & (table["kind"][records] == PARTS)
        missing = []
        listed = np.flatnonzero(in_parts).tolist()
        for row in np.flatnonzero(~found).tolist():
            place = self.find(digests[_DIGEST * row : _DIGEST * row + _DIGEST])
            if place is None:
                missing.append(row)
            elif place[1].kind == PARTS:
                listed.append(row)
        return missing, listed

    def blocks_of(
        self, digests: bytes, missing: Callable[[bytes], tuple[str, BlobPlace]]
    ) -> list[tuple[str, int, list[int]]]:
        """Return the positions of many blobs, `digests` being 32 bytes of each: (pack, block, rows of `digests`) in storage
        order.

        `missing` is called for those that are not among the sorted records.
        """
        import numpy as np

        wanted = np.frombuffer(digests, np.uint8).reshape(-1, _DIGEST)
        table = np.frombuffer(self._records, _COLUMNS)
        pack = np.zeros(len(wanted), np.int64)
        block, at = np.zeros(len(wanted), np.uint64), np.zeros(len(wanted), np.uint64)
        found = np.zeros(len(wanted), bool)
        if len(table):
            keys = np.ascontiguousarray(wanted[:, :8]).view("<u8").ravel()
            # The last record wins: of equal keys that is the last one.
            records = np.asarray(self._rows)[np.maximum(np.searchsorted(np.asarray(self._keys), keys, "right") - 1, 0)]
            raw = np.frombuffer(self._records, np.uint8).reshape(-1, PLACED.size)
            found = (raw[records, :_DIGEST] == wanted).all(axis=1)
            pack, block, at = (
                np.frombuffer(self._pack_of, "<u4")[records],
                table["block"][records],
                table["at"][records],
            )
            pack = pack.astype(np.int64)
        names = list(self._packs)
        numbers = {name: number for number, name in enumerate(names)}
        for row in np.flatnonzero(~found).tolist():
            name, place = missing(digests[_DIGEST * row : _DIGEST * row + _DIGEST])
            if name not in numbers:
                numbers[name] = len(names)
                names.append(name)
            pack[row], block[row], at[row] = numbers[name], place.block, place.at
        order = np.lexsort((at, block, pack))
        starts = np.flatnonzero(np.diff(pack[order]) | np.diff(block[order].astype(np.int64))) + 1
        groups = np.split(order, starts) if len(order) else []
        return [(names[pack[group[0]]], int(block[group[0]]), group.tolist()) for group in groups]

    def add(self, pack: WrittenPack) -> None:
        """Add the blobs of a written pack and append its segment."""
        name = pack.name + SUFFIX
        self._remember(name, pack.records)
        with suppress(OSError), self._path.open("ab") as file:  # the pack itself can be read instead
            file.write(_segment(name, pack.records))

    def _remember(self, name: str, records: bytes) -> None:
        self._known.add(name)
        for start in range(0, len(records), PLACED.size):
            self._fresh[records[start : start + _DIGEST]] = (name, records, start)

    def mend(self) -> None:
        """Write the segments that a killed writer did not write. Call only while nobody else writes. Raises OSError."""
        if self._is_torn:
            self.write_without(())
            self._is_torn = False
        if self._unwritten:
            written = {name for name, _ in _segments(self._read())}  # another process may have got to it
            with self._path.open("ab") as file:
                for name in self._unwritten:
                    if name not in written:
                        file.write(_segment(name, _records_of(self._folder / name)))
        self._unwritten = []

    def write_without(self, gone: Collection[str]) -> None:
        """Write a new index without the removed packs. Raises OSError."""
        kept = (item for item in _segments(self._read()) if item[0] not in gone)
        write_atomic(self._path, b"".join(_segment(name, records) for name, records in kept))

    def _read(self) -> bytes:
        try:
            return self._path.read_bytes()
        except FileNotFoundError:
            return b""

    def _read_pack(self, name: str) -> None:
        self._remember(name, _records_of(self._folder / name))
        self._unwritten.append(name)

    def _take_in(self, segments: Mapping[str, bytes]) -> None:
        import numpy as np

        self._packs = list(segments)
        self._fresh = {}
        self._records = b"".join(segments.values())
        counts = [len(records) // PLACED.size for records in segments.values()]
        self._pack_of = np.repeat(np.arange(len(counts), dtype="<u4"), counts).tobytes()
        table = np.frombuffer(self._records, np.uint8).reshape(-1, PLACED.size)
        keys = np.ascontiguousarray(table[:, :8]).view("<u8").ravel()
        rows = np.argsort(keys, kind="stable")
        self._keys, self._rows = keys[rows].data, rows.data


def _place_at(records: bytes, start: int) -> BlobPlace:
    _, *place = PLACED.unpack_from(records, start)
    return BlobPlace(*place)


def _records_of(path: Path) -> bytes:
    """Read the blobs' records from the pack itself."""
    found = []
    with suppress(StoreError):  # only the contents of the damaged block are lost
        for block in read_pack(path):
            if not isinstance(block, DamagedBlock):
                found += [PLACED.pack(digest, *place) for digest, place in block.blobs]
    return b"".join(found)


def _segments(data: bytes) -> Iterator[tuple[str, bytes]]:
    """The whole segments, as (pack, records)."""
    view = memoryview(data)
    at = 0
    while (at := data.find(_MAGIC, at)) >= 0 and at + _HEAD.size <= len(data):
        _, length, count = _HEAD.unpack_from(data, at)
        start = at + _HEAD.size + length
        end = start + count * PLACED.size
        if end + _DIGEST <= len(data) and blake3.blake3(view[at:end]).digest() == data[end : end + _DIGEST]:
            yield data[start - length : start].decode("ascii", "replace"), data[start:end]
            at = end + _DIGEST
        else:
            at += 1


def _segment(name: str, records: bytes) -> bytes:
    body = _HEAD.pack(_MAGIC, len(name), len(records) // PLACED.size) + name.encode("ascii") + records
    return body + blake3.blake3(body).digest()
