"""Folder merges: every combination on three sides, moves, and a ledger that is computed from the result."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.merge import folder_reader
from fernshale.core.merge.folder_merge import FolderMerge, FolderSide, merge_folders
from fernshale.core.merge.folder_reader import disk_sides
from fernshale.core.merge.ledger import FoundEdits, LedgerUnbalanced, build_ledger
from fernshale.core.merge.merge_result import build_result, write_result
from fernshale.core.merge.text_merge import Resolution
from fernshale.core.snapshot.manifest import EntryKind, Manifest, TreeEntry, digest_of
from tests.conftest import Tree, listing

_BODY = "".join(f"line {n} of a file that is long enough to be known again\n" for n in range(12))


def _side(files: Mapping[str, str | bytes]) -> FolderSide:
    data = {TreePath(path): text if isinstance(text, bytes) else text.encode() for path, text in files.items()}
    entries = {
        path: TreeEntry(EntryKind.FILE, 0o644, digest_of(body), len(body)) for path, body in sorted(data.items())
    }
    return FolderSide(Manifest.of(entries), lambda path: data[path])


def _merge(
    base: Mapping[str, str | bytes], mine: Mapping[str, str | bytes], incoming: Mapping[str, str | bytes]
) -> FolderMerge:
    return merge_folders(_side(base), _side(mine), _side(incoming), Work())


def _result(merge: FolderMerge, choices: Mapping[str, Resolution] | None = None) -> dict[str, bytes]:
    result = build_result(merge, choices or {}, "mine")
    build_ledger(merge, result, choices or {})
    return {path: result.read(path) for path in result.entries}


_OLD, _NEW, _EDIT = _BODY, _BODY.replace("line 3", "their 3"), _BODY.replace("line 9", "my 9")
_BOTH = _NEW.replace("line 9", "my 9")
_CLASH = _BODY.replace("line 3", "my 3")
_STATES = {"absent": None, "same": _OLD, "edited": _EDIT, "clash": _CLASH}
_TABLE = {
    # (base, mine, incoming): (outcome, result); None: no file
    ("same", "same", "same"): ("same", _OLD),
    ("same", "same", "new"): ("updated", _NEW),
    ("same", "same", "absent"): ("removed", None),
    ("same", "edited", "same"): ("carried", _EDIT),
    ("same", "edited", "new"): ("merged", _BOTH),
    ("same", "edited", "absent"): ("decide", _EDIT),
    ("same", "clash", "same"): ("carried", _CLASH),
    ("same", "clash", "new"): ("decide", _CLASH),
    ("same", "clash", "absent"): ("decide", _CLASH),
    ("same", "absent", "same"): ("removed", None),
    ("same", "absent", "new"): ("decide", None),
    ("same", "absent", "absent"): ("removed", None),
    ("absent", "same", "absent"): ("own", _OLD),
    ("absent", "absent", "new"): ("added", _NEW),
    ("absent", "same", "same"): ("carried", _OLD),
    ("absent", "same", "new"): ("decide", _OLD),
}


@pytest.mark.parametrize("case", sorted(_TABLE), ids="-".join)
def test_every_combination_on_three_sides(case: tuple[str, str, str]) -> None:
    states = {**_STATES, "new": _NEW}
    sides = [{"f.txt": states[name]} if states[name] is not None else {} for name in case]
    merge = _merge(*sides)
    outcome, expected = _TABLE[case]
    assert [file.outcome for file in merge.files] == [outcome]
    assert _result(merge) == ({"f.txt": expected.encode()} if expected is not None else {})


def test_edits_are_carried_into_a_file_the_vendor_moved_and_changed() -> None:
    merge = _merge({"src/a.cpp": _OLD}, {"src/a.cpp": _EDIT}, {"src/deep/b.cpp": _NEW})
    (file,) = merge.files
    assert (file.path, file.outcome) == ("src/deep/b.cpp", "merged")
    assert _result(merge) == {"src/deep/b.cpp": _BOTH.encode()}
    ledger = build_ledger(merge, build_result(merge, {}, "mine"), {})
    assert [(entry.fate, entry.now) for entry in ledger.entries] == [("carried", "src/deep/b.cpp:10")]


def test_the_users_own_move_is_kept() -> None:
    merge = _merge({"a.txt": _OLD}, {"mine/a.txt": _OLD}, {"a.txt": _NEW})
    assert _result(merge) == {"mine/a.txt": _NEW.encode()}


def test_moves_are_the_best_assignment_not_the_first_come() -> None:
    other = _BODY.replace("line", "row")
    base = {"x1": _OLD, "x2": other}
    incoming = {"y1": other.replace("row 5", "five"), "y2": _OLD.replace("line 5", "five")}
    merge = _merge(base, base, incoming)
    assert {file.base: file.path for file in merge.files} == {"x1": "y2", "x2": "y1"}


def test_own_file_keeps_its_place_when_the_vendor_moves_one_there() -> None:
    merge = _merge({"a": _OLD}, {"a": _OLD, "b": "mine alone\n"}, {"b": _OLD + "more\n"})
    assert _result(merge)["b"] == b"mine alone\n"


def test_a_file_moved_here_keeps_its_place_when_the_vendor_moves_another_there() -> None:
    other = _BODY.replace("line", "row")
    merge = _merge({"a": _OLD, "d/c": other}, {"a": _EDIT, "b": other}, {"b": _OLD})
    result = _result(merge)
    assert result["b"] == other.encode() and result["a"] == _EDIT.encode()


def test_binary_files_are_never_woven() -> None:
    old, mine, new = b"\0old", b"\0mine", b"\0new"
    merge = _merge({"a.bin": old}, {"a.bin": mine}, {"a.bin": new})
    (conflict,) = merge.files[0].decisions
    assert merge.files[0].outcome == "decide"
    assert _result(merge, {conflict.id: Resolution("incoming")}) == {"a.bin": new}
    ledger = build_ledger(
        merge, build_result(merge, {conflict.id: Resolution("incoming")}, "mine"), {conflict.id: Resolution("incoming")}
    )
    assert [entry.fate for entry in ledger.entries] == ["dropped"]


_FILES = st.dictionaries(
    st.sampled_from(["a", "b", "d/c", "d/e"]),
    st.lists(st.sampled_from(["one\n", "two\n", "three\n", "four\n", "five\n"]), max_size=6).map("".join),
    max_size=4,
)


@example({"a": "one\n"}, {"b": ""}, {"b": "one\n"}, "")
@example({"a": "two\n", "d/c": "one\ntwo\n"}, {"a": "", "b": "one\ntwo\n"}, {"b": "two\n"}, "")
@example({"a": "one\n"}, {"a": ""}, {"a": "one\none\n"}, "")
@example({"a": "one\ntwo\nthree\nfour\n"}, {"a": ""}, {"a": "", "b": "one\ntwo\nthree\nfour\n"}, "")
@example({"a": "one\ntwo\nthree\nfour\n"}, {"a": "one\n", "b": ""}, {"a": "", "b": "one\ntwo\nthree\nfour\n"}, "")
@example({"a": "one\ntwo\nthree\nfour\n"}, {"a": "x\n"}, {"a": "", "b": "one\ntwo\nthree\nfour\n"}, "mine")
@given(_FILES, _FILES, _FILES, st.sampled_from(["", "mine", "incoming", "both"]))
def test_ledger_balances_and_every_file_is_accounted_for(
    base: dict[str, str], mine: dict[str, str], incoming: dict[str, str], way: str
) -> None:
    merge = _merge(base, mine, incoming)
    choices = {conflict.id: Resolution(way) for _, conflict in merge.decisions} if way else {}  # type: ignore[arg-type]
    result = build_result(merge, choices, "mine")
    ledger = build_ledger(merge, result, choices)
    assert ledger.edits == sum(ledger.count(fate) for fate in ("carried", "already", "decide", "dropped"))  # type: ignore[arg-type]
    if way == "mine":
        assert not ledger.count("dropped") and not ledger.count("decide")
    for side, name in ((mine, "mine"), (incoming, "incoming"), (base, "base")):
        named = [getattr(file, name) for file in merge.files if getattr(file, name) is not None]
        named += [
            item[0 if name == "base" else 1] for file in merge.files for item in file.joined if name != "incoming"
        ]
        # Each exactly once, but for files the vendor split: these are named by each part.
        split = {getattr(file, name) for file in merge.files if "split" in file.why} if name != "incoming" else set()
        assert sorted(set(named)) == sorted(side) and {path for path in named if named.count(path) > 1} <= split, name
    if base == mine:
        assert {path: result.read(path).decode() for path in result.entries} == incoming


@given(
    _FILES,
    _FILES,
    _FILES,
    st.lists(st.tuples(st.integers(0, 9), st.sampled_from(["", "mine", "incoming", "text"])), max_size=6),
)
def test_edits_found_before_equal_a_new_search_after_any_decisions(
    base: dict[str, str], mine: dict[str, str], incoming: dict[str, str], steps: list[tuple[int, str]]
) -> None:
    merge, found = _merge(base, mine, incoming), FoundEdits()
    choices: dict[str, Resolution] = {}
    for number, way in [(0, ""), *steps]:
        if merge.decisions:
            _, conflict = merge.decisions[number % len(merge.decisions)]
            if way in conflict.options:
                choices[conflict.id] = Resolution(way, "by hand\n" if way == "text" else "")  # type: ignore[arg-type]
            elif not way:
                choices.pop(conflict.id, None)
        result = build_result(merge, choices, "mine")
        assert build_ledger(merge, result, choices, found=found) == build_ledger(merge, result, choices)


def test_a_result_that_lost_an_edit_is_refused() -> None:
    merge = _merge({"a": _OLD}, {"a": _EDIT}, {"a": _NEW})
    result = build_result(merge, {}, "mine")
    spoilt = TreeEntry(EntryKind.FILE, 0o644, digest_of(_NEW.encode()), len(_NEW))
    bad = replace(result, entries={TreePath("a"): spoilt}, woven={TreePath("a"): _NEW.encode()})
    with pytest.raises(LedgerUnbalanced):
        build_ledger(merge, bad, {})
    found = FoundEdits()
    build_ledger(merge, result, {}, found=found)
    with pytest.raises(LedgerUnbalanced):
        build_ledger(merge, bad, {}, found=found)


def test_links_modes_and_empty_folders_on_disk(tree: Tree) -> None:
    token = CancelToken()
    roots = [
        tree(name, {"run.sh": "#!/bin/sh\n", "data": _OLD, "empty": None}) for name in ("base", "mine", "incoming")
    ]
    (roots[1] / "run.sh").chmod(0o755)
    for root, target in zip(roots, ("v1", "v1", "v2"), strict=True):
        (root / "current").symlink_to(target)
    base, mine, incoming = disk_sides(roots, token)
    merge = merge_folders(base, mine, incoming, Work(token=token))
    result = build_result(merge, {}, "mine")
    assert result.entries[TreePath("run.sh")].mode == 0o755
    assert result.entries[TreePath("current")] == TreeEntry(EntryKind.LINK, 0, "v2")
    assert [entry.what for entry in build_ledger(merge, result, {}).entries] == ["mode 755"]


def test_sides_are_the_same_however_many_processes_read_them(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    token = CancelToken()
    roots = [tree(name, {f"d{n % 5}/f{n}": f"{name} {n}" for n in range(60)}) for name in ("base", "mine", "incoming")]
    alone = disk_sides(roots, token)
    monkeypatch.setattr(folder_reader, "is_worthwhile", lambda files, size: True)
    both = disk_sides(roots, token)
    assert [side.things for side in both] == [side.things for side in alone]
    assert both[2].read(TreePath("d1/f1")) == b"incoming 1"


def test_a_result_is_written_whole(tree: Tree, tmp_path: Path) -> None:
    token = CancelToken()
    roots = [tree(name, {"a/b/run.sh": "x\n", "only/here": "1", "keep": None}) for name in ("base", "mine", "incoming")]
    (roots[1] / "a/b/run.sh").chmod(0o751)
    (roots[1] / "a/now").symlink_to("b")
    base, mine, incoming = disk_sides(roots, token)
    merge = merge_folders(base, mine, incoming, Work(token=token))
    write_result(merge, build_result(merge, {}, "mine"), tmp_path / "new/result")
    assert listing(tmp_path / "new/result") == listing(roots[1])


def test_merge_agrees_with_a_known_tool_where_edits_are_apart(tmp_path: Path) -> None:
    """Where changes do not touch, any correct merge gives the same text: git's own says which."""
    import subprocess

    base = [f"unique line {n}\n" for n in range(60)]
    for number, (mine_at, incoming_at) in enumerate(itertools.product((3, 20, 41), (10, 30, 55))):
        mine, incoming = list(base), list(base)
        mine[mine_at] = "mine\n"
        incoming[incoming_at : incoming_at + 2] = ["theirs\n"]
        paths = []
        for name, lines in (("mine", mine), ("base", base), ("incoming", incoming)):
            (tmp_path / f"{number}{name}").write_text("".join(lines))
            paths.append(str(tmp_path / f"{number}{name}"))
        done = subprocess.run(["git", "merge-file", "-p", *paths], capture_output=True, check=True)
        found = _result(_merge({"f": "".join(base)}, {"f": "".join(mine)}, {"f": "".join(incoming)}))
        assert found == {"f": done.stdout}


def _part(name: str, lines: int = 8) -> str:
    return "".join(f"{name} line {n} says something of its own\n" for n in range(lines))


def test_edits_go_where_their_lines_went_when_the_vendor_splits_a_file() -> None:
    base = {"all.cpp": _part("calendar") + _part("fog")}
    mine = {
        "all.cpp": (_part("calendar") + _part("fog"))
        .replace("fog line 5", "my fog")
        .replace("calendar line 2", "my day")
    }
    incoming = {
        "calendar.cpp": "// calendar\n" + _part("calendar"),
        "fog.cpp": "// fog\n" + _part("fog").replace("fog line 1 ", "their fog "),
    }
    merge = _merge(base, mine, incoming)
    result = _result(merge)
    assert sorted(result) == ["calendar.cpp", "fog.cpp"]
    assert b"my day" in result["calendar.cpp"] and b"my fog" in result["fog.cpp"] and b"their fog" in result["fog.cpp"]
    ledger = build_ledger(merge, build_result(merge, {}, "mine"), {})
    found = sorted((entry.path, entry.lines, entry.fate, entry.now) for entry in ledger.entries)
    assert found == [("all.cpp", "14", "carried", "fog.cpp:7"), ("all.cpp", "3", "carried", "calendar.cpp:4")]


def test_a_clash_in_a_part_is_decided_there() -> None:
    base = {"all.cpp": _part("calendar") + _part("fog")}
    mine = {"all.cpp": base["all.cpp"].replace("fog line 5", "my fog")}
    incoming = {"calendar.cpp": _part("calendar"), "fog.cpp": _part("fog").replace("fog line 5", "their fog")}
    merge = _merge(base, mine, incoming)
    ((file, conflict),) = merge.decisions
    assert (file.path, conflict.mine, conflict.incoming) == ("fog.cpp", (13, 14), (5, 6))
    assert b"my fog" in _result(merge, {conflict.id: Resolution("mine")})["fog.cpp"]


def test_edits_of_files_the_vendor_joined_stand_in_the_one() -> None:
    base = {"calendar.cpp": _part("calendar"), "fog.cpp": _part("fog")}
    mine = {
        "calendar.cpp": _part("calendar").replace("line 2", "my 2"),
        "fog.cpp": _part("fog").replace("line 5", "my 5"),
    }
    merge = _merge(base, mine, {"all.cpp": "// all\n" + _part("calendar") + _part("fog")})
    assert _result(merge) == {
        "all.cpp": (
            "// all\n" + _part("calendar").replace("line 2", "my 2") + _part("fog").replace("line 5", "my 5")
        ).encode()
    }
    ledger = build_ledger(merge, build_result(merge, {}, "mine"), {})
    found = sorted((entry.path, entry.lines, entry.fate, entry.now) for entry in ledger.entries)
    assert found == [("calendar.cpp", "3", "carried", "all.cpp:4"), ("fog.cpp", "6", "carried", "all.cpp:15")]


def test_what_the_vendor_adds_to_a_folder_i_moved_goes_along() -> None:
    base = {"fx/a.glow": _part("a"), "fx/b.glow": _part("b")}
    mine = {"art/a.glow": _part("a"), "art/b.glow": _part("b")}
    merge = _merge(base, mine, {**base, "fx/c.glow": _part("c")})
    assert sorted(_result(merge)) == ["art/a.glow", "art/b.glow", "art/c.glow"]


def test_a_change_of_case_is_a_move_and_two_names_that_only_differ_by_it_are_told() -> None:
    merge = _merge({"Fog.hpp": _OLD}, {"Fog.hpp": _EDIT}, {"fog.hpp": _NEW})
    assert _result(merge) == {"fog.hpp": _BOTH.encode()}
    clash = _merge({}, {"Own.hpp": "mine\n"}, {"own.hpp": "theirs\n"})
    assert any("by case only" in file.why for file in clash.files)


def test_a_file_that_stands_where_the_vendor_needs_a_folder_keeps_its_place() -> None:
    merge = _merge({}, {"data": "mine\n"}, {"data/list.txt": "theirs\n"})
    ((file, conflict),) = merge.decisions
    assert _result(merge) == {"data": b"mine\n"}
    assert _result(merge, {conflict.id: Resolution("incoming")}) == {
        "data": b"mine\n",
        "data-list.txt.incoming": b"theirs\n",
    }
    assert file.outcome == "decide"


@given(st.integers(0, 0o777), st.integers(0, 0o777), st.integers(0, 0o777))
def test_modes_merge_bit_by_bit(old: int, ours: int, theirs: int) -> None:
    sides = [_side({"run": _OLD}) for _ in range(3)]
    for side, mode in zip(sides, (old, ours, theirs), strict=True):
        entry = replace(side.manifest.entries[TreePath("run")], mode=mode)
        side.manifest.memo["entries"] = {TreePath("run"): entry}
    merge = merge_folders(sides[0], sides[1], sides[2], Work())
    mode = build_result(merge, {}, "mine").entries[TreePath("run")].mode
    for bit in (1 << at for at in range(9)):
        expected = theirs if ours & bit == old & bit else ours
        assert mode & bit == expected & bit


def test_without_a_base_nothing_is_taken_that_could_be_an_edit() -> None:
    mine = {"same": _OLD, "a": _EDIT, "own": "mine\n"}
    incoming = {"same": _OLD, "a": _NEW, "new": "theirs\n"}
    merge = merge_folders(None, _side(mine), _side(incoming), Work())
    assert _result(merge) == {"same": _OLD.encode(), "a": _EDIT.encode(), "own": b"mine\n", "new": b"theirs\n"}
    assert [(file.shown, conflict.mine, conflict.incoming) for file, conflict in merge.decisions] == [
        ("a", (3, 4), (3, 4)),
        ("a", (9, 10), (9, 10)),
    ]
    first, second = (conflict.id for _, conflict in merge.decisions)
    assert _result(merge, {first: Resolution("incoming"), second: Resolution("mine")})["a"] == _BOTH.encode()


_LONG = st.lists(st.sampled_from([f"{word} {n}\n" for word in ("sea", "fog", "pier") for n in range(6)]), max_size=24)
_TREES = st.dictionaries(st.sampled_from(["a", "b", "d/c"]), _LONG.map("".join), max_size=3)


_FOUR = "sea 0\nsea 1\nsea 2\nsea 3\n"


@example({"a": "", "b": "", "d/c": _FOUR}, {"d/c": ""}, {"a": _FOUR}, "", True)
@given(_TREES, _TREES, _TREES, st.sampled_from(["", "mine", "incoming", "both", "swapped", "base"]), st.booleans())
def test_split_joined_or_moved_the_ledger_balances(
    base: dict[str, str], mine: dict[str, str], incoming: dict[str, str], way: str, know: bool
) -> None:
    sides = [_side(files) for files in (base, mine, incoming)]
    merge = merge_folders(sides[0] if know else None, sides[1], sides[2], Work())
    choices = {conflict.id: Resolution(way) for _, conflict in merge.decisions} if way else {}  # type: ignore[arg-type]
    result = build_result(merge, choices, "mine")
    ledger = build_ledger(merge, result, choices)
    assert all(entry.fate in ("carried", "already", "decide", "dropped") for entry in ledger.entries)
    for side, name in ((mine, "mine"), (incoming, "incoming"), (base, "base")):
        if name == "base" and not know:
            continue
        named = {getattr(file, name) for file in merge.files}
        named |= {item[0 if name == "base" else 1] for file in merge.files for item in file.joined}
        assert named - {None} >= set(side), name
    if know and base == incoming:
        assert {path: result.read(path).decode() for path in result.entries} == mine


def test_a_part_that_two_old_files_claim_goes_to_one_and_nothing_is_lost() -> None:
    shared = _part("shared")
    base = {"a.cpp": _part("a") + shared, "b.cpp": _part("b") + shared}
    mine = {"a.cpp": base["a.cpp"].replace("a line 2", "my a"), "b.cpp": base["b.cpp"].replace("b line 2", "my b")}
    incoming = {"a.cpp": _part("a"), "b.cpp": _part("b"), "shared.cpp": shared, "a.bin": "\0"}
    merge = _merge(base, mine, incoming)
    result = _result(merge, {conflict.id: Resolution("mine") for _, conflict in merge.decisions})
    assert (
        b"my a" in result["a.cpp"]
        and b"my b" in result["b.cpp"]
        and sorted(result) == ["a.bin", "a.cpp", "b.cpp", "shared.cpp"]
    )


def test_a_file_i_moved_is_not_taken_apart() -> None:
    base = {"all.cpp": _part("calendar") + _part("fog")}
    mine = {"own/all.cpp": base["all.cpp"].replace("fog line 5", "my fog")}
    merge = _merge(base, mine, {"calendar.cpp": _part("calendar"), "fog.cpp": _part("fog")})
    choices = {conflict.id: Resolution("mine") for _, conflict in merge.decisions}
    result = _result(merge, choices)
    assert sorted(result) == ["fog.cpp", "own/all.cpp"] and b"my fog" in result["own/all.cpp"]
