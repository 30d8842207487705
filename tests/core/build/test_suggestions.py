"""What tools suggest in the place of what they do not find, and what becomes of it."""

from __future__ import annotations

from pathlib import Path

import pytest

from fernshale.core.build.causes import Cause, find_causes
from fernshale.core.build.owners import Owned
from fernshale.core.build.reading import read_diagnostics
from fernshale.core.build.suggestions import hints_of
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.crossing.stages.build.compiler_suggestions import with_hints
from fernshale.core.fix.rule_file import RuleSet
from fernshale.core.fix.rules import RenameRule, ReorderRule, Rule
from tests.conftest import Tree


def _cause(*lines: str) -> Cause:
    (cause,) = find_causes([Owned(item, "own", item.place) for item in read_diagnostics(lines, ())])
    return cause


@pytest.mark.parametrize(
    ("lines", "names"),
    [
        (
            ['a.py:1:2: error: "Pier" has no attribute "boatcount"; maybe "boat_count"?  [attr-defined]'],
            ("boat_count",),
        ),
        (
            ['a.py:1:2: error: Module "wick" has no attribute "Ship"; maybe "Skip" or "Shop"?  [attr-defined]'],
            ("Skip", "Shop"),
        ),
        (["a.cpp:1:2: error: ‘m::Pier’ has no member named ‘moor’; did you mean ‘moors’?"], ("moors",)),
        (["a.cpp:1:2: error: ‘moor’ was not declared in this scope; did you mean ‘m::moors’?"], ("moors",)),
        (["a.ts(1,2): error TS2551: Property 'moor' does not exist on type 'Pier'. Did you mean 'moors'?"], ("moors",)),
        (["a.cpp:1:2: error: ‘moor’ was not declared in this scope"], ()),
        # A hidden field, named only to say what gives it.
        (
            [
                "a.cpp:1:2: error: ‘class P’ has no member named ‘at’; did you mean ‘int P::at_’? (accessible via ‘int P::getAt() const’)"
            ],
            (),
        ),
        # Of several reports of one thing, what those that suggest something have in common.
        (
            [
                'a.py:1:2: error: "Pier" has no attribute "boatcount"',
                'a.py:3:2: error: "Pier" has no attribute "boatcount"; maybe "boat_count" or "count"?',
                'a.py:4:2: error: "Pier" has no attribute "boatcount"; maybe "boat_count"?',
            ],
            ("boat_count",),
        ),
    ],
)
def test_suggestions_are_read(lines: list[str], names: tuple[str, ...]) -> None:
    assert hints_of(_cause(*lines)) == names


def _rules(*rules: Rule) -> LegRules:
    return LegRules((RuleSet("comparing", rules, Path()),))


def test_a_guess_that_the_tool_shares_is_surer() -> None:
    cause = _cause('a.py:1:2: error: "Pier" has no attribute "boatcount"; maybe "boat_count"?')
    guess = RenameRule("g", "alike", old="boatcount", new="boat_count", confidence=0.8)
    other = RenameRule("o", "alike", old="boatcount", new="total", confidence=0.3)
    surer, same = with_hints(_rules(guess, other), [cause], None).all
    assert 0.9 < surer.confidence < 1 and "suggests boat_count" in surer.why
    assert same == other


def test_a_suggested_name_is_no_surer_where_the_arguments_change_as_well() -> None:
    cause = _cause('a.py:1:2: error: Module has no attribute "draw_lrtb"; maybe "draw_lrbt"?')
    name = RenameRule("g", "alike", old="draw_lrtb", new="draw_lrbt", confidence=0.5)
    whole = ReorderRule("o", "alike", call="draw_lrtb", new="draw_lrbt", order=(1, 2, 4, 3), confidence=0.9)
    assert with_hints(_rules(name, whole), [cause], None).all == (name, whole)


def test_a_suggestion_by_itself_is_proposed_as_what_it_is() -> None:
    spelling = _cause('a.py:1:2: error: "Pier" has no attribute "boatcount"; maybe "boat_count"?')
    (rule,) = with_hints(_rules(), [spelling], None).all
    assert (rule.kind, rule.old, rule.new, rule.named) == ("rename", "boatcount", "boat_count", True)
    assert 0.5 < rule.confidence < 0.9
    several = with_hints(
        _rules(), [_cause('a.py:1:2: error: Module "wick" has no attribute "Ship"; maybe "Skip" or "Shop"?')], None
    )
    assert [rule.confidence < 0.5 for rule in several.all] == [True, True]


@pytest.mark.parametrize(
    "lines",
    [
        ["a.cpp:1:2: error: ‘class P’ has no member named ‘at’; did you mean ‘int P::at_’? (accessible via ‘int P::getAt() const’)"],
        [
            "a.cpp:1:2: error: ‘int P::at’ is private within this context",
            "a.cpp:1:2: note: field ‘int P::at’ can be accessed via ‘const int& m::P::getAt() const’",
        ],
    ],
)  # fmt: skip
def test_a_function_that_the_compiler_names_for_a_hidden_field_is_proposed(lines: list[str]) -> None:
    (rule,) = with_hints(_rules(), [_cause(*lines)], None).all
    assert (rule.kind, rule.symbols, rule.new_name) == ("getter", ("at",), "getAt")


def test_a_suggestion_for_an_argument_is_one_for_the_call() -> None:
    cause = _cause(
        'a.py:1:2: error: Unexpected keyword argument "dat" for overloaded function "moor" of "Pier"; did you mean "day"?'
    )
    (rule,) = with_hints(_rules(), [cause], None).all
    assert (rule.kind, rule.call, rule.old, rule.new) == ("keyword", "moor", "dat", "day")


def test_the_same_name_elsewhere_is_a_move() -> None:
    cause = _cause("a.cpp:1:2: error: ‘empty’ is not a member of ‘m’; did you mean ‘std::empty’?")
    (rule,) = with_hints(_rules(), [cause], None).all
    assert (rule.kind, rule.old, rule.new, rule.named) == ("move", "m::empty", "std::empty", True)


def test_a_suggestion_of_another_kind_than_what_is_called_is_no_proposal(tree: Tree) -> None:
    release = tree("release", {"reed.h": "#define REED_OK 0\n#define REED_QUOTE(x) (x)\nint reed_rawlen(int a);\n"})

    def proposed(suggested: str) -> list[str]:
        said = f"a.c:1:2: warning: implicit declaration of function ‘REED_QL’; did you mean ‘{suggested}’?"
        return [rule.new for rule in with_hints(_rules(), [_cause(said.replace("warning", "error"))], release).all]

    assert proposed("REED_OK") == []
    assert proposed("REED_QUOTE") == ["REED_QUOTE"] and proposed("reed_rawlen") == ["reed_rawlen"]
    # A name that the release does not declare, such as one of the project, is judged by nothing.
    assert proposed("own_name") == ["own_name"]
