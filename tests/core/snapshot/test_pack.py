"""What is kept of a file: chunks of large ones, holes, several names, attributes; read in one process or in two."""

from __future__ import annotations

import errno
import os
import threading
from pathlib import Path

import blake3
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fernshale.core.base.errors import Cancelled, StoreError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.apply import apply_changes
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.process.workers import SecondFailed, WorkerProcess
from fernshale.core.snapshot import parallel_reading
from fernshale.core.snapshot import restore as restoring
from fernshale.core.snapshot.cutting import MAX_CHUNK, MIN_CHUNK, Cutter
from fernshale.core.snapshot.file_reader import LARGE
from fernshale.core.snapshot.manifest import EMPTY
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import list_tree
from tests.conftest import Tree, listing


def _chunks(data: bytes, sizes: list[int] | None = None) -> list[bytes]:
    cutter = Cutter()
    found: list[bytes] = []
    at = 0
    for size in sizes or []:
        found += cutter.feed(data[at : at + size])
        at += size
    return [*found, *cutter.feed(data[at:]), *cutter.finish()]


def _content(seed: int, size: int, alphabet: int) -> bytes:
    """Bytes that look random, of few or many values; few make runs and repetitions."""
    raw = blake3.blake3(seed.to_bytes(8, "little")).digest(length=size)
    return bytes(byte % alphabet for byte in raw) if alphabet < 256 else raw


@settings(max_examples=30)
@given(
    st.integers(0, 1000),
    st.integers(0, 900_000),
    st.sampled_from([1, 2, 3, 256]),
    st.lists(st.integers(1, 400_000), max_size=4),
)
def test_chunks_make_the_whole_however_it_is_handed_in(seed: int, size: int, alphabet: int, sizes: list[int]) -> None:
    data = _content(seed, size, alphabet)
    chunks = _chunks(data)
    assert b"".join(chunks) == data and _chunks(data, sizes) == chunks
    assert all(MIN_CHUNK < len(chunk) <= MAX_CHUNK for chunk in chunks[:-1])


@settings(max_examples=15)
@given(st.integers(0, 1000), st.integers(0, 2_000_000), st.binary(min_size=1, max_size=50))
def test_an_edit_changes_only_the_chunks_around_it(seed: int, at: int, piece: bytes) -> None:
    data = _content(seed, 2_000_000, 256)
    before, after = _chunks(data), _chunks(data[:at] + piece + data[at:])
    assert len(set(after) - set(before)) <= 3


def test_a_large_file_changed_in_part_shares_the_rest(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    data = _content(1, 6_000_000, 256)
    root, store = tree("t", {"big.bin": data}), Store(tmp_path / "store")
    first = store.take(root, "", Work(token=token))
    (root / "big.bin").write_bytes(data[:3_000_000] + b"a few bytes more" + data[3_000_000:])
    (root / "copy.bin").write_bytes(data)
    second = store.take(root, "", Work(token=token))
    assert first.stored > 6_000_000 and second.stored < 600_000
    restore(store, store.manifest(second.id), tmp_path / "back", (), Work(token=token))
    assert listing(tmp_path / "back") == listing(root) and store.verify().ok
    store.put_all([data + b"from memory"])
    digest = blake3.blake3(data + b"from memory").hexdigest()
    assert Store(tmp_path / "store").get(digest) == data + b"from memory"


def test_contents_are_packed_together_and_compressed_where_it_helps(
    tree: Tree, tmp_path: Path, token: CancelToken
) -> None:
    texts: dict[str, str | bytes | None] = {f"d{n % 7}/f{n}.txt": f"line {n}\n" * 60 for n in range(2000)}
    root = tree("t", {**texts, "picture.txt": os.urandom(400_000)})  # the name says nothing
    store = Store(tmp_path / "store")
    taken = store.take(root, "", Work(token=token))
    assert 400_000 < taken.stored < 400_000 + taken.bytes / 4
    assert len(list(store.packs_folder.iterdir())) == 1


def test_holes_names_and_attributes_come_back(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = tree("t", {"a/one": "shared", "z": "1", "folder": None})
    with (root / "sparse").open("wb") as file:
        file.truncate(40_000_000)
        file.seek(20_000_000)
        file.write(b"in the middle" * 1000)
    with (root / "small-sparse").open("wb") as file:
        file.truncate(200_000)
    (root / "b").mkdir()
    os.link(root / "a/one", root / "b/two")
    os.link(root / "a/one", root / "three")
    has_attributes = True
    try:
        os.setxattr(root / "z", "user.note", b"\0kept\xff")
        os.setxattr(root / "folder", "user.note", b"too")
    except OSError as error:
        assert error.errno == errno.ENOTSUP
        has_attributes = False
    store = Store(tmp_path / "store")
    taken = store.take(root, "", Work(token=token))
    assert taken.stored < 100_000  # holes take no room
    manifest = store.manifest(taken.id)
    back = tmp_path / "back"
    for _ in range(2):  # again over what is there already
        done = restore(store, manifest, back, (), Work(token=token))
        assert listing(back) == listing(root) and done.without_attributes == ()
        assert {(back / name).stat().st_ino for name in ("a/one", "b/two", "three")} == {(back / "three").stat().st_ino}
        for name in ("sparse", "small-sparse"):
            assert (back / name).stat().st_blocks * 512 <= (root / name).stat().st_blocks * 512 + 300_000
        if has_attributes:
            assert os.getxattr(back / "z", "user.note") == b"\0kept\xff" and os.getxattr(back / "folder", "user.note")
    # One name alone is a file of its own; and the tree is known again without reading it.
    restore(store, manifest, tmp_path / "part", ("b/two",), Work(token=token))
    assert (tmp_path / "part/b/two").read_text() == "shared" and (tmp_path / "part/b/two").stat().st_nlink == 1
    (root / "a/one").unlink()
    after = store.manifest(store.take(root, "", Work(token=token)).id)
    assert {path: entry.twin for path, entry in after.files.items() if entry.twin} == {"three": "b/two"}


def test_a_change_set_keeps_attributes_through_edit_and_undo(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root, store = tree("t", {"a": "one"}), Store(tmp_path / "store")
    try:
        os.setxattr(root / "a", "user.note", b"kept")
    except OSError:
        pytest.skip("this file system has no extended attributes")
    draft = Draft(root)
    draft.write("a", b"two")
    changes = draft.change_set()
    apply_changes(root, changes, store, tmp_path / "journal", token)
    assert (root / "a").read_text() == "two" and os.getxattr(root / "a", "user.note") == b"kept"
    back = ChangeSet.from_json(changes.to_json()).inverse()
    apply_changes(root, back, store, tmp_path / "journal", token)
    assert (root / "a").read_text() == "one" and os.getxattr(root / "a", "user.note") == b"kept"


def _many(tree: Tree, token: CancelToken) -> Path:
    files: dict[str, str | bytes | None] = {f"d{n % 9}/f{n}": f"text {n % 150} " * (n % 40) for n in range(300)}
    root = tree("many", {**files, "big": _content(3, 2_500_000, 256), "twice": _content(3, 2_500_000, 256)})
    os.mkfifo(root / "pipe")
    os.link(root / "big", root / "d0/same")
    return root


def test_two_processes_keep_and_restore_what_one_does(
    tree: Tree, tmp_path: Path, token: CancelToken, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = _many(tree, token)
    alone = Store(tmp_path / "alone")
    one = alone.take(root, "", Work(token=token))
    for module in (parallel_reading, restoring):
        monkeypatch.setattr(module, "is_worthwhile", lambda files, size: True)
    monkeypatch.setattr(parallel_reading, "_START_S", 0)
    monkeypatch.setattr(restoring, "_COST_OF_PROCESS", 0)
    counts: list[int] = []
    both = Store(tmp_path / "both")
    two = both.take(root, "", Work(lambda what, done, total: counts.append(done), token))
    assert (two.files, two.bytes, two.reported) == (one.files, one.bytes, one.reported)
    assert abs(two.stored - one.stored) < 0.02 * one.stored  # the same content is not kept twice
    assert len(list(both.packs_folder.iterdir())) == 2 and both.verify().ok
    assert both.manifest(two.id).entries == alone.manifest(one.id).entries
    (root / "pipe").unlink()
    restore(both, both.manifest(two.id), tmp_path / "back", (), Work(token=token))
    assert listing(tmp_path / "back") == listing(root)
    # Nothing new: no process, no pack.
    assert both.take(root, "", Work(token=token)).stored == 0


def test_a_second_process_that_fails_loses_nothing(
    tree: Tree, tmp_path: Path, token: CancelToken, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = _many(tree, token)
    store = Store(tmp_path / "store")
    kept = store.take(root, "", Work(token=token))
    monkeypatch.setattr(parallel_reading, "is_worthwhile", lambda files, size: True)
    (root / "d1/new").write_text("new")
    monkeypatch.setattr(parallel_reading, "_WORKER", "fernshale.core.snapshot.nowhere:read_share")
    with pytest.raises(ModuleNotFoundError):
        store.take(root, "", Work(token=token))
    assert [item.id for item in store.list()] == [kept.id] and store.verify().ok
    assert not list(store.packs_folder.glob("*.writing"))


def test_a_second_process_that_dies_or_is_not_wanted_any_more(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "slow.py").write_text("import time\ndef work(job, tell):\n    tell(7)\n    time.sleep(job)\n")
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    with pytest.raises(SecondFailed, match="status -9"), WorkerProcess("slow:work", 60) as second:
        os.kill(second._child.pid, 9)
        second.result(CancelToken())
    token = CancelToken()
    threading.Timer(0.2, token.cancel).start()
    with pytest.raises(Cancelled), WorkerProcess("slow:work", 60) as second:
        second.result(token)
    assert second._child.returncode is not None


def test_a_file_that_changes_while_it_is_read_is_read_again_or_reported(
    tree: Tree, tmp_path: Path, token: CancelToken, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = tree("t", {"calm": "calm", "busy": "x" * 100})
    real = os.read
    reads = {"count": 0}

    def read(handle: int, size: int) -> bytes:
        data = real(handle, size)
        if size == 101 and reads["count"] < reads["limit"]:
            reads["count"] += 1
            os.utime(root / "busy", ns=(reads["count"], reads["count"]))
        return data

    monkeypatch.setattr(os, "read", read)
    for limit, wanted in ((2, ()), (99, (("busy", "keeps changing while it is read"),))):
        reads.update(count=0, limit=limit)
        taken = Store(tmp_path / f"store{limit}").take(root, "", Work(token=token))
        assert taken.reported == wanted


def test_an_unchanged_folder_is_one_object_for_all_looks(tree: Tree, token: CancelToken) -> None:
    root = tree("t", {"a/x": "1", "b/y": "2"})
    old = list_tree(root, EMPTY, Work(token=token))
    aged = type(old)(old.folders, (), old.taken_ns + 10_000_000_000)
    assert list_tree(root, aged, Work(token=token)).folders is aged.folders
    (root / "b/z").write_text("3")
    now = list_tree(root, aged, Work(token=token))
    assert now.folders["a"] is aged.folders["a"] and now.folders["b"] is not aged.folders["b"]
    assert now.entry("b/z") is not None and now.entry("b/none") is None and now.entry("none/z") is None


def test_a_list_of_parts_that_outlived_them_is_not_taken_for_the_content(tmp_path: Path) -> None:
    store = Store(tmp_path / "store")
    data = _content(9, MIN_CHUNK * 20 + LARGE, 256)
    store.put_all([data])
    digest = blake3.blake3(data).digest()
    parts = store.parts_of([digest])
    assert len(parts) > 3 and store.has_all_of(digest)
    (pack,) = store.packs_folder.iterdir()
    with store.writing(), store.new_pack() as alone:
        alone.add(store._blob(digest)[0], digest, 1)
    pack.unlink()
    store.reload()
    with pytest.raises(StoreError, match="no blob"):
        store.get(digest.hex())
    assert not store.has_all_of(digest)
    store.put_all([data])
    assert store.get(digest.hex()) == data
