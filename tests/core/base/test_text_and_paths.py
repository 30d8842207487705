from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import ProjectError
from fernshale.core.base.globs import matches
from fernshale.core.base.textfile import read_text, split_lines
from fernshale.core.base.treepath import TreePath, on_disk, tree_path


@given(st.binary(max_size=400))
@example(b"\xef\xbb\xbfa\r\n\xff")
@example("grüße\n".encode("utf-16"))
@example(b"\xff\xfea")
def test_text_survives_byte_for_byte(data: bytes) -> None:
    text = read_text(data)
    if text is not None:
        assert text.encode() == data
        assert "".join(split_lines(text.text)) == text.text


@pytest.mark.parametrize("path", ["", "/etc/passwd", "../x", "a/../b", "a//b", "./a", "a/.", "a\0b"])
def test_path_that_leaves_the_tree_is_refused(path: str) -> None:
    with pytest.raises(ProjectError):
        tree_path(path)


def test_nothing_is_reached_through_a_symlinked_folder(tmp_path: Path) -> None:
    (tmp_path / "outside").mkdir()
    (tmp_path / "project").mkdir()
    (tmp_path / "project" / "link").symlink_to(tmp_path / "outside")
    with pytest.raises(ProjectError, match="symbolic link"):
        on_disk(tmp_path / "project", TreePath("link/file"))


def test_globs_are_anchored_at_the_root() -> None:
    assert matches(("src/**",), "src/deep/a.cpp")
    assert not matches(("src/**",), "plugins/x/src/a.cpp")
    assert matches(("*.toml",), "a.toml")
    assert not matches(("*.toml",), "plugins/a.toml")


def test_atomic_write_leaves_the_old_file_when_it_fails(tmp_path: Path) -> None:
    place = tmp_path / "file"
    place.write_bytes(b"old")
    with pytest.raises(TypeError):
        write_atomic(place, "text, not bytes")  # type: ignore[arg-type]
    assert place.read_bytes() == b"old"
    assert os.listdir(tmp_path) == ["file"]
