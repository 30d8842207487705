"""A crossing that is deleted is gone with what only it needed; others, and every project, stay whole."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from fernshale.core.base.data_folder import home
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.last_look import LAST_LOOK, keep_last_look
from fernshale.core.crossing.record import crossing_deletion
from fernshale.core.crossing.record.crossing_deletion import delete_crossing, find_own_parts
from fernshale.core.crossing.record.database import Crossing, all_crossings, find_crossing
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.record.stage import STAGES
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.snapshot.store import Store, default_store
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import Wick, cross_wick, make_wick


def _two(tree: Tree, tmp_path: Path) -> tuple[Wick, Crossing, Crossing]:
    wick = make_wick(tree)
    other = tmp_path / "second"
    other.mkdir()
    (wick.project / "notes/one.txt").write_text("only here\n" * 2000)
    first = cross_wick(wick)
    # The same files somewhere else: both need most contents of the store.
    shutil.copytree(wick.project, other / "candle")
    (other / "candle/notes/one.txt").unlink()
    second = cross_wick(Wick(other / "candle", wick.shelf, wick.profile))
    for crossing in (first, second):
        act(crossing, "survey:baseline", "take")
        act(crossing, "plugin:snuffer", "take")
        act(crossing, "engine:sites", "apply")
    return wick, first, second


def test_only_what_no_other_needs_goes(tree: Tree, tmp_path: Path) -> None:
    wick, first, second = _two(tree, tmp_path)
    store = Store(default_store())
    before = listing(wick.project)
    own = find_own_parts(first, store)
    theirs = find_own_parts(second, store)
    assert own.snapshots and set(own.snapshots).isdisjoint(theirs.snapshots) and own.record_bytes > 0
    freed = delete_crossing(first, store, Work())
    assert set(freed.forgotten) == set(own.snapshots) and freed.bytes > 0
    assert find_crossing(wick.project) is None and [item.folder for item in all_crossings()] == [second.folder]
    assert listing(wick.project) == before and not list((home() / "deleted").iterdir())
    assert {item.id for item in store.list()} == set(theirs.snapshots)
    assert Store(default_store()).verify(Work()).ok
    # The other one can still be undone to its start.
    for entry in reversed([entry for entry in second.logbook() if entry.can_undo]):
        undo(second, entry.id, Work())
    assert "light_up" in (second.setup.project / "game.py").read_text()


def test_a_kill_leaves_it_whole_or_gone(tree: Tree, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    wick, first, second = _two(tree, tmp_path)
    store = Store(default_store())

    def killed(*_: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(crossing_deletion, "delete", killed)
        with pytest.raises(KeyboardInterrupt):
            delete_crossing(first, store, Work())
    assert find_crossing(wick.project) is None and list((home() / "deleted").iterdir())
    delete_crossing(second, store, Work())
    assert not list((home() / "deleted").iterdir()) and not all_crossings() and not store.list()


def test_one_with_an_interrupted_step_is_not_deleted(tree: Tree) -> None:
    crossing = cross_wick(make_wick(tree))
    crossing.journal.write_text("{}")
    with pytest.raises(MisuseError, match="interrupted"):
        delete_crossing(crossing, Store(default_store()), Work())
    assert crossing.folder.is_dir()


def test_the_last_look_is_kept_and_written_only_where_it_differs(tree: Tree) -> None:
    crossing = cross_wick(make_wick(tree))
    assert not crossing.read(LAST_LOOK).is_known
    overview = inspect(crossing, Work())
    keep_last_look(crossing, overview)
    look = crossing.read(LAST_LOOK)
    assert look.is_known and {stage: look.open_in(stage) for stage in STAGES} == {
        stage: len(overview.items_of(stage)) for stage in STAGES
    }
    assert look.coming in {item.title for item in overview.items} and look.finding
    written = (crossing.folder / "crossing.sqlite").stat().st_mtime_ns
    keep_last_look(crossing, overview)
    assert (crossing.folder / "crossing.sqlite").stat().st_mtime_ns == written
