"""What is weighed once for many pairs is what the signals of each pair alone say, in one world after another."""

from __future__ import annotations

from pathlib import Path

import pytest

from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import compare
from fernshale.core.drift.pair_weights import PairWeigher
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.drift.signal_weights import fitted_weights
from fernshale.core.drift.similarity import World, find_signals
from fernshale.sample import unpack
from tests.conftest import Tree

_OLD = {
    "boats.hpp": (
        "namespace sea {\nenum BoatKind { BOAT_KIND_OAR, BOAT_KIND_SAIL = 4 };\nfloat hull_area(const Boat& boat, int depth);\n"
        "/// Counts the boats that lie at a pier at night.\nint count_boats(const Pier& pier, int hour = 3);\n"
        "class Mast : public Pole { public: int height() const; void set_rope(Rope* rope); float lean; };\n"
        "class Oar { public: int height() const; void set_rope(Rope* rope); };\n}\n"
    ),
    "light.py": "def lit(room, hour):\n    lamps = room.lamps\n    return [lamp.burn(hour) for lamp in lamps if lamp.is_whole]\n",
}
_NEW = {
    "boats.hpp": (
        "namespace sea {\nenum class BoatKind { OAR, SAIL = 4 };\nclass Boat { public: float hull_area(int depth) const; };\n"
        "/// Counts the boats that lie at a pier at night.\nint boats_at(const Pier& pier, int hour = 3);\n"
        "class Spar : public Pole { public: int height_of() const; void put_rope(Rope* rope); double lean; };\n"
        "class Oar { public: int length() const; void put_rope(Rope* rope); };\n}\n"
    ),
    "lamps.py": "def burning(room, hour):\n    lamps = room.lamps\n    return [lamp.burn(hour) for lamp in lamps if lamp.is_whole]\n",
}


def _checked(monkeypatch: pytest.MonkeyPatch, old: Path, new: Path) -> int:
    """Compare two releases, and check every pair in every world; the number of pairs."""
    table, pairs = fitted_weights(), 0

    class Checked(PairWeigher):
        def begin(self, world: World) -> None:
            super().begin(world)
            nonlocal pairs
            for _ in range(2):  # the second time from what was kept
                for row, number, odds in zip(
                    *self.weigh([range(len(self.new.traits))] * len(self.old.traits)), strict=True
                ):
                    signals = find_signals(self.old.traits[row], self.new.traits[number], world)
                    alone = table.prior + sum(table.weights[item.name] * item.value for item in signals)
                    assert odds == pytest.approx(alone, abs=1e-9)
                    said = [(table.weights[item.name] * item.value, item.words) for item in signals if item.words]
                    said = sorted((item for item in said if item[0] > 0.25), key=lambda item: -item[0])
                    assert self.words(row, number) == tuple(words for _, words in said)
                    pairs += 1

    monkeypatch.setattr("fernshale.core.drift.matching.PairWeigher", Checked)
    compare(read_pair(old, new, "", Work()), CancelToken())
    return pairs


def test_every_pair_is_weighed_as_its_signals_say(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    assert _checked(monkeypatch, tree("old", _OLD), tree("new", _NEW)) > 200
    swapped = {path: text.replace("lean", "tilt") for path, text in _OLD.items()}
    assert _checked(monkeypatch, tree("one", _NEW), tree("other", swapped)) > 200


def test_so_it_is_in_whole_releases(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    releases = unpack(tmp_path / "sample").shelf / "merelith"
    assert _checked(monkeypatch, releases / "2.6.3", releases / "3.1.0") > 1000
