"""Delete a crossing: its record, and the snapshots that only it refers to. The project is not touched.

The record is moved away first, so that after a kill at any moment the crossing is either complete or gone; what is left of one
that is gone is freed by the next deletion.
"""

from __future__ import annotations

import shutil
from dataclasses import dataclass

from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import sync_folder
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import LEG_START, NEWEST_SNAPSHOT, START
from fernshale.core.crossing.record.last_build import LAST_BUILD
from fernshale.core.crossing.record.retention import every_crossing, needed_contents
from fernshale.core.snapshot.deletion import Freed, delete
from fernshale.core.snapshot.store import Store


@dataclass(frozen=True, slots=True)
class OwnParts:
    """What only one crossing needs: ids of snapshots, their bytes when restored, and the bytes of its record."""

    snapshots: tuple[str, ...]
    snapshot_bytes: int
    record_bytes: int


def find_own_parts(crossing: Crossing, store: Store) -> OwnParts:
    """What deleting a crossing takes away. Raises ProjectError for an unreadable crossing."""
    others = (other for other in every_crossing() if other.folder != crossing.folder)
    mine = snapshots_of(crossing) - set().union(*map(snapshots_of, others))
    found = [item for item in store.list() if item.id in mine]
    record = sum(path.stat().st_size for path in crossing.folder.rglob("*") if path.is_file())
    return OwnParts(tuple(item.id for item in found), sum(item.bytes for item in found), record)


def delete_crossing(crossing: Crossing, store: Store, work: Work) -> Freed:
    """Delete a crossing for good. Raises MisuseError while one of its steps is being written, StoreError, Cancelled."""
    if crossing.journal.exists():
        raise MisuseError(
            tr("a step of this crossing was interrupted"), tr("Resume it once, so that the step is settled.")
        )
    record = find_own_parts(crossing, store).record_bytes
    away = home() / "deleted"
    away.mkdir(parents=True, exist_ok=True)
    crossing.folder.rename(away / crossing.folder.name)
    sync_folder(crossing.folder.parent)
    # Those of a deletion that was killed are among them.
    gone = [Crossing(path) for path in sorted(away.iterdir()) if (path / "crossing.sqlite").exists()]
    needed = set().union(*map(snapshots_of, every_crossing()))
    ids = set().union(*map(snapshots_of, gone)) - needed
    freed = delete(store, [item.id for item in store.list() if item.id in ids], needed_contents, work)
    for path in away.iterdir():
        shutil.rmtree(path)
    return Freed(freed.forgotten, freed.bytes + record)


def snapshots_of(crossing: Crossing) -> set[str]:
    """The snapshots that a crossing refers to."""
    found = {entry.snapshot for entry in crossing.logbook()} | {crossing.read(START), crossing.read(NEWEST_SNAPSHOT)}
    for leg in range(len(crossing.setup.stops)):
        found.add(crossing.read(LEG_START, leg))
        if last := crossing.read(LAST_BUILD, leg):
            found.add(last.snapshot)
    return found - {""}
