"""The working copy: all of the original, which is only read; nothing half done stays."""

from __future__ import annotations

import os
import stat
import subprocess
from pathlib import Path

import pytest

from fernshale.core.base.errors import Cancelled, MisuseError, ProjectError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.snapshot import working_copy
from fernshale.core.snapshot.working_copy import duplicate_tree
from tests.conftest import Tree, listing


def _facts(root: Path) -> dict[str, tuple[int, ...]]:
    found = {}
    for folder, folders, files in os.walk(root):
        for name in (*folders, *files):
            status = os.lstat(os.path.join(folder, name))
            found[os.path.relpath(os.path.join(folder, name), root)] = (
                status.st_mtime_ns,
                status.st_ctime_ns,
                status.st_mode,
            )
    return found


def _rich(tree: Tree) -> Path:
    root = tree("game", {"a.txt": "one\n", "sub/b.bin": os.urandom(3_000_000), "closed/in": "x", "none": None})
    (root / "run.sh").write_text("#!/bin/sh\n")
    (root / "run.sh").chmod(0o755)
    (root / "link").symlink_to("sub/b.bin")
    os.link(root / "a.txt", root / "sub/same")
    with (root / "sparse").open("wb") as file:
        file.truncate(30_000_000)
        file.seek(10_000_000)
        file.write(b"data")
    os.mkfifo(root / "pipe")
    (root / "closed").chmod(0o555)
    return root


def test_the_copy_is_the_same_and_the_original_untouched(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = _rich(tree)
    before = _facts(root)
    done = duplicate_tree(root, tmp_path / "deep" / "copy", Work(token=token))
    copy = tmp_path / "deep" / "copy"
    assert _facts(root) == before and done.files == 6 and done.reported == (("pipe", "not a file, link or folder"),)
    (root / "pipe").unlink()
    assert listing(copy) == listing(root)
    assert {path: item[0] for path, item in _facts(copy).items()} == {
        path: item[0] for path, item in before.items() if path != "pipe"
    }
    assert (copy / "a.txt").stat().st_ino == (copy / "sub/same").stat().st_ino != (root / "a.txt").stat().st_ino
    assert (copy / "sparse").stat().st_blocks <= (root / "sparse").stat().st_blocks + 600
    (copy / "a.txt").write_text("edited")
    assert (root / "a.txt").read_text() == "one\n"
    with pytest.raises(MisuseError, match="is there already"):
        duplicate_tree(root, copy, Work(token=token))
    with pytest.raises(MisuseError, match="lies inside"):
        duplicate_tree(root, root / "sub" / "copy", Work(token=token))


def test_no_half_copy_stays(tree: Tree, tmp_path: Path, token: CancelToken, monkeypatch: pytest.MonkeyPatch) -> None:
    root = _rich(tree)

    def stop(what: str, done: int, total: int) -> None:
        if what == "copying" and done > 4:
            token.cancel()

    with pytest.raises(Cancelled):
        duplicate_tree(root, tmp_path / "copy", Work(stop, token))
    assert sorted(path.name for path in tmp_path.iterdir()) == ["game"]
    # What a killed one left is removed by the next.
    (tmp_path / ".fernshale-copy-copy").mkdir()
    (tmp_path / ".fernshale-copy-copy" / "half").write_text("half")
    real = working_copy._copy_bytes

    def busy(reading: int, writing: int, status: os.stat_result) -> None:
        real(reading, writing, status)
        if status.st_size == 4:
            os.utime(reading, ns=(1, 1))

    monkeypatch.setattr(working_copy, "_copy_bytes", busy)
    monkeypatch.setattr(working_copy, "_clone", lambda reading, writing: False)
    with pytest.raises(ProjectError, match="changed while it was copied"):
        duplicate_tree(root, tmp_path / "copy", Work())
    monkeypatch.setattr(working_copy, "_copy_bytes", real)
    assert duplicate_tree(root, tmp_path / "copy", Work()).files == 6
    assert sorted(path.name for path in tmp_path.iterdir()) == ["copy", "game"]


def test_blocks_are_shared_where_the_file_system_can(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    image, place = tmp_path / "image", tmp_path / "mounted"
    place.mkdir()
    try:
        subprocess.run(["truncate", "-s", "400M", image], check=True, capture_output=True)
        subprocess.run(["mkfs.xfs", "-q", "-m", "reflink=1", image], check=True, capture_output=True)
        subprocess.run(["mount", "-o", "loop", image, place], check=True, capture_output=True)
    except (OSError, subprocess.CalledProcessError):
        pytest.skip("no file system that shares blocks can be made here")
    try:
        (place / "game").mkdir()
        (place / "game" / "big.bin").write_bytes(os.urandom(50_000_000))
        os.sync()
        free = os.statvfs(place).f_bavail
        done = duplicate_tree(place / "game", place / "copy", Work(token=token))
        assert done.shared == done.files == 1
        assert (free - os.statvfs(place).f_bavail) * os.statvfs(place).f_bsize < 10_000_000
        assert listing(place / "copy") == listing(place / "game") and stat.S_ISREG(
            (place / "copy/big.bin").stat().st_mode
        )
    finally:
        subprocess.run(["umount", place], check=True)
