"""Lines that only some releases need: put in with a note, kept as debts, taken out when they can go."""

from __future__ import annotations

import pytest

from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.outstanding import find_outstanding
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.reporting.markdown import report_markdown
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.route.shelf import Workaround
from fernshale.core.route.shelf_sources import read_shelf
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.wick import Wick, cross_wick, make_wick

_LINE = """
workarounds = [{ file = "*.ini", line = "flicker = off", after = "wick =", why = "2.0 flickers", until = "2.1" }]"""


def _wick(tree: Tree, version: str, workarounds: str) -> Wick:
    wick = make_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    head, behind = shelf.read_text().split(f'version = "{version}"\n')
    shelf.write_text(f'{head}version = "{version}"{workarounds}\n{behind}')
    return wick


def _items(crossing: Crossing) -> list[Item]:
    found = inspect(crossing, Work()).engine.items
    return [item for item in found if item.key.startswith("workaround:")]


def _take(crossing: Crossing, key: str, way: str) -> None:
    act(crossing, key, way)


def test_a_line_is_put_in_with_its_note_and_stays_a_debt(tree: Tree) -> None:
    wick = _wick(tree, "2.0", _LINE)
    crossing = cross_wick(wick)
    ini = wick.project / "candle.ini"
    before = ini.read_bytes()
    (open_item,) = _items(crossing)
    assert open_item.key == "workaround:2.0:0:candle.ini" and open_item.options[0].is_automatic
    _take(crossing, open_item.key, "add")
    note = "; can go with 2.1: 2.0 flickers"
    assert ini.read_text() == f"; the game\nwick = 1.4   ; engine\n{note}\nflicker = off\n"
    assert not _items(crossing)
    overview = inspect(crossing, Work())
    (debt,) = (item for item in find_outstanding(overview, crossing) if item.kind == "line")
    assert (debt.condition, debt.ready, debt.place) == ("not needed from 2.1 on", "", "candle.ini:4")
    assert "“flicker = off” (candle.ini:4): 2.0 flickers; not needed from 2.1 on" in report_markdown(
        report_data(overview, crossing)
    )
    with pytest.raises(MisuseError, match="nothing to add"):
        _take(crossing, open_item.key, "add")
    _take(crossing, debt.key, debt.action.option)
    assert ini.read_bytes() == before
    undo(crossing, crossing.logbook()[-1].id, Work())
    assert note in ini.read_text()


@pytest.mark.parametrize(("noted", "sure"), [(True, True), (False, False)])
def test_a_line_goes_when_the_target_does_not_need_it(tree: Tree, noted: bool, sure: bool) -> None:
    wick = _wick(tree, "1.4", _LINE.replace("2.1", "2.0").replace("2.0 flickers", "it flickers"))
    ini = wick.project / "candle.ini"
    before = ini.read_text()
    note = "; can go with 2.0: it flickers\n" if noted else ""
    ini.write_text(before + note + "flicker = off\n")
    crossing = cross_wick(wick)
    (open_item,) = _items(crossing)
    assert [(way.id, way.is_automatic) for way in open_item.options] == [("remove", sure), ("keep", False)]
    (debt,) = (item for item in find_outstanding(inspect(crossing, Work()), crossing) if item.kind == "line")
    assert debt.ready == "2.0 does not need it"
    if sure:
        _take(crossing, open_item.key, "remove")
        assert ini.read_text() == before
    else:
        _take(crossing, open_item.key, "keep")
        assert ini.read_text() == before + "flicker = off\n"
    assert not _items(crossing)


@pytest.mark.parametrize(
    ("text", "after", "wanted"),
    [
        (b"", "wick", b"; can go with 2.1: w\nx = 1\n"),
        (b"a = 1", "", b"a = 1\n; can go with 2.1: w\nx = 1"),
        (b"a = 1\r\n[more]\r\n", "a =", b"a = 1\r\n; can go with 2.1: w\r\nx = 1\r\n[more]\r\n"),
        (b"\xef\xbb\xbf  a = 1\n\xff\n", "a =", b"\xef\xbb\xbf  a = 1\n  ; can go with 2.1: w\n  x = 1\n\xff\n"),
    ],
)
def test_what_stands_round_the_line_stays_byte_for_byte(tree: Tree, text: bytes, after: str, wanted: bytes) -> None:
    more = f"""
workarounds = [{{ file = "more.ini", line = "x = 1", after = "{after}", why = "w", until = "2.1" }}]"""
    wick = _wick(tree, "2.0", more)
    (wick.project / "more.ini").write_bytes(text)
    crossing = cross_wick(wick)
    (item,) = _items(crossing)
    _take(crossing, item.key, "add")
    assert (wick.project / "more.ini").read_bytes() == wanted
    _take(crossing, item.key, "remove")
    # A line end that the last line had to get stays with it.
    assert (wick.project / "more.ini").read_bytes().removesuffix(b"\n") == text.removesuffix(b"\n")


def test_what_is_no_line_is_refused(tree: Tree) -> None:
    for line, until in (("", ""), ("a\nb", ""), ("a", "soon")):
        with pytest.raises(ValueError, match=r"line|release|soon"):
            Workaround("*.ini", line, "w", until=until)
    wick = _wick(tree, "2.0", _LINE.replace("2.1", "soon"))
    with pytest.raises(FormatError, match=r"shelf\.toml"):
        read_shelf([wick.shelf])
