"""What each snapshot has that none before it had."""

from __future__ import annotations

from collections.abc import Mapping

from fernshale.core.base.errors import StoreError
from fernshale.core.base.work import Work
from fernshale.core.snapshot.manifest import FACTS, UNREAD
from fernshale.core.snapshot.store import Store


def added_by_each(store: Store, work: Work) -> Mapping[str, int]:
    """By id, the size in bytes of the contents that came with a snapshot, before they were compressed.

    A snapshot that cannot be read is left out.
    """
    seen: set[bytes] = set()
    added: dict[str, int] = {}
    snapshots = store.list()
    for number, item in enumerate(snapshots):
        work.check()
        work.progress("looking at snapshots", number, len(snapshots))
        try:
            folders = store.manifest(item.id).folders.values()
        except StoreError:
            continue
        size = 0
        for folder in folders:
            for row in folder.file_rows():
                digest = folder.digest(row)
                if digest != UNREAD and digest not in seen:
                    seen.add(digest)
                    size += folder.facts[FACTS * row]
        added[item.id] = size
    return added
