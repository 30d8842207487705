"""One object for equal folders.

A folder of a manifest never changes. Scans of a project and its snapshots have most folders in common, so what is derived from a
folder, such as its entries, is made once for all of them and takes memory once.
"""

from __future__ import annotations

from threading import Lock
from weakref import WeakValueDictionary

import blake3

from fernshale.core.snapshot.manifest import Folder

_pool: WeakValueDictionary[bytes, Folder] = WeakValueDictionary()
_lock = Lock()


def shared(folder: Folder) -> Folder:
    """`folder`, or an equal one that is in use already."""
    key = _key(folder)
    with _lock:
        return _pool.setdefault(key, folder)


def _key(folder: Folder) -> bytes:
    hasher = blake3.blake3()
    names = "\0".join((folder.path, *folder.names)).encode("utf-8", "surrogateescape")
    extras = repr(sorted(folder.extras.items())).encode("utf-8", "surrogateescape") if folder.extras else b""
    for part in (names, folder.facts.tobytes(), folder.digests, extras):
        hasher.update(len(part).to_bytes(8, "little"))
        hasher.update(part)
    return hasher.digest()
