"""Two snapshots compared: moved and edited, mode only, line ends only."""

from __future__ import annotations

import os
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.record.snapshot_diff import compare_snapshots
from fernshale.core.snapshot.store import Store
from tests.conftest import Tree

_BODY = "".join(f"line {n} of a longer text\n" for n in range(20))


def test_each_kind_of_difference_is_told(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = tree("t", {"stay": "s", "go": "g", "edit": "1", "old/name": "moved text", "long.c": _BODY, "run.sh": "x", "w.txt": "a\nb\n",
                      "both.txt": "a\nb\n"})  # fmt: skip
    store = Store(tmp_path / "store")
    first = store.take(root, "", Work(token=token)).id
    (root / "go").unlink()
    (root / "come").write_text("c")
    (root / "edit").write_text("2")
    (root / "new").mkdir()
    (root / "old/name").rename(root / "new/name")
    (root / "long.c").unlink()
    (root / "src").mkdir()
    (root / "src/longer.c").write_text(_BODY.replace("line 3 ", "LINE 3 "))
    (root / "run.sh").chmod(0o755)
    (root / "w.txt").write_bytes(b"a\r\nb\r\n")
    (root / "both.txt").write_bytes(b"a\r\nc\r\n")
    second = store.take(root, "", Work(token=token)).id
    found = compare_snapshots(store, first, second, token)
    assert (found.added, found.removed) == (("come", "new", "src"), ("go",))
    assert found.changed == ("both.txt", "edit", "run.sh", "w.txt")
    assert found.moved == (("long.c", "src/longer.c"), ("old/name", "new/name"))
    assert found.moved_edited == (("long.c", "src/longer.c"),)
    assert found.mode_only == ("run.sh",) and found.line_ends_only == ("w.txt",)


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.data())
def test_every_difference_stands_in_one_list(tmp_path: Path, data: st.DataObject) -> None:
    base = tmp_path / os.urandom(6).hex()
    root, store = base / "t", Store(base / "store")
    root.mkdir(parents=True)
    names, bodies = (
        st.sampled_from("abcdef"),
        st.sampled_from([b"", b"x", _BODY.encode(), _BODY.encode() + b"more\n", b"\0\1"]),
    )
    ids, files = [], []
    for _ in range(2):
        for path in root.iterdir():
            path.unlink()
        files.append(data.draw(st.dictionaries(names, bodies)))
        for name, body in files[-1].items():
            (root / name).write_bytes(body)
        ids.append(store.take(root, "", Work()).id)
    found = compare_snapshots(store, ids[0], ids[1], CancelToken())
    old, new = files
    assert {*found.removed, *(one for one, _ in found.moved)} == set(old) - set(new)
    assert {*found.added, *(other for _, other in found.moved)} == set(new) - set(old)
    assert set(found.changed) == {name for name in set(old) & set(new) if old[name] != new[name]}
    assert set(found.moved_edited) == {(one, other) for one, other in found.moved if old[one] != new[other]}
