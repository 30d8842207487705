"""Equal folders are one object, whoever read them, and different ones never are."""

from __future__ import annotations

import gc
from array import array
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.errors import StoreError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.snapshot import folder_pool
from fernshale.core.snapshot.folder_pool import shared
from fernshale.core.snapshot.manifest import FACTS, Extra, Folder
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import scan_tree
from tests.conftest import Tree

_NAMES = st.lists(st.sampled_from(["a", "b", "ab", "\udcff"]), unique=True, max_size=3).map(
    lambda names: tuple(sorted(names))
)


@st.composite
def _folders(draw: st.DrawFn) -> Folder:
    names = draw(_NAMES)
    facts = array("q", draw(st.lists(st.integers(0, 2), min_size=FACTS * len(names), max_size=FACTS * len(names))))
    digests = draw(
        st.binary(min_size=32 * len(names), max_size=32 * len(names)).map(lambda value: value[:1] * len(value))
    )
    extras = (
        draw(st.dictionaries(st.sampled_from(names), st.builds(Extra, st.sampled_from(["", "x"])))) if names else {}
    )
    return Folder(draw(st.sampled_from(["", "a", "a/b"])), names, facts, digests, extras)


def _facts(folder: Folder) -> tuple[object, ...]:
    return folder.path, folder.names, folder.facts, folder.digests, dict(folder.extras)


@given(_folders(), _folders())
def test_the_same_object_exactly_for_equal_folders(one: Folder, other: Folder) -> None:
    first, second = shared(one), shared(other)
    assert (first is second) == (_facts(one) == _facts(other))
    assert _facts(first) == _facts(one) and _facts(second) == _facts(other)
    assert shared(replace(one)) is first


def test_folders_that_nobody_has_are_let_go() -> None:
    before = len(folder_pool._pool)
    kept = [shared(Folder(f"gone/{number}", (), array("q"), b"")) for number in range(50)]
    assert len(folder_pool._pool) >= before + 50
    del kept
    gc.collect()
    assert len(folder_pool._pool) <= before


def test_a_scan_and_its_snapshot_have_one_set_of_entries(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = tree("game", {"a.txt": "one", "b/c.txt": "two", "b/d.txt": "three", "e": None})
    (root / "link").symlink_to("a.txt")
    store = Store(tmp_path / "store")
    taken = store.take(root, "", Work(token=token))
    kept = store.manifest(taken.id)
    assert store.manifest(taken.id[:8]) is kept and Store(tmp_path / "store").manifest(taken.id) is kept
    found = scan_tree(root, kept, Work(token=token))
    assert all(found.folders[path] is folder for path, folder in kept.folders.items())
    (root / "b/c.txt").write_text("changed")
    again = scan_tree(root, kept, Work(token=token))
    assert again.folders[""] is kept.folders[""] and again.folders["b"] is not kept.folders["b"]


def test_damage_is_noticed_though_the_manifest_was_read_before(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    store = Store(tmp_path / "store")
    taken = store.take(tree("game", {"a.txt": "one"}), "", Work(token=token))
    store.manifest(taken.id)
    path = store.manifest_path(taken.id)
    path.chmod(0o600)
    path.write_bytes(path.read_bytes()[:-1] + b"?")
    with pytest.raises(StoreError):
        store.manifest(taken.id)
