"""Forgetting: what stays is whole, space is freed, and what steps need is never let go."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fernshale.core.base.errors import MisuseError, StoreError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.record.retention import (
    delete_by_policy,
    delete_snapshots,
    needed_contents,
    needed_snapshots,
)
from fernshale.core.snapshot.deletion import Policy, choose_deleted, delete
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Snapshot, Store
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import begin_wick

_DAY = 86_400.0


def _snapshot(number: int, tree: str = "/t", day: float = 0.0) -> Snapshot:
    return Snapshot(f"s{number:02}", tree, 1_700_000_000.0 + day * _DAY + number, "", 0, 0, 0, ())


def test_policy_keeps_the_last_and_the_latest_of_each_day() -> None:
    many = [_snapshot(number, day=number // 3) for number in range(9)]  # three on each of three days
    assert choose_deleted(many, Policy(last=2), ()) == [f"s{n:02}" for n in range(7)]
    assert choose_deleted(many, Policy(daily=2), ()) == ["s00", "s01", "s02", "s03", "s04", "s06", "s07"]
    assert choose_deleted(many, Policy(last=4, daily=3), ("s00",)) == ["s01", "s03", "s04"]
    # There are fewer than a policy keeps: then all stay.
    for roomy in (Policy(last=10), Policy(last=99, daily=7), Policy(last=9)):
        assert choose_deleted(many, roomy, ()) == []
    assert choose_deleted(many[2::3], Policy(daily=9), ()) == []
    other = [_snapshot(50, "/other")]
    assert "s50" not in choose_deleted([*many, *other], Policy(last=1), (), "/t")
    assert choose_deleted([*many, *other], Policy(last=1), ()) == [f"s{n:02}" for n in range(8)]
    for bad in ((0, 0), (-1, 3)):
        with pytest.raises(MisuseError, match="keep something"):
            Policy(*bad)


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.data())
def test_what_stays_is_whole_and_what_only_the_forgotten_had_is_gone(tmp_path: Path, data: st.DataObject) -> None:
    base = tmp_path / os.urandom(6).hex()
    root, store = base / "tree", Store(base / "store")
    root.mkdir(parents=True)
    kept: dict[str, dict[str, object]] = {}
    for number in range(data.draw(st.integers(2, 5))):
        for name in data.draw(st.sets(st.sampled_from("abcd"), min_size=1)):
            (root / name).write_bytes(os.urandom(2000) + name.encode() + bytes([number]))
        kept[store.take(root, str(number), Work()).id] = listing(root)
    gone = data.draw(st.sets(st.sampled_from(sorted(kept)), min_size=1, max_size=len(kept) - 1))
    reader = Store(base / "store")  # another process that remembers where blobs lay
    for id in kept:
        for entry in reader.manifest(id).files.values():
            reader.get(entry.content)
    before = store.size_bytes()
    freed = delete(store, gone, set, Work())
    assert set(freed.forgotten) == gone and freed.bytes == before - store.size_bytes() > 0
    assert [item.id for item in store.list()] == sorted(set(kept) - gone) and store.verify().ok
    for user in (store, reader):
        for id in set(kept) - gone:
            target = base / os.urandom(4).hex()
            restore(user, user.manifest(id), target, (), Work())
            assert listing(target) == kept[id]
    # What was freed can be kept again: nothing is taken to be there that is not.
    again = reader.take(root, "again", Work())
    assert reader.verify().ok and Store(base / "store").verify().ok and again.files == len(list(root.iterdir()))


def test_what_steps_and_crossings_need_stays(tree: Tree, token: CancelToken) -> None:
    wick, crossing = begin_wick(tree)
    before = listing(wick.project)
    act(crossing, "engine:sites", "apply", who="you", work=Work(token=token))
    (start,) = needed_snapshots()
    assert needed_contents()
    with pytest.raises(StoreError, match="the crossing of candle began from it"):
        delete_snapshots(crossing.store, [start], Work(token=token))
    (wick.project / "extra").write_text("x")
    crossing.store.take(wick.project, "later", Work(token=token))
    crossing.store.take(wick.project, "latest", Work(token=token))
    only = delete_by_policy(crossing.store, Policy(last=1), "", Work(token=token), dry_run=True)
    assert len(only.forgotten) >= 1 and start not in only.forgotten and len(crossing.store.list()) >= 3
    done = delete_by_policy(crossing.store, Policy(last=1), "", Work(token=token), dry_run=False)
    assert done.forgotten == only.forgotten
    (wick.project / "extra").unlink()
    undo(crossing, crossing.logbook()[-1].id, Work(token=token))
    assert listing(wick.project) == before and crossing.store.verify().ok


def test_nothing_goes_while_a_snapshot_that_stays_cannot_be_read(
    tree: Tree, tmp_path: Path, token: CancelToken
) -> None:
    root, store = tree("t", {"a": "one"}), Store(tmp_path / "store")
    first = store.take(root, "", Work(token=token))
    (root / "a").write_text("two")
    second = store.take(root, "", Work(token=token))
    path = store.manifest_path(second.id)
    whole = path.read_bytes()
    for damaged in (whole[:-1] + bytes([whole[-1] ^ 1]), b"{" + whole[1:40]):
        path.write_bytes(damaged)
        with pytest.raises(StoreError):
            delete(store, [first.id], set, Work(token=token))
        assert store.manifest_path(first.id).exists()
    # The damaged one itself can go, and then the rest is as good as ever.
    delete(store, [second.id], set, Work(token=token))
    assert store.verify().ok and [item.id for item in store.list()] == [first.id]
