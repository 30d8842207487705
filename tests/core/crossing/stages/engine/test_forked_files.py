"""Files copied from the engine and edited follow the engine's newer version, with the edits kept."""

from __future__ import annotations

from fernshale.core.base.work import Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.wick import Wick, cross_wick, make_wick

_SHADER = "".join(f"input lamp_{n}: brightness of lamp {n}\noutput glow_{n} = shine(lamp_{n})\n" for n in range(8))
_NEW = _SHADER.replace("shine(lamp_2)", "gleam(lamp_2)") + "output all = sum(glow)\n"
_MINE = "# ours is warmer\n" + _SHADER.replace("shine(lamp_6)", "shine(lamp_6) * warm")


def _begin(tree: Tree, mine: str) -> tuple[Wick, Crossing]:
    wick = make_wick(tree)
    for release, text in (("1.4", _SHADER), ("2.0", _NEW)):
        (wick.shelf / f"wick/{release}/glow.glim").write_text(text)
    (wick.project / "our_glow.py").write_text(mine)
    (wick.project / "other.py").write_text("x = 1\n" * 30)
    return wick, cross_wick(wick)


def _items(crossing: Crossing) -> list[Item]:
    return [item for item in inspect(crossing, Work()).items if item.key.startswith("copy:")]


def _take(crossing: Crossing, key: str, way: str) -> None:
    act(crossing, key, way)


def test_a_copy_is_found_by_content_and_brought_along(tree: Tree) -> None:
    wick, crossing = _begin(tree, _MINE)
    (item,) = _items(crossing)
    assert "our_glow.py is a copy of the engine's glow.glim" in item.title and not item.needs_you
    assert [(way.id, way.is_automatic) for way in item.options] == [("merge", True), ("leave", False)]
    _take(crossing, item.key, "merge")
    text = (wick.project / "our_glow.py").read_text()
    assert text == _MINE.replace("shine(lamp_2)", "gleam(lamp_2)") + "output all = sum(glow)\n"
    assert not _items(crossing)
    undo(crossing, crossing.logbook()[-1].id, Work())
    assert (wick.project / "our_glow.py").read_text() == _MINE and len(_items(crossing)) == 1


def test_a_short_file_that_came_with_the_release_follows_it_from_its_place(tree: Tree) -> None:
    wick, crossing = _begin(tree, _MINE)
    for release, text in (("1.4", "run --quiet\nsweep --all\n"), ("2.0", "run --calm\nsweep --all\n")):
        place = wick.shelf / f"wick/{release}/starter/ci"
        place.mkdir(parents=True)
        (place / "nightly.py").write_text(text)
    for path in ("ci/nightly.py", "mine/nightly.py"):
        (wick.project / path).parent.mkdir()
        (wick.project / path).write_text("run --quiet\nsweep --all\nlog_it = 1\n")
    (open_item,) = (item for item in _items(crossing) if "nightly" in item.key)
    assert open_item.key == "copy:ci/nightly.py"
    _take(crossing, open_item.key, "merge")
    assert (wick.project / "ci/nightly.py").read_text() == "run --calm\nsweep --all\nlog_it = 1\n"


def test_code_that_began_as_an_example_does_not_follow_it(tree: Tree) -> None:
    wick, crossing = _begin(tree, _MINE)
    for release, text in (("1.4", _SHADER), ("2.0", _NEW)):
        place = wick.shelf / f"wick/{release}"
        (place / "glow.glim").unlink()
        (place / "examples/first").mkdir(parents=True)
        (place / "examples/first/glow.glim").write_text(text)
    assert not _items(crossing)
    # The whole tree of the release was copied.
    (wick.project / "examples/first").mkdir(parents=True)
    (wick.project / "examples/first/glow.glim").write_text(_SHADER)
    assert [item.key for item in _items(crossing)] == ["copy:examples/first/glow.glim"]


def test_where_both_changed_a_person_says_whose(tree: Tree) -> None:
    both = _MINE.replace("shine(lamp_2)", "shine(lamp_2) * cold")
    wick, crossing = _begin(tree, both)
    (item,) = _items(crossing)
    assert item.needs_you and [way.id for way in item.options] == ["mine", "incoming", "leave"]
    _take(crossing, item.key, "mine")
    text = (wick.project / "our_glow.py").read_text()
    assert "shine(lamp_2) * cold" in text and "output all" in text and "# ours is warmer" in text


def test_a_copy_that_is_left_is_not_asked_about_again(tree: Tree) -> None:
    wick, crossing = _begin(tree, _MINE)
    _take(crossing, "copy:our_glow.py", "leave")
    assert not _items(crossing) and (wick.project / "our_glow.py").read_text() == _MINE


def test_what_has_little_in_common_is_no_copy(tree: Tree) -> None:
    _, crossing = _begin(tree, "\n".join(f"own line number {n}" for n in range(40)) + "\n" + _SHADER[:200])
    assert not _items(crossing)
