"""Where a folder came from: releases, mixtures, leftovers, spelling, and the project's own git history."""

from __future__ import annotations

import subprocess
from collections.abc import Mapping
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.survey.git_history import find_past
from fernshale.core.survey.release_index import (
    build_index,
    cell_of,
    index_folders,
    plain_content,
    read_column,
    shelf_index,
)
from fernshale.core.survey.release_origin import Origin, find_origin
from tests.conftest import Tree

Files = Mapping[str, bytes]


def origin_of(mine: Files, releases: Mapping[str, Files], said: str = "") -> Origin:
    columns = {
        name: {TreePath(path): cell_of(data) for path, data in files.items()} for name, files in releases.items()
    }
    cells = {TreePath(path): cell_of(data) for path, data in sorted(mine.items())}
    contents = {path: raw for path, (raw, _) in cells.items()}
    origin = find_origin(contents, build_index(columns), lambda path: cells[path][1], said)
    assert origin is not None
    return origin


_ONE = {"a": b"1", "b": b"1", "c": b"1", "e": b"same"}
_TWO = {"a": b"2", "b": b"2", "c": b"2", "e": b"same", "new": b"2"}


def test_edits_own_files_and_deletions_are_told_apart() -> None:
    found = origin_of({"a": b"1", "b": b"edited", "own/x": b"!"}, {"2.0": _TWO, "1.0": {**_ONE, "d": b"1"}})
    assert (found.name, found.same, found.edited, found.own) == ("1.0", ("a",), ("b",), ("own/x",))
    assert found.deleted == ("c", "d", "e") and not found.mixture and not found.leftovers
    assert found.runner_up == "2.0" and found.telling == 1


def test_half_finished_update_is_a_mixture_file_by_file() -> None:
    found = origin_of({**_ONE, "c": b"2", "new": b"2"}, {"1.0": _ONE, "2.0": _TWO})
    assert found.name == "1.0" and dict(found.mixture) == {"2.0": ("c", "new")}
    assert not found.edited and not found.own
    edited = origin_of({**_ONE, "b": b"edited"}, {"1.0": _ONE, "2.0": _TWO})
    assert not edited.mixture and edited.edited == ("b",)


def test_what_only_older_releases_had_is_left_over() -> None:
    old = {**_TWO, "gone.c": b"x", "kept.c": b"k"}
    mine = {**_TWO, "gone.c": b"x", "kept.c": b"k, edited here", "mine.c": b"m"}
    found = origin_of(mine, {"1.0": old, "1.5": old, "2.0": _TWO})
    assert found.name == "2.0" and dict(found.leftovers) == {"gone.c": "1.5"} and found.own == ("kept.c", "mine.c")


def test_line_ends_marks_and_encodings_alone_are_no_edits() -> None:
    text = "Grüße\nfrom the pier\n"
    files = {
        "crlf": text.encode(),
        "mark": text.encode(),
        "utf16": text.encode(),
        "latin": text.encode(),
        "bin": b"\0\r\n",
    }
    mine = {
        "crlf": text.replace("\n", "\r\n").encode(),
        "mark": b"\xef\xbb\xbf" + text.encode(),
        "utf16": b"\xff\xfe" + text.encode("utf-16-le"),
        "latin": text.encode("latin-1"),
        "bin": b"\0\n",
    }
    found = origin_of(mine, {"1.0": files, "2.0": {"crlf": b"other"}})
    assert found.name == "1.0" and found.edited == ("bin",)
    assert set(found.respelled) == {"crlf", "mark", "utf16", "latin"} and found.confidence > 0.8


def test_what_a_folder_says_is_believed_unless_its_files_say_otherwise() -> None:
    releases = {"1.0": {str(n): b"1" for n in range(9)}, "2.0": {str(n): b"2" for n in range(9)}}
    mostly = {**{str(n): b"1" for n in range(5)}, **{str(n): b"2" for n in range(5, 9)}}
    assert origin_of(mostly, releases, said="2.0").name == "2.0"
    assert origin_of(releases["1.0"], releases, said="2.0").name == "1.0"
    assert origin_of(releases["1.0"], releases, said="7.7").name == "1.0"


def test_releases_that_are_alike_cannot_be_told_apart_and_that_is_said() -> None:
    found = origin_of(_ONE, {"1.0": _ONE, "1.1": _ONE})
    assert found.confidence == 0.5 and found.telling == 0


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_an_edited_copy_is_found_and_every_file_is_accounted_for(data: st.DataObject) -> None:
    contents = st.binary(min_size=1, max_size=3)
    releases = {}
    files = data.draw(st.dictionaries(st.sampled_from("abcdefghijkl"), contents, min_size=6))
    for number in range(data.draw(st.integers(2, 4))):
        changed = data.draw(st.sets(st.sampled_from(sorted(files)), min_size=3))
        files = {**files, **{path: f"release {number} of {path}".encode() for path in changed}}
        releases[f"{number}.0"] = files
    name = data.draw(st.sampled_from(sorted(releases)))
    mine = dict(releases[name])
    edited = data.draw(st.sampled_from(sorted(mine)))
    mine[edited] = b"mine alone"
    mine["own"] = b"own"
    found = origin_of(mine, releases)
    assert found.name == name
    assert found.edited == (edited,) and found.own == ("own",) and not found.deleted
    parts = [*found.same, *found.edited, *found.own, *found.leftovers, *(p for g in found.mixture.values() for p in g)]
    assert sorted(parts) == sorted(mine)


@given(st.binary(max_size=60))
def test_plain_content_is_the_same_however_it_is_spelled(data: bytes) -> None:
    plain = plain_content(data)
    assert plain_content(plain) == plain
    if b"\0" not in data and b"\r" not in data and not data.startswith((b"\xef\xbb\xbf", b"\xff\xfe", b"\xfe\xff")):
        assert plain_content(data.replace(b"\n", b"\r\n")) == plain


def test_index_is_kept_and_a_damaged_one_is_made_anew(tree: Tree, token: CancelToken) -> None:
    folders = {"1.0": tree("v1", {"a/b": "1", "c": "2"}), "2.0": tree("v2", {"a/b": "1", "d": "3"})}
    first = shelf_index(folders, token)
    fresh = index_folders(folders, token)
    (folders["1.0"] / "a/b").unlink()  # so that reading the folders again would show
    again = shelf_index(folders, token)
    for index in (first, again):
        assert (index.names, index.paths) == (fresh.names, fresh.paths)
        assert (index.raw == fresh.raw).all() and (index.plain == fresh.plain).all()
    from fernshale.core.base.data_folder import home

    (kept,) = (home() / "shelves/index").iterdir()
    kept.write_bytes(kept.read_bytes()[:-40])
    assert shelf_index(folders, token).column("1.0").keys() == {"c"}


def _git(folder: Path, *words: str) -> None:
    identity = ("-c", "user.name=Odd", "-c", "user.email=odd@example.org", "-c", "commit.gpgsign=false")
    subprocess.run(["git", *identity, *words], cwd=folder, check=True, capture_output=True)


def test_history_gives_the_folder_as_it_was_when_a_release_came_in(tree: Tree, token: CancelToken) -> None:
    root = tree(
        "repo", {"game/addons/tide/d.ini": "1.0", "game/addons/tide/a.c": "vendor\n", "game/x": "", "x.c": "no"}
    )
    game, tide = root / "game", root / "game/addons/tide"
    _git(root, "init", "-q")
    # A filter and a monitor that the repository would like to run must not run.
    (root / ".gitattributes").write_text("*.c filter=evil\n")
    ran = root.parent / "ran"
    _git(root, "add", "-A")
    _git(root, "commit", "-qm", "tide 1.0")
    (tide / "a.c").write_text("edited\n")
    _git(root, "commit", "-qam", "an edit of ours")
    (tide / "d.ini").write_text("2.0")
    (tide / "b.c").write_text("new\n")
    _git(root, "add", "-A")
    _git(root, "commit", "-qm", "tide 2.0")
    for key in ("filter.evil.smudge", "filter.evil.clean", "core.fsmonitor", "core.pager"):
        _git(root, "config", key, f"touch {ran}")
    past = find_past(game, TreePath("addons/tide"), "d.ini", str.strip, token)
    assert sorted(past) == ["1.0", "2.0"]
    assert past["1.0"].files == {"d.ini": cell_of(b"1.0"), "a.c": cell_of(b"vendor\n")}
    assert set(past["2.0"].files) == {"d.ini", "a.c", "b.c"}
    assert not ran.exists()
    mine = read_column(tide, token)
    contents = {path: raw for path, (raw, _) in mine.items()}
    found = find_origin(contents, build_index({"1.0": past["1.0"].files}), lambda path: mine[path][1])
    assert found is not None and found.edited == ("a.c", "d.ini") and found.own == ("b.c",)
    assert find_past(tree("bare", {"a/d.ini": "1"}), TreePath("a"), "d.ini", str.strip, token) == {}
