"""Derived rules are derived once: kept with their comparison, and found again on disk by the next process."""

from __future__ import annotations

from pathlib import Path

import pytest

from fernshale.core.base.cache import Cache
from fernshale.core.base.data_folder import cache_folder
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.rules.sources import leg_rules
from fernshale.core.drift.comparison_cache import ReleasePlaces, compare_releases
from fernshale.core.inference import rule_cache
from fernshale.core.inference.from_api_diff import guess_rules
from fernshale.core.inference.rule_cache import derived_rules
from fernshale.sample import unpack
from tests.conftest import Tree
from tests.wick import cross_wick, make_silent_wick


def _sample_places(tmp_path: Path) -> ReleasePlaces:
    """Two releases of the sample's engine, which have a rule of nearly every kind between them."""
    shelf = unpack(tmp_path / "sample").shelf
    old, new = sorted(path for path in shelf.glob("*/*") if path.is_dir() and path.name in ("2.6.1", "3.1.0"))[:2]
    return ReleasePlaces(old, new)


def _refuse(*given: object, **more: object) -> None:
    pytest.fail("the rules were derived again")


def test_what_is_kept_is_what_would_be_derived(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    places, kept = _sample_places(tmp_path), Cache()
    changes = compare_releases(places, "", Work(), kept)
    wanted = guess_rules(changes, places.old, places.new, "t", frozenset())
    assert len(wanted.rules) > 20 and len({rule.kind for rule in wanted.rules}) > 5
    first = derived_rules(changes, places, "t", frozenset(), kept)
    assert first == wanted
    monkeypatch.setattr(rule_cache, "guess_rules", _refuse)
    assert derived_rules(changes, places, "t", frozenset(), kept) is first
    # As in another process: the comparison is another object, and nothing is in memory.
    again = compare_releases(places, "", Work(), Cache())
    assert derived_rules(again, places, "t", frozenset(), Cache()) == wanted
    assert derived_rules(again, places, "another title", frozenset(), Cache()).title == "another title"


def test_they_are_derived_again_when_something_they_depend_on_changed(
    tree: Tree, monkeypatch: pytest.MonkeyPatch
) -> None:
    places = ReleasePlaces(
        tree("old", {"w.py": "def glow(day):\n    return lamp.of(day)\n"}),
        tree("new", {"w.py": "def glow_up(day):\n    return lamp.of(day)\n"}),
    )
    kept = Cache()
    changes = compare_releases(places, "", Work(), kept)
    assert [rule.old for rule in derived_rules(changes, places, "t", frozenset(), kept).rules] == ["glow"]
    assert derived_rules(changes, places, "t", frozenset(("glow",)), kept).rules == ()
    (places.new / "w.py").write_text("def shine(day):\n    return lamp.of(day)\n")
    changed = compare_releases(places, "", Work(), kept)
    assert [rule.new for rule in derived_rules(changed, places, "t", frozenset(), kept).rules] == ["shine"]
    for path in (cache_folder() / "drift").glob("*.rules.json"):
        path.write_text("[{")  # half of it, after a kill
    assert [rule.new for rule in derived_rules(changed, places, "t", frozenset(), Cache()).rules] == ["shine"]
    monkeypatch.setattr(rule_cache, "code_digest", lambda *rooms: "other code")
    calls: list[bool] = []
    monkeypatch.setattr(rule_cache, "guess_rules", lambda *given: calls.append(True) or guess_rules(*given))
    derived_rules(changed, places, "t", frozenset(), Cache())
    assert calls == [True]


def test_a_second_look_at_a_crossing_derives_nothing(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    wick = make_silent_wick(tree, "def light_up(): pass\n", "def ignite(): pass\n", "import wick\n\nwick.light_up()\n")
    crossing = cross_wick(wick)
    scan = scan_crossing(crossing, Work())
    first = leg_rules(scan, crossing, Work())
    monkeypatch.setattr(rule_cache, "guess_rules", _refuse)
    assert leg_rules(scan, crossing, Work()) == first and first.all
