from __future__ import annotations

import pytest

from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.route.planner import plan_leg, readiness
from fernshale.core.route.shelf import NotOnShelf, read_shelf
from tests.conftest import Tree

_SHELF = 'format = "fernshale-shelf/1"\n[[engine]]\nid = "wick"\nversion = "1.0"\nfolder = "e1"\n'


def _shelf(tree: Tree, extra: str) -> object:
    return read_shelf(tree("shelf", {"shelf.toml": _SHELF + extra, "e1": None, "p": None}))


def _plugin(version: str, accepts: str, stage: str = "stable") -> str:
    return f'[[plugin]]\nid = "p"\nversion = "{version}"\nfolder = "p"\naccepts = "{accepts}"\nstage = "{stage}"\n'


@pytest.mark.parametrize(
    ("releases", "accepts", "action", "to"),
    [
        ([("2.0", "[3.0,4.0)", "stable"), ("2.1", "[3.0,4.0)", "stable")], "[1,2)", "update", "2.1"),
        ([("2.0", "[3.0,4.0)", "stable"), ("2.1", "[3.0,4.0)", "preview")], "[1,2)", "update", "2.0"),
        ([("2.1", "[3.0,4.0)", "preview")], "[1,2)", "preview only", "2.1"),
        ([("2.0", "[3.0,4.0)", "stable")], "[1,9)", "stay", "1.5"),
        ([("1.5", "[1,2)", "stable")], "[1,2)", "nothing", ""),
        ([], "", "nothing", ""),
    ],
)
def test_staying_comes_first_then_the_newest_stable(
    tree: Tree, releases: list[tuple[str, str, str]], accepts: str, action: str, to: str
) -> None:
    shelf = _shelf(tree, "".join(_plugin(*item) for item in releases))
    (step,) = plan_leg(shelf, "1.0", "3.1", [("p", "1.5", accepts)]).plugins  # type: ignore[arg-type]
    assert (step.action, step.to) == (action, to)
    assert step.why


def test_table_says_how_ready_a_plugin_is(tree: Tree) -> None:
    shelf = _shelf(tree, _plugin("1", "[1,2)") + _plugin("2", "[3,4)", "preview") + _plugin("3", "[5,6)", "revision"))
    words = [readiness(shelf, "p", release).readiness for release in ("1.2", "3.0", "5.0", "9")]  # type: ignore[arg-type]
    assert words == ["ready", "preview only", "source revision", "nothing yet"]


def test_shelf_that_points_outside_or_nowhere_is_refused(tree: Tree) -> None:
    with pytest.raises(FormatError) as caught:
        _shelf(tree, _plugin("1", "[1,2") + _plugin("2", "*").replace('"p"\naccepts', '"../../etc"\naccepts'))
    text = str(caught.value)
    assert "not a range" in text and "outside the shelf" in text


def test_what_is_not_there_is_said_with_what_is(tree: Tree) -> None:
    shelf = _shelf(tree, "")
    with pytest.raises(NotOnShelf, match=r"wick 9.9 is not on the shelf .*; there is 1.0"):
        shelf.engine("wick", "9.9")  # type: ignore[attr-defined]
    assert shelf.engine("wick", "1.0.0").version == "1.0"  # type: ignore[attr-defined]
    with pytest.raises(MisuseError, match="no shelf"):
        read_shelf(tree("empty", {}))
