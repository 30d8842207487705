import os
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fernshale.core.base.errors import Cancelled
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.process import text_search
from fernshale.core.process.text_search import files_with

WORD = st.text(st.sampled_from("abäß.*-[ \\$"), min_size=1, max_size=5)


@pytest.fixture(autouse=True)
def _any_number(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(text_search, "_MIN_FILES_TO_SEARCH", 1)


def write(root: Path, files: dict[str, bytes]) -> tuple[TreePath, ...]:
    for path, data in files.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_bytes(data)
    return tuple(map(TreePath, files))


@settings(max_examples=60, deadline=None)
@given(
    texts=st.lists(st.text(st.sampled_from("abäß.*-[ \\$\n"), max_size=30), min_size=1, max_size=12),
    words=st.lists(WORD, min_size=1, max_size=3),
)
def test_what_has_a_word_is_found_and_nothing_else(
    tmp_path_factory: pytest.TempPathFactory, texts: list[str], words: list[str]
) -> None:
    root = tmp_path_factory.mktemp("tree")
    paths = write(root, {f"-d {number}/f.cpp": text.encode() for number, text in enumerate(texts)})
    expected = [path for path, text in zip(paths, texts, strict=True) if any(word in text for word in words)]
    assert list(files_with(root, paths, words, CancelToken())) == expected


def test_texts_in_other_encodings_are_always_looked_at(tmp_path: Path) -> None:
    files = {
        "wide.cpp": "﻿int tide;".encode("utf-16-le"),
        "wide2.cpp": "﻿int tide;".encode("utf-16-be"),
        "marked.cpp": "int tide;".encode("utf-8-sig"),
        "old.cpp": "int gez\xe4hlt, tide;".encode("latin-1"),
        "other.cpp": b"int t\0ide;",
    }
    paths = write(tmp_path, files)
    assert list(files_with(tmp_path, paths, ["tide"], CancelToken())) == list(paths[:4])


def test_odd_names_of_files(tmp_path: Path) -> None:
    paths = write(tmp_path, dict.fromkeys(("-v", "--help", "*", "a b", os.fsdecode(b"\xe4.cpp")), b"tide"))
    none = write(tmp_path, {"none": b"nothing"})
    assert list(files_with(tmp_path, (*paths, *none), ["tide"], CancelToken())) == list(paths)


@pytest.mark.parametrize(
    "words",
    [["tide", ""], ["ti\nde"], [], [f"w{number}" for number in range(20)]],
    ids=["none", "lines", "no words", "many"],
)
def test_all_files_where_words_do_not_narrow(tmp_path: Path, words: list[str]) -> None:
    paths = write(tmp_path, {"a": b"nothing", "b": b"tide"})
    assert files_with(tmp_path, paths, words, CancelToken()) == paths


def test_all_files_where_one_is_gone_or_no_search_is_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    paths = write(tmp_path, {"a": b"nothing", "b": b"tide"})
    assert list(files_with(tmp_path, paths, ["tide"], CancelToken())) == ["b"]
    gone = (*paths, TreePath("gone"))
    assert files_with(tmp_path, gone, ["tide"], CancelToken()) == gone
    monkeypatch.setenv("PATH", str(tmp_path / "empty"))
    assert files_with(tmp_path, paths, ["tide"], CancelToken()) == paths


def test_the_system_may_refuse_so_many_long_names(tmp_path: Path) -> None:
    name = "/".join(["x" * 200] * 15)
    paths = write(tmp_path, {f"{name}/{number}": b"nothing" for number in range(3)})
    many = tuple(TreePath(path) for path in paths * 1700)
    assert files_with(tmp_path, many, ["tide"], CancelToken()) in ((), many)


def test_a_search_can_be_cancelled(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "never ends")
    token = CancelToken()
    token.cancel()
    with pytest.raises(Cancelled):
        files_with(tmp_path, (TreePath("never ends"),), ["tide"], token)
