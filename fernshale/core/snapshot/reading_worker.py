"""The second process of a large reading: reads its share of the files into a pack of its own."""

from __future__ import annotations

from collections.abc import Callable

from fernshale.core.base.work import CancelToken
from fernshale.core.snapshot.blob_writer import BlobWriter
from fernshale.core.snapshot.file_reader import KeepFailed
from fernshale.core.snapshot.pack import PackWriter, WrittenPack
from fernshale.core.snapshot.parallel_reading import Share
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import Readings, read_files


def read_share(share: Share, tell: Callable[[int], None]) -> tuple[Readings, WrittenPack]:
    """In the second process: the files that were read, and the pack, whole but under its temporary name.

    Raises OSError when it cannot be written.
    """
    store = Store(share.store)
    pack = PackWriter(store.packs_folder, share.pack)
    try:
        found = read_files(share.tree, share.wanted, BlobWriter(pack, store.has_all_of), tell, CancelToken())
        pack.finish()
    except BaseException as error:
        pack.remove()
        raise error.cause if isinstance(error, KeepFailed) else error from error
    finally:
        pack.close()
    return found, pack.written()
