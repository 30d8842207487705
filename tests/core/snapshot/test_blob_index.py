"""The index only saves time: it may be lost, torn or behind, and is never believed against the packs."""

from __future__ import annotations

import os
from pathlib import Path

import blake3
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fernshale.core.snapshot.store import Store


def _put(store: Store, data: bytes) -> str:
    store.put_all([data])
    return blake3.blake3(data).hexdigest()


def test_every_blob_is_found_whatever_became_of_the_index(tmp_path: Path) -> None:
    store = Store(tmp_path / "store")
    contents = {_put(store, data): data for data in (os.urandom(200) for _ in range(12))}
    index = tmp_path / "store" / "index"
    whole = index.read_bytes()

    def check() -> None:
        fresh = Store(tmp_path / "store")
        assert all(fresh.get(digest) == data for digest, data in contents.items())

    for damaged in (b"", whole[:-1], whole[: len(whole) // 2], b"junk" + whole, whole[40:], whole + whole[:50]):
        index.write_bytes(damaged)
        check()
        # The next writer mends it, and then it is as long as it should be and no longer.
        writer = Store(tmp_path / "store")
        data = os.urandom(100)
        contents[_put(writer, data)] = data
        check()
        length = len(index.read_bytes())
        _put(Store(tmp_path / "store"), data)
        assert len(index.read_bytes()) == length
        assert length == sum(42 + len(path.name) + 49 for path in writer.packs_folder.iterdir())
        whole = index.read_bytes()
    index.unlink()
    check()


def test_two_processes_that_write_in_turn_index_each_pack_once(tmp_path: Path) -> None:
    one, two = Store(tmp_path / "store"), Store(tmp_path / "store")
    contents = {}
    for number in range(6):
        for store in (one, two):
            data = os.urandom(50) + bytes([number])
            contents[_put(store, data)] = data
    for store in (one, two, Store(tmp_path / "store")):
        assert all(store.get(digest) == data for digest, data in contents.items())
    names = [path.name for path in one.packs_folder.iterdir()]
    data = (tmp_path / "store" / "index").read_bytes()
    assert len(names) == 12 and all(data.count(name.encode()) == 1 for name in names)


@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.lists(st.lists(st.binary(max_size=60), max_size=5), max_size=4))
def test_whatever_is_put_in_is_given_back(tmp_path: Path, batches: list[list[bytes]]) -> None:
    folder = tmp_path / os.urandom(5).hex()
    for batch in batches:
        Store(folder).put_all(batch)
    store = Store(folder)
    for data in (item for batch in batches for item in batch):
        digest = blake3.blake3(data)
        assert store.get(digest.hexdigest()) == data and store.has_all_of(digest.digest())
    assert not store.has_all_of(bytes(31) + b"x") and store.verify().ok
