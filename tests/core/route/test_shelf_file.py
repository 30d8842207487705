"""Shelf files: every fault with its line, contradictions, and what is written reads back the same."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.route.shelf import Demand, EngineRelease, KnownFault, Need, NotOnShelf, PluginRelease, Succession
from fernshale.core.route.shelf_file import ShelfFile, is_inside, oddities, parse_shelf_file, write_shelf_file
from fernshale.core.route.shelf_sources import read_shelf
from tests.conftest import Tree

_HEAD = 'format = "fernshale-shelf/1"\n'


def _plugin(version: str, more: str = "", id: str = "p") -> str:
    return f'[[plugin]]\nid = "{id}"\nversion = "{version}"\nfolder = "x"\n{more}\n'


@pytest.mark.parametrize(
    ("text", "line", "said"),
    [
        (_plugin("1") + _plugin("1.0", 'accepts = "[3,4)"'), 7, "stands here twice, and the second says something else"),
        (_plugin("1") + _plugin("1.0"), 7, "stands here twice, and the second says the same"),
        (_plugin("soon"), 2, "not a release number"),
        (_plugin("1", 'accepts = "[1,2"'), 2, "not a range"),
        (_plugin("1", 'requires = [{ id = "p" }]'), 2, "it requires itself"),
        (_plugin("2.0-pre1"), 2, "its number is that of a preview, but its stage says stable"),
        (_plugin("1").replace('folder = "x"', ""), 2, "one of the keys folder, archive and place"),
        (_plugin("1").replace('"x"', '"../../etc"'), 2, "outside the shelf"),
        (_plugin("1").replace('"x"', '"/etc"'), 2, "outside the shelf"),
        (_plugin("1", 'checksum = "md5:1"'), 2, "64 hexadecimal digits"),
        ('[[succession]]\nid = "a"\nkind = "renamed"\nto = ["b"]\n[[succession]]\nid = "b"\nkind = "folded"\nto = ["a"]\n', 2,
         "a → b → a: each would follow the other for ever"),
        ('[[succession]]\nid = "a"\nkind = "renamed"\n', 2, "has at least one successor"),
        (_plugin("1", 'colour = "red"'), 6, "unknown key plugin.0.colour"),
    ],
)  # fmt: skip
def test_every_fault_is_said_with_its_line(text: str, line: int, said: str) -> None:
    with pytest.raises(FormatError) as caught:
        parse_shelf_file(_HEAD + text, Path("shelf.toml"))
    assert any(said in message for _, message in caught.value.faults), caught.value.faults
    assert line in [number for number, _ in caught.value.faults]


def test_circles_and_needs_of_what_is_nowhere_are_oddities_and_no_faults() -> None:
    text = (
        _HEAD
        + _plugin("1", 'requires = [{ id = "q" }, { id = "gone" }]')
        + _plugin("1", 'requires = [{ id = "p" }]', "q")
    )
    said = list(oddities(parse_shelf_file(text, Path("shelf.toml"))))
    assert said == ["p 1 requires gone, of which no release is on the shelf",
                    "p and q require one another: they are updated together or not at all"]  # fmt: skip


_text = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=12)
_ids = st.sampled_from(("ash", "birch"))


@given(
    title=_text,
    engines=st.lists(st.builds(
        EngineRelease, id=_ids, version=st.integers(1, 99).map(str), folder=st.just("x"),
        faults=st.lists(st.builds(KnownFault, what=_text, concerns=st.lists(_text).map(tuple)), max_size=2).map(tuple),
        demands=st.lists(st.builds(Demand, name=_text, at_least=st.just("17"), why=_text), max_size=2).map(tuple),
    ), max_size=3, unique_by=lambda item: (item.id, item.version)),
    plugins=st.lists(st.builds(
        PluginRelease, id=_ids, version=st.integers(1, 99).map(str), folder=st.just("x"), accepts=st.just("[1,2)"),
        requires=st.just((Need("oak", ">=1"),)), set=_text,
    ), max_size=3, unique_by=lambda item: (item.id, item.version)),
)  # fmt: skip
def test_what_is_written_reads_back_the_same(
    title: str, engines: list[EngineRelease], plugins: list[PluginRelease]
) -> None:
    file = ShelfFile(title, tuple(engines), tuple(plugins), (Succession("a", "split", ("b", "c"), "it grew"),))
    assert parse_shelf_file(write_shelf_file(file), Path("shelf.toml")) == file


@pytest.mark.parametrize(
    ("path", "inside"),
    [("a/b", True), ("a/../b", False), ("/a", False), ("C:/a", False), ("a\\..\\b", False), ("", False), ("..a", True)],
)
def test_paths_that_lead_out_are_told(path: str, inside: bool) -> None:
    assert is_inside(path) is inside


def test_what_is_not_there_is_said_with_what_is(tree: Tree) -> None:
    engine = '[[engine]]\nid = "wick"\nversion = "1.0"\nfolder = "e"\n'
    folder = tree("shelf", {"shelf.toml": _HEAD + engine, "e": None})
    shelf = read_shelf([folder])
    with pytest.raises(NotOnShelf, match=r"wick 9.9 is not on the shelf .*; there is 1.0"):
        shelf.engine("wick", "9.9")
    assert shelf.engine("wick", "1.0.0").version == "1.0"
    with pytest.raises(MisuseError, match="no shelf"):
        read_shelf([tree("empty", {})])
    with pytest.raises(FormatError, match="is not there"):
        read_shelf([tree("torn", {"shelf.toml": _HEAD + engine})])


def test_of_two_shelves_the_first_wins_and_a_difference_is_said(tree: Tree) -> None:
    def shelf(name: str, checksum: str, title: str) -> Path:
        more = f'archive = "a.zip"\nchecksum = "sha256:{checksum * 64}"'
        text = _HEAD + f'title = "{title}"\n' + _plugin("1", more).replace('folder = "x"\n', "")
        return tree(name, {"shelf.toml": text, "a.zip": b""})

    both = read_shelf([shelf("one", "a", "first"), shelf("two", "b", "second")])
    assert both.title == "first" and len(both.plugins) == 1
    assert both.plugins[0].checksum.endswith("a" * 64)
    assert "p 1 differs between" in both.notices[0]
