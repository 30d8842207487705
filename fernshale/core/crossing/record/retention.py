"""What crossings need of the store: the snapshots they refer to, and the contents of steps that can be undone."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

from fernshale.core.base.data_folder import home
from fernshale.core.base.errors import StoreError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import LEG_START, START
from fernshale.core.crossing.record.last_build import LAST_BUILD
from fernshale.core.snapshot.deletion import Freed, Policy, choose_deleted, delete
from fernshale.core.snapshot.store import Store

_DIGEST = lazy_pattern(r"[0-9a-f]{64}")


def delete_by_policy(store: Store, policy: Policy, tree: str, work: Work, *, dry_run: bool) -> Freed:
    """Delete the snapshots that a policy does not keep; with `dry_run` only list them. Raises StoreError, Cancelled."""
    ids = choose_deleted(store.list(), policy, needed_snapshots(), tree)
    return Freed(tuple(ids), 0) if dry_run or not ids else delete(store, ids, needed_contents, work)


def delete_snapshots(store: Store, ids: list[str], work: Work) -> Freed:
    """Delete snapshots by id. Raises StoreError for one that a crossing needs, UnknownSnapshot, Cancelled."""
    needed = needed_snapshots()
    for id in ids:
        full = store.manifest_path(id).stem
        if full in needed:
            raise StoreError(
                tr("snapshot {full} is needed: {needed}", full=full, needed=needed[full]),
                tr("It can be deleted once that crossing is deleted."),
            )
    return delete(store, ids, needed_contents, work)


def needed_snapshots() -> dict[str, str]:
    """The snapshots that every policy keeps, with the reason."""
    needed: dict[str, str] = {}
    for crossing in every_crossing():
        name = crossing.setup.project.name
        legs = range(len(crossing.setup.stops))
        for id in (crossing.read(START), *(crossing.read(LEG_START, leg) for leg in legs)):
            if id:
                needed[id] = tr("the crossing of {name} began from it", name=name)
        for leg in legs:
            if last := crossing.read(LAST_BUILD, leg):
                needed.setdefault(last.snapshot, tr("the last build of {name} is compared with it", name=name))
    return needed


def needed_contents() -> set[str]:
    """Digests of the contents that steps in any logbook wrote or replaced: undoing needs them."""
    found: set[str] = set()
    for crossing in every_crossing():
        found |= _contents_of(crossing)
        if crossing.journal.exists():
            found |= _in_journal(crossing.journal)
    return found


def contents_of(crossing: Crossing) -> set[bytes]:
    """The digests of the contents that steps of a crossing wrote or replaced."""
    return {bytes.fromhex(digest) for digest in _contents_of(crossing) if _DIGEST.fullmatch(digest)}


def _contents_of(crossing: Crossing) -> set[str]:
    changes = [change for entry in crossing.logbook() if entry.changes for change in entry.changes.changes]
    return {side.content for change in changes for side in (change.before, change.after) if side is not None}


def _in_journal(path: Path) -> set[str]:
    try:
        return {side[2] for _, *sides in json.loads(path.read_bytes())["changes"] for side in sides if side}
    except (ValueError, KeyError, TypeError, IndexError) as error:
        raise StoreError(
            tr("the journal {path} cannot be read; the contents it needs are unknown", path=path)
        ) from error


def every_crossing() -> Iterator[Crossing]:
    """Every crossing, also those whose project is missing at the moment. Raises ProjectError for an unreadable one."""
    for path in sorted((home() / "crossings").glob("*/crossing.sqlite")):
        yield Crossing(path.parent)
