"""Copy snapshots and contents from one store to another, which may be on another machine.

Every content is checked against its digest on the way: a store must never hold other bytes under a digest, since a later
snapshot of the right bytes would not write them again.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable

import blake3

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.snapshot.blob_writer import BlobWriter
from fernshale.core.snapshot.manifest import UNREAD
from fernshale.core.snapshot.pack import CONTENT, DigestMismatch
from fernshale.core.snapshot.store import Store


def copy_snapshots(source: Store, target: Store, ids: Iterable[str], contents: Collection[bytes], work: Work) -> None:
    """Copy snapshots with all they contain, and further contents by digest. What the target has already costs nothing.

    A kill leaves no snapshot without its contents: manifests are written last. Raises UnknownSnapshot, StoreError for damage,
    OSError, Cancelled.
    """
    manifests = {id: source.manifest(id) for id in ids}
    wanted = set(contents).union(*(manifest.file_digests() for manifest in manifests.values())) - {UNREAD}
    with target.writing(work):
        with target.keeping() as keeper:
            for number, digest in enumerate(sorted(wanted)):
                work.check()
                if number % 64 == 0:
                    work.progress(tr("copying contents"), number, len(wanted))
                if not target.has_all_of(digest):
                    _copy(source, keeper, digest)
        for id in manifests:
            path = source.manifest_path(id)
            place = target.snapshots_folder / path.name
            if not place.exists():
                write_atomic(place, path.read_bytes())


def _copy(source: Store, keeper: BlobWriter, digest: bytes) -> None:
    data, kind = source.raw(digest)
    if kind == CONTENT:
        if blake3.blake3(data).digest() != digest:
            raise DigestMismatch(tr("the content {digest} is not what was put in", digest=digest.hex()[:12]))
        keeper.whole(data, digest, kind)
        return
    whole = blake3.blake3()
    for piece in source.pieces(digest):
        part = bytes(piece) if isinstance(piece, int) else piece
        whole.update(part)
        if not isinstance(piece, int):
            keeper.part(part)
    if whole.digest() != digest:
        raise DigestMismatch(tr("the parts of {digest} do not make what was put in", digest=digest.hex()[:12]))
    keeper.whole(data, digest, kind)
