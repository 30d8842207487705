"""The contents that each snapshot has and no earlier one."""

from __future__ import annotations

from collections.abc import Mapping

from fernshale.core.base.errors import StoreError
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.snapshot.manifest import FACTS, UNREAD
from fernshale.core.snapshot.store import Store


def added_by_each(store: Store, work: Work) -> Mapping[str, int]:
    """Return, by id, the uncompressed bytes of the contents that each snapshot added.

    Unreadable snapshots are left out.
    """
    seen: set[bytes] = set()
    added: dict[str, int] = {}
    snapshots = store.list()
    for number, item in enumerate(snapshots):
        work.check()
        work.progress(tr("looking at snapshots"), number, len(snapshots))
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
