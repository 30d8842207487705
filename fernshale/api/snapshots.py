"""The snapshot store: take, compare, restore, delete."""

from __future__ import annotations

from fernshale.core.crossing.record.retention import delete_by_policy, delete_snapshots, needed_snapshots
from fernshale.core.crossing.record.snapshot_diff import compare_sides, compare_snapshots
from fernshale.core.snapshot.restore import restore as restore_tree
from fernshale.core.snapshot.store import Store, check_store_folder, default_store
from fernshale.core.snapshot.unique_contents import added_by_each

__all__ = [
    "Store",
    "added_by_each",
    "check_store_folder",
    "compare_sides",
    "compare_snapshots",
    "default_store",
    "delete_by_policy",
    "delete_snapshots",
    "needed_snapshots",
    "restore_tree",
]
