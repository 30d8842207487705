"""Replacements that only a release between the old and the new one states."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.release import parse_release
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.interface_changes import engine_drift
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.comparison_cache import ReleasePlaces, compare_releases
from fernshale.core.drift.stated.between import releases_to_read
from tests.conftest import Tree
from tests.core.drift.comparing import best_candidate
from tests.wick import cross_wick, make_silent_wick

_OLD = "def low(day):\n    return day.tide()\n\ndef pier():\n    return 1\n"
_WITH_WARNING = (
    'def low(day):\n    """How low the water is.\n\n    .. deprecated:: 1.6\n       Use `ebb_level` instead.\n    """\n'
    "    warn()\n    return compute(day, -1)\n\ndef ebb_level(day):\n    return compute(day, -1)\n\ndef pier():\n    return 1\n"
)
_NEW = (
    "def ebb_level(day):\n    return Ebb.of(day)[0]\n\ndef flood_level(day):\n    return Flood.of(day)[0]\n\n"
    "def pier():\n    return 1\n"
)


def _changes(tree: Tree, *texts: str) -> tuple[ApiChange, ...]:
    """The changes from the first to the last text of a module, with the others between."""
    folders = [tree(f"release-{at}", {"wick.py": text}) for at, text in enumerate(texts)]
    between = tuple((folder.name, folder) for folder in folders[1:-1])
    return compare_releases(ReleasePlaces(folders[0], folders[-1], between), "", Work())


def test_a_replacement_that_only_a_release_between_states_is_found_and_quoted(tree: Tree) -> None:
    assert best_candidate(_changes(tree, _OLD, _NEW), "wick.low")[1] < 0.6
    changes = _changes(tree, _OLD, _WITH_WARNING, _NEW)
    assert best_candidate(changes, "wick.low")[:2] == ("ebb_level", 0.97)
    (change,) = (item for item in changes if item.old and item.old.name == "low")
    assert change.candidates[0].evidence[0].startswith("release-1, in between, says: ")
    assert "Use `ebb_level` instead" in change.candidates[0].evidence[0]


def test_statements_of_several_releases_are_followed_one_after_the_other(tree: Tree) -> None:
    later = _WITH_WARNING.replace("low(", "ebb_level(", 1).replace(
        "def ebb_level(day):\n    return", "def water(day):\n    return"
    )
    later = later.replace("`ebb_level`", "`water`")
    changes = _changes(tree, _OLD, _WITH_WARNING, later, _NEW.replace("ebb_level", "water"))
    assert best_candidate(changes, "wick.low")[:2] == ("water", 0.97)
    (change,) = (item for item in changes if item.old and item.old.name == "low")
    assert [text.split(",")[0] for text in change.candidates[0].evidence[:2]] == ["release-1", "release-2"]


def test_a_class_that_moved_to_another_module_is_the_same_for_what_is_said_of_its_members(tree: Tree) -> None:
    said = (
        '        """Dims it.\n\n        .. deprecated:: 1.6\n           Use ``shade(by=power)`` instead.\n        """\n'
    )
    old = "class Lamp:\n    def dim(self, level):\n        return self.power - level\n"
    shade = "    def shade(self, by=1):\n        return compute(self, by)\n"
    between = f"class Lamp:\n    def dim(self, power):\n{said}        return self.power\n{shade}"
    files = {
        "old": {"lamp.py": old},
        "between": {"lamps/core.py": between},
        "new": {"lamps/core.py": f"class Lamp:\n{shade}"},
    }
    folders = {name: tree(name, listed) for name, listed in files.items()}
    places = ReleasePlaces(folders["old"], folders["new"], (("between", folders["between"]),))
    (change,) = (item for item in compare_releases(places, "", Work()) if item.kind == "renamed")
    assert (change.candidates[0].symbol.name, change.candidates[0].call) == ("shade", "$it.shade(by=$level)")
    # Where two classes have that name, nothing tells which one it is.
    tree("between", {"lamps/other.py": between})
    changes = compare_releases(
        ReleasePlaces(folders["old"], folders["new"], (("again", folders["between"]),)), "", Work()
    )
    assert not any(candidate.call for item in changes for candidate in item.candidates)


def test_a_replacement_that_the_new_release_does_not_have_is_no_answer(tree: Tree) -> None:
    changes = _changes(tree, _OLD, _WITH_WARNING, "def pier():\n    return 1\n")
    assert [(item.kind, item.candidates) for item in changes if item.old and item.old.name == "low"] == [
        ("removed", ())
    ]


def test_what_the_two_releases_state_themselves_comes_first(tree: Tree) -> None:
    old = _OLD.replace("(day):\n", '(day):\n    """.. deprecated:: 1.4\n       Use `pier_level` instead.\n    """\n', 1)
    new = _NEW + "\ndef pier_level(day):\n    return pier() + day.tide()\n"
    assert best_candidate(_changes(tree, old, _WITH_WARNING, new), "wick.low")[0] == "pier_level"


def test_a_comparison_is_made_again_when_a_release_between_changes(tree: Tree) -> None:
    _changes(tree, _OLD, _OLD, _NEW)
    assert best_candidate(_changes(tree, _OLD, _WITH_WARNING, _NEW), "wick.low")[0] == "ebb_level"


@pytest.mark.parametrize(
    ("known", "old", "new", "read"),
    [
        ("1.0 1.1 1.2 2.0 2.1 3.0", "1.0", "3.0", "1.2 2.1"),
        ("1.0 1.1 1.1.1 1.2 1.2.5 1.3", "1.0", "1.3", "1.1.1 1.2.5"),
        ("1.0 1.1rc1 1.1", "1.0", "1.1", ""),
        ("1.0 1.1 2.0rc1 2.0", "1.0", "2.0", "1.1"),
        ("1 2 3 4 5 6", "1", "6", "3 4 5"),
        ("1.0", "1.0", "2.0", ""),
    ],
)
def test_the_last_release_of_each_series_is_read(known: str, old: str, new: str, read: str) -> None:
    numbers = [parse_release(text) for text in known.split()]
    found = releases_to_read(numbers, parse_release(old), parse_release(new))
    assert [item.text for item in found] == read.split()


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 3)), max_size=9), st.integers(0, 3), st.integers(0, 3))
def test_releases_to_read_are_few_between_the_two_and_in_order(
    numbers: list[tuple[int, int]], old: int, new: int
) -> None:
    known = [parse_release(f"{a}.{b}") for a, b in numbers]
    low, high = parse_release(f"{old}.0"), parse_release(f"{new}.2")
    found = releases_to_read(known, low, high)
    assert len(found) <= 3 and list(found) == sorted(set(found))
    assert all(item in known and low < item < high for item in found)
    inside = [item for item in known if low < item < high]
    assert bool(found) == bool(inside) and (not inside or max(inside) in found)


def test_a_crossing_reads_what_the_releases_between_on_its_shelf_state(tree: Tree) -> None:
    wick = make_silent_wick(tree, _OLD, _NEW, "import wick\n\nwick.low(1)\n")
    crossing = cross_wick(wick)

    def followed() -> tuple[str, float]:
        changes = engine_drift(scan_crossing(crossing, Work()), "1.4", "2.0", Work())
        return best_candidate(changes, "wick.low")[:2]

    assert followed()[1] < 0.6
    (wick.shelf / "wick/1.6").mkdir()
    (wick.shelf / "wick/1.6/wick.py").write_text(_WITH_WARNING)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text() + '\n[[engine]]\nid = "wick"\nversion = "1.6"\nfolder = "wick/1.6"\n')
    assert followed() == ("ebb_level", 0.97)
