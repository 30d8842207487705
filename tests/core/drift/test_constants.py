"""What counts as another value, and which default a question is about."""

from __future__ import annotations

import pytest

from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.stages.build.items import pinning_rule
from fernshale.core.drift.comparison import ApiChange, compare
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.drift.value_equality import Constants, is_same_value
from tests.conftest import Tree

_CONSTANTS = "#define RATE 44100\nstatic const int LIMIT = 12;\nRATIO = 0.5\nexport const NAME = 'x';\nA = 1\nA = 2\nONE: int = TWO\nTWO = 3\nSHADE = Shade(9, 8)\nSHADE = SHADE\nDEEP = (3, 4)\n"


@pytest.mark.parametrize(
    ("one", "other", "is_same"),
    [
        ("1", "1.0", True), ("1", "1.0f", True), ("10u", "10", True), ("0x10", "16", True), ("1'000", "1000", True),
        ("1_000", "1000", True), (".5", "0.5", True), ("'a'", '"a"', True), ("!0", "true", True), ("!1", "false", True),
        ("True", "true", True), ("NULL", "nullptr", True), ("RATE", "44100", True), ("44100.0", "w::RATE", True),
        ("ONE", "3", True), ("RATE", "RATE", True), ("...", "4", True), ("4", "?", True), ("f( 1 )", "f(1)", True),
        ("1", "2", False), ("'a'", "'b'", False), ("true", "false", False), ("RATE", "44101", False), ("A", "1", False),
        ("RATE", "LIMIT", False), ("UNKNOWN", "1", False), ("1", "true", False), ("[1]", "[1, 2]", False), ("-1", "1", False),
        ("(0, 0, 255)", "Color(0, 0, 255)", True), ("(9, 8)", "SHADE", True), ("DEEP", "w.Shade(3, 4.0)", True),
        ("{0, 1.0f}", "Point{0, 1}", True), ("sea::Point(0, 1)", "Point{0, 1}", True), ("('a', 1)", '("a", 1.0)', True),
        ("(0, 0)", "Color(0, 0, 255)", False), ("Color(0, 1)", "Point(0, 1)", False), ("(n, 1)", "Point(n, 1)", False),
        ("(1.0 / 3, 2)", "Vec(1.0 / 3, 2)", True), ("3", "int(3)", False), ("(9, 8)", "DEEP", False), ("f(g(1), 2)", "(1, 2)", False), ("()", "Point()", False),
    ],
)  # fmt: skip
def test_texts_of_one_value(one: str, other: str, is_same: bool, tree: Tree) -> None:
    constants = Constants(tree("release", {"a.h": _CONSTANTS}), ["a.h"])
    assert is_same_value(one, other, constants, constants) is is_same
    assert is_same_value(other, one, constants, constants) is is_same


def _changes(tree: Tree, file: str, old: str, new: str) -> list[ApiChange]:
    folders = tree("old", {file: old}), tree("new", {file: new})
    pair = read_pair(*folders, "", Work())
    return [change for change in compare(pair, CancelToken()) if change.kind == "default"]


def test_each_question_pins_the_default_it_is_about(tree: Tree) -> None:
    old = "int lit(int room = 1, int hour = 2, bool warm = true);\n"
    changes = _changes(tree, "a.h", old, "int lit(int room = 7, int hour = 8, bool warm = true);\n")
    rules = [pinning_rule(change) for change in changes]
    assert [(rule.position, rule.text) for rule in rules if rule] == [(1, "1"), (2, "2")]
    assert all(rule and rule.text in change.what for rule, change in zip(rules, changes, strict=True))


def test_a_default_that_means_something_only_in_the_release_is_not_written_into_calls(tree: Tree) -> None:
    (change,) = _changes(
        tree, "a.py", "_WARM = 3\ndef lit(room, warm=_WARM): ...\n", "_WARM = 3\ndef lit(room, warm=9): ...\n"
    )
    assert pinning_rule(change) is None


def test_a_stub_without_values_asks_nothing(tree: Tree) -> None:
    assert not _changes(
        tree, "a.pyi", "def lit(room: int = 4) -> None: ...\n", "def lit(room: int = ...) -> None: ...\n"
    )
