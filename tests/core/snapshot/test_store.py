from __future__ import annotations

import contextlib
import os
import random
import shutil
import socket
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fernshale.core.base.errors import FernshaleError, MisuseError, ProjectError, StoreError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.snapshot import tree_walk
from fernshale.core.snapshot.manifest import EMPTY
from fernshale.core.snapshot.manifest_diff import compare
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import list_tree, scan_tree, unread_files
from tests.conftest import Tree, listing

_NAMES = st.sampled_from(["a", "b.txt", "Ünter", "a b", "deep/er", "deep/est/x", os.fsdecode(b"\xff\xfe.bin")])


def _rich(tree: Tree) -> Path:
    root = tree(
        "rich",
        {"a.txt": "one\n", "sub/b.bin": bytes(range(256)) * 40, "sub/copy.bin": bytes(range(256)) * 40, "none": None},
    )
    (root / "a.txt").chmod(0o640)
    (root / "run.sh").write_text("#!/bin/sh\n")
    (root / "run.sh").chmod(0o755)
    (root / "link").symlink_to("sub/b.bin")
    (root / "dangling").symlink_to("/nowhere/at all")
    (Path(os.fsdecode(os.fsencode(root) + b"/\xff\xe9.dat"))).write_bytes(b"odd")
    (root / ("long" * 60)).write_bytes(b"long name")
    (root / "A.TXT").write_text("differs by case only")
    (root / "sub").chmod(0o750)
    return root


def test_restored_tree_is_the_same_in_bytes_modes_links_and_empty_folders(
    tree: Tree, tmp_path: Path, token: CancelToken
) -> None:
    root = _rich(tree)
    store = Store(tmp_path / "store")
    taken = store.take(root, "note", Work(token=token))
    restore(Store(tmp_path / "store"), store.manifest(taken.id), tmp_path / "back", (), Work(token=token))
    assert listing(tmp_path / "back") == listing(root)
    assert (tmp_path / "back" / "a.txt").stat().st_mtime_ns == (root / "a.txt").stat().st_mtime_ns


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.dictionaries(_NAMES, st.binary(max_size=3000), max_size=5))
def test_any_tree_comes_back(tmp_path: Path, files: dict[str, bytes]) -> None:
    base = Path(os.fsdecode(os.fsencode(tmp_path) + os.urandom(6).hex().encode()))
    root = base / "tree"
    root.mkdir(parents=True)
    for path, data in files.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_bytes(data)
    store = Store(base / "store")
    taken = store.take(root, "", Work())
    restore(store, store.manifest(taken.id), base / "back", (), Work())
    assert listing(base / "back") == listing(root)
    assert taken.files == len(files) and store.verify().ok


def test_same_content_is_stored_once_and_unchanged_trees_are_not_read_again(
    tree: Tree, tmp_path: Path, token: CancelToken
) -> None:
    root = tree("t", {f"f{n}": os.urandom(4000) for n in range(20)})
    store = Store(tmp_path / "store")
    first = store.take(root, "", Work(token=token))
    second = store.take(root, "", Work(token=token))
    assert first.stored > 80_000 and second.stored == 0
    old = store.manifest(first.id)
    # As if it had been read long after the last change: then nothing is left to read.
    aged = replace(old, taken_ns=old.taken_ns + 10_000_000_000)
    assert unread_files(list_tree(root, aged, Work(token=token))) == []
    # Just after a change equal times prove nothing: everything is read.
    assert len(unread_files(list_tree(root, old, Work(token=token)))) == 20


def test_change_of_same_size_and_time_is_seen(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = tree("t", {"a": "one"})
    store = Store(tmp_path / "store")
    before = store.manifest(store.take(root, "", Work(token=token)).id)
    status = (root / "a").stat()
    (root / "a").write_text("two")
    os.utime(root / "a", ns=(status.st_atime_ns, status.st_mtime_ns))
    after = store.manifest(store.take(root, "", Work(token=token)).id)
    assert compare(before, after).changed == ("a",)


def test_compare_tells_added_removed_changed_moved(tree: Tree, token: CancelToken) -> None:
    before = scan_tree(
        tree("x", {"stay": "s", "go": "g", "edit": "1", "old/name": "moved text"}),
        EMPTY,
        Work(token=token),
    )
    after = scan_tree(
        tree("y", {"stay": "s", "come": "c", "edit": "2", "new/name": "moved text"}),
        EMPTY,
        Work(token=token),
    )
    found = compare(before, after)
    assert (found.added, found.removed, found.changed) == (("come", "new"), ("go", "old"), ("edit",))
    assert found.moved == (("old/name", "new/name"),)


def test_special_and_unreadable_files_are_reported_and_the_rest_is_taken(
    tree: Tree, tmp_path: Path, token: CancelToken
) -> None:
    root = tree("t", {"good": "yes"})
    os.mkfifo(root / "pipe")
    with socket.socket(socket.AF_UNIX) as server:
        server.bind(str(root / "sock"))
        taken = Store(tmp_path / "store").take(root, "", Work(token=token))
    assert taken.files == 1
    assert [path for path, _ in taken.reported] == ["pipe", "sock"]


def test_restore_of_one_path_leaves_the_others_alone(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = tree("t", {"a": "1", "sub/b": "2", "sub/c": "3"})
    store = Store(tmp_path / "store")
    manifest = store.manifest(store.take(root, "", Work(token=token)).id)
    for name in ("a", "sub/b", "sub/c"):
        (root / name).write_text("edited")
    restore(store, manifest, root, ("sub/b",), Work(token=token))
    assert [(root / name).read_text() for name in ("a", "sub/b", "sub/c")] == ["edited", "2", "edited"]
    with pytest.raises(StoreError, match="nothing at"):
        restore(store, manifest, root, ("none",), Work(token=token))


def test_restore_never_writes_through_a_link_or_over_strangers(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = tree("t", {"sub/b": "2"})
    store = Store(tmp_path / "store")
    manifest = store.manifest(store.take(root, "", Work(token=token)).id)
    target = tree("target", {"stranger": "here first"})
    with pytest.raises(MisuseError, match="not in the snapshot"):
        restore(store, manifest, target, (), Work(token=token))
    (tmp_path / "outside").mkdir()
    (target / "sub").symlink_to(tmp_path / "outside")
    with pytest.raises(ProjectError, match="symbolic link"):
        restore(store, manifest, target, ("sub/b",), Work(token=token))
    assert list((tmp_path / "outside").iterdir()) == []


def test_a_restore_that_was_stopped_is_gone_on_with(
    tree: Tree, tmp_path: Path, token: CancelToken, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = tree("t", {"a/one": "1" * 9000, "b/two": "2", "c": "3"})
    store = Store(tmp_path / "store")
    manifest = store.manifest(store.take(root, "", Work(token=token)).id)
    back = tmp_path / "back"

    def stopping(source: str | Path, _target: str | Path) -> None:
        raise OSError(f"no {source!s}")

    with monkeypatch.context() as patched:
        patched.setattr(os, "rename", stopping)
        with pytest.raises(OSError, match="no "):
            restore(store, manifest, back, (), Work(token=token))
    (whole,) = back.iterdir()
    assert whole.name.startswith(".fernshale-") and (whole / "c").read_text() == "3"
    kept = (whole / "b/two").stat().st_ino
    (whole / "a/one").write_text("torn")
    restore(store, manifest, back, (), Work(token=token))
    assert listing(back) == listing(root) and (back / "b/two").stat().st_ino == kept
    # Stopped while it gave the names: what has none yet gets it.
    whole.mkdir()
    (back / "b").rename(whole / "b")
    restore(store, manifest, back, (), Work(token=token))
    assert listing(back) == listing(root)
    # What another snapshot left there is no part of this one.
    shutil.rmtree(back)
    whole.mkdir(parents=True)
    (whole / "stranger").write_text("of another snapshot")
    restore(store, manifest, back, (), Work(token=token))
    assert listing(back) == listing(root)


def test_every_flipped_byte_is_found_and_never_gives_wrong_content(
    tree: Tree, tmp_path: Path, token: CancelToken
) -> None:
    root = tree("t", {"a": "hello hello hello hello " * 8, "b": "x"})
    store = Store(tmp_path / "store")
    taken = store.take(root, "", Work(token=token))
    contents = {entry.content: (root / path).read_bytes() for path, entry in store.manifest(taken.id).files.items()}
    for path in [*(tmp_path / "store").glob("packs/*"), *(tmp_path / "store").glob("snapshots/*")]:
        good = path.read_bytes()
        for at in range(0, len(good), 1 if path.suffix == ".pack" else 3):
            path.write_bytes(good[:at] + bytes([good[at] ^ 0x41]) + good[at + 1 :])
            fresh = Store(tmp_path / "store")
            assert not fresh.verify().ok, f"{path.suffix} byte {at}"
            for digest, data in contents.items():
                with contextlib.suppress(FernshaleError):
                    assert fresh.get(digest) == data
        path.write_bytes(good)
    assert Store(tmp_path / "store").verify().ok


def test_store_inside_the_tree_is_refused(tree: Tree, token: CancelToken) -> None:
    root = tree("t", {"a": "1"})
    with pytest.raises(StoreError, match="inside the tree"):
        Store(root / "store").take(root, "", Work(token=token))


@pytest.mark.parametrize("size", [40, 3 << 20])
def test_what_the_store_lost_is_read_and_kept_again(
    size: int, tree: Tree, tmp_path: Path, token: CancelToken, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(
        tree_walk, "_RACY_NS", -(10**12)
    )  # as if all of it were old: nothing is read again for its times
    root = tree("tree", {"a.txt": "one\n", "b/c.bin": random.Random(1).randbytes(size)})
    store = Store(tmp_path / "store")
    first = store.take(root, "first", Work(token=token))
    store.take(root, "second", Work(token=token))
    for again in (store, Store(tmp_path / "store")):  # one that had it in hand, and one that is opened afterwards
        for pack in store.packs_folder.iterdir():
            pack.unlink()
        taken = again.take(root, "again", Work(token=token))
        restore(again, again.manifest(taken.id), tmp_path / taken.id, (), Work(token=token))
        assert listing(tmp_path / taken.id) == listing(root)
    assert Store(tmp_path / "store").verify().ok  # the content came back for the earlier ones as well
    assert first.id != taken.id


def test_a_large_file_that_lost_one_part_is_read_again(
    tree: Tree, tmp_path: Path, token: CancelToken, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tree_walk, "_RACY_NS", -(10**12))
    root = tree("tree", {"big.bin": random.Random(2).randbytes(3 << 20)})
    store = Store(tmp_path / "store")
    store.take(root, "first", Work(token=token))
    first = set(store.packs_folder.iterdir())
    with (root / "big.bin").open("ab") as file:
        file.write(random.Random(3).randbytes(1 << 20))
    store.take(root, "second", Work(token=token))
    for pack in first:
        pack.unlink()  # the list of parts is in the second pack, most parts were in the first
    again = Store(tmp_path / "store")
    taken = again.take(root, "third", Work(token=token))
    restore(again, again.manifest(taken.id), tmp_path / "back", (), Work(token=token))
    assert listing(tmp_path / "back") == listing(root)
