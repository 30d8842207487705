"""Packs: many blobs in one file, each under its digest, compressed where that helps.

A pack is a magic line and records of `digest (32) | packed (1) | size (8) | stored (8) | bytes`. It is written
under a temporary name, synced and renamed, so that a pack that has its name is whole. Every read checks the digest.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType

import blake3
import zstandard

from fernshale.core.base.disk import sync_folder
from fernshale.core.base.errors import StoreError

MAGIC = b"fernshale-pack/1\n"
SUFFIX = ".pack"
_HEADER = struct.Struct(">32sBQQ")


class DigestMismatch(StoreError):
    """Stored bytes are not those that were put in."""


@dataclass(frozen=True, slots=True)
class Location:
    """Where a blob lies: `offset` of its stored bytes in the pack."""

    pack: Path
    offset: int
    stored: int
    size: int
    packed: bool


def read_pack(path: Path) -> Iterator[tuple[str, Location]]:
    """The digests in a pack and where they lie. Raises StoreError at a record that is cut short or damaged."""
    end = path.stat().st_size
    with path.open("rb") as file:
        if file.read(len(MAGIC)) != MAGIC:
            raise StoreError(f"{path} is not a pack")
        offset = len(MAGIC)
        while offset + _HEADER.size <= end:
            file.seek(offset)
            digest, packed, size, stored = _HEADER.unpack(file.read(_HEADER.size))
            offset += _HEADER.size
            # Bounds before allocation: a damaged length must not ask for more than the file has.
            if stored > end - offset or packed > 1:
                raise StoreError(f"{path.name} is damaged at byte {offset - _HEADER.size}; what comes after it is lost")
            yield digest.hex(), Location(path, offset, stored, size, bool(packed))
            offset += stored
    if offset != end:
        raise StoreError(f"{path.name} is cut short")


def read_blob(digest: str, place: Location) -> bytes:
    """The blob at `place`. Raises DigestMismatch when it is not what `digest` says."""
    try:
        with place.pack.open("rb") as file:
            file.seek(place.offset)
            data = file.read(place.stored)
        if place.packed:
            # The digest guards the content; the stated size only bounds the allocation.
            limit = max(place.size, 1)
            data = zstandard.ZstdDecompressor().decompress(data, max_output_size=limit, allow_extra_data=False)
    except (OSError, zstandard.ZstdError, MemoryError) as error:
        raise DigestMismatch(f"{place.pack.name}: blob {digest[:12]} cannot be read: {error}") from error
    if len(data) != place.size or blake3.blake3(data).hexdigest() != digest:
        raise DigestMismatch(
            f"{place.pack.name}: blob {digest[:12]} is damaged",
            "Run `fernshale snapshot verify` to see what it touches.",
        )
    return data


class PackWriter:
    """A new pack; on leaving without an error it gets its name, else it is removed."""

    def __init__(self, folder: Path, name: str) -> None:
        self.path = folder / (name + SUFFIX)
        self._temporary = folder / (name + ".writing")
        self._file = self._temporary.open("xb")
        self._file.write(MAGIC)
        self._compressor = zstandard.ZstdCompressor(level=3)
        self.places: dict[str, Location] = {}
        self.stored_bytes = 0

    def add(self, data: bytes, digest: str) -> None:
        """Put a blob in, unless it is in this pack already."""
        if digest in self.places:
            return
        body = self._compressor.compress(data) if len(data) > 64 else data
        packed = len(body) < len(data)
        if not packed:
            body = data
        self._write(digest, body, len(data), packed)

    def copy(self, digest: str, place: Location) -> None:
        """Take a blob over from another pack as it is stored there. Raises DigestMismatch when it is damaged."""
        read_blob(digest, place)
        with place.pack.open("rb") as file:
            file.seek(place.offset)
            body = file.read(place.stored)
        self._write(digest, body, place.size, place.packed)

    def _write(self, digest: str, body: bytes, size: int, packed: bool) -> None:
        self._file.write(_HEADER.pack(bytes.fromhex(digest), packed, size, len(body)))
        self.places[digest] = Location(self.path, self._file.tell(), len(body), size, packed)
        self._file.write(body)
        self.stored_bytes += _HEADER.size + len(body)

    def __enter__(self) -> PackWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        try:
            if kind is None and self.places:
                self._file.flush()
                os.fsync(self._file.fileno())
                os.rename(self._temporary, self.path)
                sync_folder(self.path.parent)
        finally:
            self._file.close()
            self._temporary.unlink(missing_ok=True)
