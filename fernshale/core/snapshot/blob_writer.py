"""Write contents to a pack unless the store has them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import blake3

from fernshale.core.snapshot.file_reader import LARGE, KeepFailed
from fernshale.core.snapshot.pack import PARTS, PackWriter, encode_parts


class BlobWriter:
    """Writes contents to `pack`; `is_there` returns whether the store has the complete content of a digest."""

    chunks = True

    def __init__(self, pack: PackWriter, is_there: Callable[[bytes], bool]) -> None:
        self._pack = pack
        self._is_there = is_there

    @property
    def stored_bytes(self) -> int:
        return self._pack.stored_bytes

    def part(self, data: bytes) -> bytes:
        digest = blake3.blake3(data).digest()
        self.whole(data, digest)
        return digest

    def large(self, digest: bytes, parts: Sequence[tuple[int, bytes]]) -> None:
        self.whole(encode_parts(parts), digest, PARTS)

    def content(self, data: bytes) -> bytes:
        """Keep content that is in memory; its digest."""
        from fernshale.core.snapshot.cutting import Cutter

        digest = blake3.blake3(data).digest()
        if digest in self._pack.digests or self._is_there(digest):
            return digest
        if len(data) < LARGE:
            self.whole(data, digest)
        else:
            cutter = Cutter()
            chunks = [*cutter.feed(data), *cutter.finish()]
            self.large(digest, [(len(chunk), self.part(chunk)) for chunk in chunks])
        return digest

    def whole(self, data: bytes, digest: bytes, kind: int = 0) -> None:
        """Keep content in one piece, unless it is kept already. Raises KeepFailed."""
        if digest in self._pack.digests or self._is_there(digest):
            return
        try:
            self._pack.add(data, digest, kind)
        except OSError as error:
            raise KeepFailed(error) from error
