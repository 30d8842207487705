"""Cut large content into chunks at positions that depend on its own bytes, so that an edit changes only the chunks around it.

A position is a cut when a hash of the bytes just before it falls below a bound (content-defined chunking, as in Muthitacharoen,
Chen and Mazieres, A Low-bandwidth Network File System, 2001). In two steps, so that NumPy does all of it: a sum over the last 4
bytes keeps one position in 256, then a sum of products over the last 32 decides among those.
"""

from __future__ import annotations

import functools
from collections.abc import Iterator
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

# Size of a chunk, bytes.
MIN_CHUNK = 16 << 10
MAX_CHUNK = 256 << 10
# One in 256 in the first step, and of those one in this many: with MIN_CHUNK that makes chunks of about 64 KiB.
_SECOND_IN = 192
_WINDOW = 32
_SUM = 0x9D
# Bytes to process at once; they fit in the processor's cache.
_STRIDE = 1 << 18
_FACTORS = (0x9E3779B185EBCA87, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9, 0x27D4EB2F165667C5)


class Cutter:
    """Receives content in pieces and returns chunks; equal content has equal chunks however it is divided."""

    def __init__(self) -> None:
        self._rest = b""

    def feed(self, piece: bytes) -> Iterator[bytes]:
        """The chunks that are certain now."""
        data = self._rest + piece if self._rest else piece
        start = 0
        view = memoryview(data)
        for cut in _cuts(data):
            if cut > len(data) - MAX_CHUNK:
                break  # the cut may depend on the next piece
            yield bytes(view[start:cut])
            start = cut
        self._rest = data[start:]

    def finish(self) -> Iterator[bytes]:
        """The chunks that are left; the cutter is as new then."""
        data, self._rest = self._rest, b""
        start = 0
        for cut in (*_cuts(data), len(data)):
            if cut > start:
                yield data[start:cut]
            start = cut


def _cuts(data: bytes) -> Iterator[int]:
    """Where `data`, which begins at a cut, is cut: each chunk but the last has MIN_CHUNK to MAX_CHUNK bytes."""
    from bisect import bisect_left

    places = _places(data)
    start = 0
    while len(data) - start > MIN_CHUNK:
        at = bisect_left(places, start + MIN_CHUNK)
        cut = places[at] if at < len(places) else len(data)
        cut = min(cut, start + MAX_CHUNK)
        if cut >= len(data):
            return
        yield cut
        start = cut


def _places(data: bytes) -> list[int]:
    """Every place of `data` that may be a cut, in order; a place depends on the bytes just before it only."""
    import numpy as np

    if len(data) < MIN_CHUNK:
        return []
    raw = np.frombuffer(data, np.uint8)
    words = np.ndarray((len(data) - 7,), "<u8", data, strides=(1,))
    one, two = _scratch()
    found: list[list[int]] = []
    last = -2  # the latest place the first step kept
    for begin in range(0, len(data) - 3, _STRIDE):
        part = raw[begin : begin + _STRIDE + 3]
        count = len(part) - 3
        # 8 a + 4 b + 2 c + d for each four bytes a b c d, modulo 256: doubled and added, as that is quick.
        np.add(part, part, out=one[: count + 3])
        np.add(one[: count + 2], part[1:], out=two[: count + 2])
        np.add(two[: count + 2], two[: count + 2], out=one[: count + 2])
        np.add(one[: count + 2], one[: count + 2], out=one[: count + 2])
        np.add(one[:count], two[2 : count + 2], out=one[:count])
        places = _equal_to(one, count, two)
        places += begin + 4
        if not begin:
            places = places[places >= _WINDOW]
        if len(places):
            # Where one follows the other, as in empty regions, only the first counts.
            is_first = np.empty(len(places), np.bool_)
            is_first[0] = places[0] != last + 1
            np.greater(places[1:] - places[:-1], 1, out=is_first[1:])
            last = int(places[-1])
            found.append(_decided(words, places[is_first]))
    return [place for places in found for place in places]


def _decided(words: NDArray[np.uint64], places: NDArray[np.int64]) -> list[int]:
    """Those of the places that the _WINDOW bytes before them choose; `words` holds the 8 bytes from each byte on."""
    import numpy as np

    before = places - _WINDOW
    total = words[before] * np.uint64(_FACTORS[0])
    for weight in _FACTORS[1:]:
        before += 8
        total += words[before] * np.uint64(weight)
    chosen: list[int] = places[total < np.uint64((1 << 64) // _SECOND_IN)].tolist()
    return chosen


def _equal_to(sums: NDArray[np.uint8], count: int, scratch: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Return the positions where the first `count` bytes match `_SUM`: eight at a time first, since few match."""
    import numpy as np

    whole = -(-count // 8) * 8
    sums[count:whole] = _SUM + 1
    is_equal = np.equal(sums[:whole], _SUM, out=scratch[:whole].view(np.bool_))
    eights = np.flatnonzero(is_equal.view(np.uint64) != 0)
    inside = np.flatnonzero(is_equal.reshape(-1, 8)[eights])
    found: NDArray[np.int64] = eights[inside >> 3] * 8 + (inside & 7)
    return found


@functools.cache
def _scratch() -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    import numpy as np

    return np.empty(_STRIDE + 16, np.uint8), np.empty(_STRIDE + 16, np.uint8)
