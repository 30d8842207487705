"""Packs: blobs gathered into blocks of about 1 MiB, compressed where that helps.

A pack is a magic line and blocks of

    "FSBK" | packed (1) | count (4) | size (4) | stored (4)      numbers with the least byte first
    count x (digest (32) | size (4) | kind (1))                  the blobs, in the order in which they lie in the block
    stored bytes                                                 zstd when packed is 1
    BLAKE3 of all of the block before it (32)

A blob is content under its digest, or (kind 1) the parts of a large file under the digest of the whole: each part is
size (8) | digest (32), a digest of zeros being a hole. A pack is written under a temporary name, synced and renamed, so that
a pack with its final name is complete. Readers verify the digest of each block. A damaged block affects only its own contents:
the next block is found by its magic.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import NamedTuple

import blake3
import zstandard

from fernshale.core.base.disk import sync_folder
from fernshale.core.base.errors import StoreError
from fernshale.core.base.texts import tr

MAGIC = b"fernshale-pack/2\n"
SUFFIX = ".pack"
WRITING = ".writing"
CONTENT = 0
PARTS = 1

_BLOCK = b"FSBK"
_HEADER = struct.Struct("<4sBIII")
_RECORD = struct.Struct("<32sIB")
_PART = struct.Struct("<Q32s")
_DIGEST = 32
_FULL = 1 << 20
# No block is larger: a damaged length must not ask for more memory than that. A list of parts may be one blob of its own.
_LARGEST = 1 << 30
_LEVEL = 1
_MAX_PARTS = 1000
# Whether compression helps is tried on so many bytes out of the middle of a blob of at least four times as many.
_SAMPLE = 4096
_WORTH = 0.95


class DigestMismatch(StoreError):
    """Stored bytes differ from those that were written."""


class DamagedBlock(DigestMismatch):
    """A block differs from what was written; `offset` is its start in the pack."""

    def __init__(self, path: Path, offset: int) -> None:
        super().__init__(
            tr("{name}, block at byte {offset} is damaged", name=path.name, offset=offset),
            tr("Run `fernshale snapshot verify` to see what it touches."),
        )
        self.offset = offset


class BlobPlace(NamedTuple):
    """The position of a blob: its `block` (the offset of the block's header), and the offset in the block's content."""

    block: int
    at: int
    size: int
    kind: int


# A blob and its place as the index keeps them: digest | block (8) | at (4) | size (4) | kind (1).
PLACED = struct.Struct("<32sQIIB")


@dataclass(frozen=True, slots=True)
class PackBlock:
    """A block as described by its header; `blobs` are (digest, place). `end` is the start of the next block."""

    offset: int
    end: int
    packed: bool
    size: int
    stored: int
    blobs: tuple[tuple[bytes, BlobPlace], ...]

    @property
    def body(self) -> int:
        return self.end - _DIGEST - self.stored


def encode_parts(parts: Sequence[tuple[int, bytes]]) -> bytes:
    return b"".join(_PART.pack(size, digest) for size, digest in parts)


def decode_parts(data: bytes) -> list[tuple[int, bytes]]:
    """Raises DigestMismatch."""
    if len(data) % _PART.size:
        raise DigestMismatch(tr("a list of parts is damaged"))
    return list(_PART.iter_unpack(data))


def read_pack(path: Path, *, check: bool = False) -> Iterator[PackBlock | DamagedBlock]:
    """Yield the blocks of a pack, and an error in place of a damaged one. With `check`, every byte is verified.

    Raises StoreError when the file is not a pack.
    """
    end = path.stat().st_size
    with path.open("rb") as file:
        if file.read(len(MAGIC)) != MAGIC:
            raise StoreError(tr("{name} is not a pack", name=path.name))
        offset = len(MAGIC)
        while offset < end:
            try:
                block = _read_header(file.fileno(), path, offset, end)
                if check:
                    _check(file.fileno(), path, block)
            except DamagedBlock as error:
                yield error
                offset = _next_block(file.fileno(), path, offset + 1, end)
                continue
            yield block
            offset = block.end


class OpenedBlock(NamedTuple):
    """The content of a block, and the position of each blob in it."""

    content: bytes
    places: dict[bytes, BlobPlace]


def read_block(path: Path, offset: int) -> OpenedBlock:
    """The block at `offset`, every bit of it looked at. Raises DigestMismatch when it is not as it was written."""
    try:
        with path.open("rb") as file:
            handle = file.fileno()
            block = _read_header(handle, path, offset, os.fstat(handle).st_size)
            _check_sum(handle, path, block)
            return OpenedBlock(content_of(handle, path, block), dict(block.blobs))
    except OSError as error:
        raise DigestMismatch(
            tr(
                "{name}, block at byte {offset} cannot be read: {strerror}",
                name=path.name,
                offset=offset,
                strerror=error.strerror,
            )
        ) from error


def content_of(handle: int, path: Path, block: PackBlock) -> bytes:
    """The content of a block, decompressed; the digests of its blobs are not looked at. Raises DigestMismatch."""
    body = os.pread(handle, block.stored, block.body)
    try:
        if block.packed:
            body = zstandard.ZstdDecompressor().decompress(body, max_output_size=max(block.size, 1))
    except (zstandard.ZstdError, MemoryError) as error:
        raise DamagedBlock(path, block.offset) from error
    if len(body) != block.size:
        raise DamagedBlock(path, block.offset)
    return body


def _read_header(handle: int, path: Path, offset: int, end: int) -> PackBlock:
    head = os.pread(handle, _HEADER.size, offset)
    if len(head) < _HEADER.size:
        raise DamagedBlock(path, offset)
    magic, packed, count, size, stored = _HEADER.unpack(head)
    after = offset + _HEADER.size + count * _RECORD.size + stored + _DIGEST
    # Bounds before allocation: a damaged length must not ask for more than the file has.
    if magic != _BLOCK or packed > 1 or size > _LARGEST or after > end:
        raise DamagedBlock(path, offset)
    blobs = []
    at = 0
    for digest, length, kind in _RECORD.iter_unpack(os.pread(handle, count * _RECORD.size, offset + _HEADER.size)):
        blobs.append((digest, BlobPlace(offset, at, length, kind)))
        at += length
    if at != size:
        raise DamagedBlock(path, offset)
    return PackBlock(offset, after, bool(packed), size, stored, tuple(blobs))


def _check_sum(handle: int, path: Path, block: PackBlock) -> None:
    raw = memoryview(os.pread(handle, block.end - block.offset, block.offset))
    if blake3.blake3(raw[:-_DIGEST]).digest() != raw[-_DIGEST:]:
        raise DamagedBlock(path, block.offset)


def _check(handle: int, path: Path, block: PackBlock) -> None:
    """Verify a block's own digest, and the digest of each blob."""
    _check_sum(handle, path, block)
    content = memoryview(content_of(handle, path, block))
    for digest, place in block.blobs:
        if place.kind == CONTENT and blake3.blake3(content[place.at : place.at + place.size]).digest() != digest:
            raise DamagedBlock(path, block.offset)


def _next_block(handle: int, path: Path, offset: int, end: int) -> int:
    """Return the start of the next intact block, from `offset` on; `end` if there is none."""
    while offset < end:
        piece = os.pread(handle, _FULL, offset)
        found = piece.find(_BLOCK)
        if found < 0:
            offset += max(1, len(piece) - len(_BLOCK) + 1)
            continue
        offset += found
        try:
            _check_sum(handle, path, _read_header(handle, path, offset, end))
            return offset
        except DamagedBlock:
            pass
        offset += 1
    return end


@dataclass(frozen=True, slots=True)
class WrittenPack:
    """A pack that was written and synced: its blobs as `PLACED` records, and its size in bytes."""

    name: str
    records: bytes
    stored_bytes: int


def give_names(folder: Path, packs: Sequence[WrittenPack]) -> None:
    """From here on the packs count; empty ones are not kept. Raises OSError."""
    written = [pack for pack in packs if pack.records]
    for pack in written:
        os.rename(folder / (pack.name + WRITING), folder / (pack.name + SUFFIX))
    if written:
        sync_folder(folder)


class PackWriter:
    """A new pack; on leaving without an error it gets its name, else it is removed."""

    def __init__(self, folder: Path, name: str) -> None:
        self.name = name
        self.path = folder / (name + SUFFIX)
        self._temporary = folder / (name + WRITING)
        self._file = self._temporary.open("wb", buffering=0)
        self._offset = self._file.write(MAGIC)
        self._compressor = zstandard.ZstdCompressor(level=_LEVEL)
        # Compressible and incompressible contents go to different blocks: mixed, neither would be recognised.
        self._packing = _OpenBlock(packed=True)
        self._plain = _OpenBlock(packed=False)
        self._records: list[bytes] = []
        self.digests: set[bytes] = set()
        """Of all blobs put in so far."""
        self.stored_bytes = 0

    def add(self, data: bytes, digest: bytes, kind: int = CONTENT) -> None:
        """Put a blob in, unless it is in this pack already. Raises OSError."""
        if digest in self.digests:
            return
        self.digests.add(digest)
        size = len(data)
        block = self._packing if size < 4 * _SAMPLE or self._shrinks(data) else self._plain
        if block.size and block.size + size > _FULL + _FULL // 4:
            self._write(block)
        block.blobs.append(data)
        block.records.append((digest, size, kind))
        block.size += size
        if block.size >= _FULL:
            self._write(block)

    def _shrinks(self, data: bytes) -> bool:
        middle = len(data) // 2
        sample = data[middle : middle + _SAMPLE]
        return len(self._compressor.compress(sample)) < _WORTH * len(sample)

    def _write(self, block: _OpenBlock) -> None:
        if not block.blobs:
            return
        stored = block.blobs
        if block.packed:
            body = self._compressor.compress(b"".join(block.blobs))
            if len(body) < block.size:
                stored = [body]
        length = sum(map(len, stored))
        head = _HEADER.pack(_BLOCK, stored is not block.blobs, len(block.records), block.size, length)
        records = b"".join([_RECORD.pack(*record) for record in block.records])
        checksum = blake3.blake3()
        for part in (head, records, *stored):
            checksum.update(part)
        length += len(head) + len(records) + _DIGEST
        self._put([head, records, *stored, checksum.digest()], length)
        at = 0
        for digest, size, kind in block.records:
            self._records.append(PLACED.pack(digest, self._offset, at, size, kind))
            at += size
        self._offset += length
        self.stored_bytes += length
        block.clear()

    def _put(self, parts: Sequence[bytes], length: int) -> None:
        """Write all parts, in one call if the system accepts that many."""
        written = os.writev(self._file.fileno(), parts) if len(parts) <= _MAX_PARTS else 0
        if written < length:
            rest = memoryview(b"".join(parts))[written:]
            while rest:
                rest = rest[self._file.write(rest) :]

    def finish(self) -> None:
        """Write and sync the rest; the pack still has its temporary name. Raises OSError."""
        self._write(self._packing)
        self._write(self._plain)
        if self._records:
            os.fsync(self._file.fileno())

    def written(self) -> WrittenPack:
        """Return its contents, after `finish`."""
        return WrittenPack(self.name, b"".join(self._records), self.stored_bytes)

    def close(self) -> None:
        self._file.close()

    def remove(self) -> None:
        """Remove the pack that still has its temporary name."""
        self._temporary.unlink(missing_ok=True)

    def __enter__(self) -> PackWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        try:
            if kind is None:
                self.finish()
                give_names(self.path.parent, [self.written()])
        finally:
            self.close()
            self.remove()


class _OpenBlock:
    """A block that is being gathered."""

    def __init__(self, *, packed: bool) -> None:
        self.packed = packed
        self.clear()

    def clear(self) -> None:
        self.blobs: list[bytes] = []
        self.records: list[tuple[bytes, int, int]] = []
        self.size = 0
