"""The fitted confidence keeps what docs/confidence.md promises, and the tool that fits it measures what it says."""

from __future__ import annotations

import re
import sys
import tomllib
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.work import Work
from fernshale.core.drift.release_symbols import read_release
from fernshale.core.drift.signal_weights import fitted_weights
from tests.conftest import Tree

_ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(_ROOT / "tools"))

from calibrate.fetch import list_libraries  # noqa: E402
from calibrate.fit import fit_calibration, fit_weights, read_anchors  # noqa: E402
from calibrate.measure import measure  # noqa: E402
from calibrate.report import reliability  # noqa: E402
from calibrate.shipped import Found, find_as_shipped  # noqa: E402
from calibrate.truths import find_facts, make_case, visible  # noqa: E402

_WEIGHTS = tomllib.loads((_ROOT / "fernshale/core/drift/weights.toml").read_text())


def test_nine_in_ten_are_right_from_a_confidence_of_nine_tenths_on() -> None:
    count, right = _WEIGHTS["reliability"][-1]
    assert count >= 60 and right >= 0.9 * count
    page = (_ROOT / "docs/confidence.md").read_text()
    row = re.search(r"\| 0\.9 to 1\.0 \|[^|]*\|[^|]*\|[^|]*\| (\d+) \| (\d+) \|", page)
    assert row is not None and (int(row[1]), int(row[2])) == (count, right)


def test_a_higher_score_is_never_less_probable() -> None:
    table = fitted_weights()
    chances = [table.probability_of(score / 1000) for score in range(1001)]
    assert chances == sorted(chances) and chances[0] == 0 and chances[-1] < 1
    assert set(table.weights) == set(read_anchors().weights)


def test_libraries_are_enough_and_of_several_languages() -> None:
    libraries = list_libraries()
    assert len(libraries) >= 12 and len({item.language for item in libraries}) >= 6
    assert all(len(item.releases) >= 2 for item in libraries)


_OLD = "".join(
    f"def {name}(boat, hour):\n    return harbour.{name}(boat).at(hour)\n\n\n" for name in ("moor", "cast_off", "load")
)
_LATER = '''
def moor(boat, hour):
    """Deprecated: use make_fast instead."""
    return make_fast(boat, hour)


def cast_off(boat, hour):
    return boat


def load(boat, hour):
    """Deprecated: the argument hour is ignored, use load_all instead."""
    return boat


def make_fast(boat, hour):
    return harbour.moor(boat).at(hour)


def load_all(boats):
    return boats
'''


def test_facts_are_what_a_release_states_of_a_whole_name(tree: Tree) -> None:
    folders = tree("old", {"wick.py": _OLD}), tree("new", {"wick.py": _LATER})
    releases = [visible(read_release(folder, "", Work())) for folder in folders]
    facts = find_facts(releases, folders[1])
    assert [(fact.old, fact.new) for fact in facts] == [(("wick", "moor"), ("wick", "make_fast"))]
    case = make_case(releases[0], releases[1], facts)
    # The old name is missing then, and nothing says where it went.
    assert ("wick", "moor") not in {item.path for item in case.new}
    assert not any(item.deprecated for item in (*case.old, *case.new))
    measured = measure("wick", "python", case, read_anchors())
    present, absent = measured.answers
    assert present.place == 1 and present.scores[0][1] and not present.is_absent
    assert absent.is_absent and not any(right for _, right in absent.scores)


def test_as_shipped_only_names_that_code_has_to_change_count(tree: Tree) -> None:
    later = _LATER + "\n\ndef cast(boat, hour):\n    return boat\n\n\ncast_off = cast\n"
    last = "\n".join(later.split("\n\n\n")[3:]).replace("cast_off = cast", "")
    folders = [tree(name, {"wick.py": text}) for name, text in (("old", _OLD), ("later", later), ("last", last))]
    releases = [visible(read_release(folder, "", Work())) for folder in folders]
    # The release that states it is compared, and the name is deprecated; an alias without a word is as good as before.
    assert find_as_shipped(folders[:2], releases[:2], find_facts(releases[:2], folders[1])) == (Found(True, 1, 1),)
    # Only a release between says it.
    facts = find_facts(releases, folders[-1])
    found = find_as_shipped(folders, releases, facts)
    assert len(found) == len(facts) > 0 and not any(item.is_stated for item in found)
    assert [item.place_with_between for item in found] == [1] * len(facts)


def test_a_fit_raises_what_distinguishes_the_right_ones(tree: Tree) -> None:
    folders = tree("old", {"wick.py": _OLD}), tree("new", {"wick.py": _LATER})
    releases = [visible(read_release(folder, "", Work())) for folder in folders]
    measured = measure("wick", "python", make_case(*releases, find_facts(releases, folders[1])), read_anchors())
    assert (
        fit_weights([measured], read_anchors()).weights["likeness of the code"]
        >= (read_anchors().weights["likeness of the code"])
    )


@given(st.lists(st.tuples(st.floats(0, 1), st.booleans(), st.floats(0.1, 1)), min_size=1, max_size=60))
def test_a_calibration_ascends_and_stays_a_probability(scored: list[tuple[float, bool, float]]) -> None:
    points = fit_calibration(scored)
    assert [score for score, _ in points] == sorted({score for score, _ in points})
    assert [chance for _, chance in points] == sorted(chance for _, chance in points)
    assert all(0 <= chance < 1 for _, chance in points)


def test_candidates_are_counted_by_decile() -> None:
    bins = reliability([(0.95, True), (0.9, False), (1.0, True), (0.05, False)])
    assert (bins[9].count, bins[9].right, bins[0].count) == (3, 2, 1)
    low, high = bins[9].interval
    assert low < 2 / 3 < high
