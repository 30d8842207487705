"""Marks have exact places; an index that was brought up to date is the one that would be read anew."""

from __future__ import annotations

import json
import uuid
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.errors import FormatError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.links import reference_reader
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.reference_reader import Rules, replace_marks
from fernshale.core.profile.model import DataFormat, IdPattern, LinkShape

_SHAPE = LinkShape((IdPattern(("*.json",), key=("uid",)),), (IdPattern(("*.json",), key=("ref",)),))
_TREES = st.dictionaries(
    st.sampled_from([TreePath(f"{name}.json") for name in "abcde"]),
    st.tuples(st.sampled_from("uvwxyz"), st.lists(st.sampled_from("uvwxyz"), max_size=4)),
)


def _bytes(tree: dict[TreePath, tuple[str, list[str]]]) -> dict[TreePath, bytes]:
    return {
        path: json.dumps({"uid": uid, "parts": [{"ref": id} for id in refs]}).encode()
        for path, (uid, refs) in tree.items()
    }


def _update(index: LinkIndex, files: dict[TreePath, bytes]) -> int:
    return index.update({path: hash(data) for path, data in files.items()}, files.get, Work())


@given(st.lists(_TREES, min_size=1, max_size=5))
def test_brought_up_to_date_is_as_read_anew(trees: list[dict[TreePath, tuple[str, list[str]]]]) -> None:
    index = LinkIndex(_SHAPE)
    for tree in trees:
        _update(index, _bytes(tree))
    fresh = LinkIndex(_SHAPE)
    _update(fresh, _bytes(trees[-1]))
    assert index.files == fresh.files and index.missing == fresh.missing and index.doubled == fresh.doubled
    assert {id: index.uses(id) for id in index.ids_used()} == {id: fresh.uses(id) for id in fresh.ids_used()}
    assert set(fresh.missing) == {id for _, refs in trees[-1].values() for id in refs} - {
        uid for uid, _ in trees[-1].values()
    }


def test_a_long_hexadecimal_id_is_the_same_in_either_case_and_keeps_the_case_of_its_place() -> None:
    old, new = "6D0C4F3A-11B2-4E5F-8A9B-0C1D2E3F4A5B", "7e1d4f3a-11b2-4e5f-8a9b-0c1d2e3f4a5b"
    files = {
        TreePath("a.json"): json.dumps({"uid": old}).encode(),
        TreePath("b.json"): json.dumps({"ref": old.lower()}).encode(),
        TreePath("c.json"): json.dumps({"ref": old}).encode(),
        TreePath("d.json"): json.dumps({"uid": "Boat", "ref": "BOAT"}).encode(),
    }
    index = LinkIndex(_SHAPE)
    _update(index, files)
    # A name is no number: its case counts.
    assert index.missing == ("BOAT",) and len(index.uses(old.lower())) == 2
    for path, wanted in ((TreePath("b.json"), new), (TreePath("c.json"), new.upper())):
        (mark,) = index.files[path].used
        assert json.loads(replace_marks(files[path], index.rules, path, [(mark, new)])) == {"ref": wanted}


def test_only_what_changed_is_read() -> None:
    index = LinkIndex(_SHAPE)
    files = _bytes({TreePath(f"{n}.json"): (f"id{n}", [f"id{n + 1}"]) for n in range(50)})
    assert _update(index, files) == 50 and index.missing == ("id50",)
    assert _update(index, files) == 0
    files[TreePath("7.json")] = b'{"uid": "id50"}'
    assert _update(index, files) == 1 and index.missing == ("id7",)


@pytest.mark.parametrize(
    ("path", "text", "found"),
    [
        ("a.json", '{"ref": "x", "other": {"ref" : ["y", "z"]}}', ["x", "y", "z"]),
        ("a.json", '{"ref": "a\\"b", "said": "\\"ref\\": no"}', ['a"b']),
        ("a.gltf", '{"ref": 12}', ["12"]),
        ("a.yaml", "ref: one two\n# ref: no\n- {id: 3, ref: four}\n", ["one two", "four"]),
        ("a.toml", "ref = 'x'\n[t]\nref = [\"y\", 'z']\n", ["x", "y", "z"]),
        ("a.ini", "[s]\nref = x y\n; ref = no\n", ["x y"]),
        ("a.xml", '<a ref="1&amp;2"><ref>  x </ref><b xref="no"/></a>', ["1&2", "x"]),
        ("a.svg", "<svg><use ref='p'/></svg>", ["p"]),
    ],
)
def test_values_of_keys_in_every_format(path: str, text: str, found: list[str]) -> None:
    rules = Rules(LinkShape((), (IdPattern(("*",), key=("ref",)),)))
    marks = rules.read(TreePath(path), text.encode()).used
    assert [mark.id for mark in marks] == found


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("a.json", '{"n": [{"mesh": "x"}, {"mesh": "y", "deep": {"mesh": "no"}}]}'),
        ("a.yaml", "--- !tag &1\nn:\n- mesh: x\n- {mesh: 'y', deep: {mesh: no}}\n"),
        ("a.toml", '[[n]]\nmesh = "x"\n[[n]]\nmesh = "y"\n[n.deep]\nmesh = "no"\n'),
    ],
)
def test_ways_lead_to_the_same_in_every_format(path: str, text: str) -> None:
    rules = Rules(LinkShape((), (IdPattern(("*",), at="n/*/mesh"),)))
    marks = rules.read(TreePath(path), text.encode())
    assert [mark.id for mark in marks.used] == ["x", "y"]
    assert all(text[mark.start : mark.end] == mark.id for mark in marks.used)


def test_a_broken_file_says_so_and_the_rest_is_read() -> None:
    rules = Rules(LinkShape((), (IdPattern(("*",), at="n/mesh"), IdPattern(("*",), r"@(?P<id>\w+)"))))
    marks = rules.read(TreePath("a.json"), b'{"n": {"mesh": "x", @y')
    assert [mark.id for mark in marks.used] == ["y"] and "line 1" in marks.trouble


def test_a_format_of_lines_has_ways() -> None:
    own = DataFormat(("*.scene",), r"^(?P<kind>\w+)(?: \w+=\S+)+$", r"(?P<key>\w+)=(?P<value>\S+)")
    rules = Rules(LinkShape((), (IdPattern(("*.scene",), at="lamp/glow"),)), (own,))
    assert [mark.id for mark in rules.read(TreePath("a.scene"), b"lamp id=1 glow=amber\npier glow=no\n").used] == [
        "amber"
    ]


@given(
    st.lists(st.text("abc \"\\äß'&<>", max_size=6), min_size=1, max_size=5),
    st.text('xyz"\\é&<', min_size=1, max_size=8),
    st.integers(0, 4),
)
def test_only_the_place_changes_and_it_says_what_was_asked(ids: list[str], new: str, at: int) -> None:
    data = json.dumps({"parts": [{"ref": id, "x": id} for id in ids]}, ensure_ascii=False).encode()
    path, rules = TreePath("a.json"), Rules(_SHAPE)
    marks = rules.read(path, data).used
    assert [mark.id for mark in marks] == ids
    mark = marks[at % len(marks)]
    wanted = {"parts": [{"ref": new if n == at % len(ids) else id, "x": id} for n, id in enumerate(ids)]}
    result = replace_marks(data, rules, path, [(mark, new)])
    assert json.loads(result) == wanted
    text, after = data.decode(), result.decode()
    assert after.startswith(text[: mark.start]) and after.endswith(text[mark.end :])


def test_bytes_of_binary_files_are_replaced_by_as_many() -> None:
    old, new = uuid.UUID(int=1 << 70), uuid.UUID(int=5 << 90)
    rules = Rules(LinkShape((), (IdPattern(("*.bin",), r"mesh\x00(?P<id>.{16})", raw="uuid"),)))
    data = b"\x00\x01mesh\x00" + old.bytes + b"\xff\nrest"
    (mark,) = rules.read(TreePath("a.bin"), data).used
    assert mark.id == str(old) and mark.line == 0
    assert replace_marks(data, rules, TreePath("a.bin"), [(mark, str(new))]) == data.replace(old.bytes, new.bytes)
    text = Rules(LinkShape((), (IdPattern(("*.bin",), r"mesh\x00(?P<id>\w+)", raw="text"),)))
    (mark,) = text.read(TreePath("a.bin"), b"mesh\x00abc\x00").used
    with pytest.raises(FormatError, match="not as long"):
        replace_marks(b"mesh\x00abc\x00", text, TreePath("a.bin"), [(mark, "abcd")])


def test_other_encodings_and_marks_at_the_beginning_survive() -> None:
    rules = Rules(_SHAPE)
    for data in (
        b'\xef\xbb\xbf{"ref": "x",\r\n "n": "\xc3\xa4"}',
        '{"ref": "x", "n": "ä"}'.encode("utf-16"),
        b'{"ref": "x", "n": "\xe4"}',
    ):
        (mark,) = rules.read(TreePath("a.json"), data).used
        wanted = (
            data.replace("x".encode("utf-16-le"), "yy".encode("utf-16-le"))
            if data[:1] == b"\xff"
            else data.replace(b'"x"', b'"yy"')
        )
        assert replace_marks(data, rules, TreePath("a.json"), [(mark, "yy")]) == wanted


def test_a_file_that_changed_since_is_not_written() -> None:
    rules = Rules(_SHAPE)
    (mark,) = rules.read(TreePath("a.json"), b'{"ref": "x"}').used
    with pytest.raises(FormatError, match="does not stand where it was read"):
        replace_marks(b'{"other": 1, "ref": "x"}', rules, TreePath("a.json"), [(mark, "y")])


def test_a_pattern_that_runs_away_is_named(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(reference_reader, "_LIMIT_S", 0.2)
    rules = Rules(LinkShape((), (IdPattern(("*",), r"(?P<id>(a+)+)b"),)))
    with pytest.raises(FormatError, match="takes too long"):
        rules.read(TreePath("a.txt"), b"a" * 4000)


def test_large_files_and_many_files_are_read_whole(tmp_path: Path) -> None:
    sizes = [0, 10, (1 << 17) - 40, 1 << 17, (1 << 17) + 1, (1 << 24) + 99]
    for number, size in enumerate(sizes):
        body = json.dumps({"pad": "x" * size, "ref": f"id{number}"})
        (tmp_path / f"{number}.json").write_text(body)
    for number in range(len(sizes), 4100):  # so many are read by two processes
        (tmp_path / f"{number}.json").write_text(f'{{"ref": "id{number}"}}')
    stamps = {TreePath(f"{number}.json"): 1 for number in range(4100)}
    index = LinkIndex(_SHAPE)
    index.update(stamps, tmp_path, Work())
    assert set(index.ids_used()) == {f"id{number}" for number in range(4100)}
    assert index.uses("id4099")[0].file == "4099.json"
