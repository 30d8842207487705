"""Each filter of the search for fixes refuses what it is for, gives its reason, and lets everything else pass."""

from __future__ import annotations

import pytest

from fernshale.core.build.causes import Cause
from fernshale.core.build.diagnostics import Diagnostic, SourcePlace
from fernshale.core.build.message_patterns import (
    CALL,
    CONVERSION,
    EMPTY,
    HEADER,
    IMPLEMENT,
    INCOMPLETE,
    MEMBER,
    NAME,
    PRIVATE,
    SYNTAX,
)
from fernshale.core.build.owners import Owned
from fernshale.core.crossing.stages.build.explanation import explain_nothing
from fernshale.core.crossing.stages.build.rule_filters import FILTERS, Case, find_refusal, names_symbol
from fernshale.core.crossing.stages.build.view import BuildView, CauseView, RefusedRule
from fernshale.core.fix.rules import (
    AddMemberRule,
    GetterRule,
    HeaderRule,
    ImportRule,
    KeywordRule,
    MoveRule,
    RenameRule,
    RewriteRule,
    Rule,
)

_RENAME = RenameRule("r", "it was renamed", old="light_up", new="ignite")


def _cause(kind: str, symbol: str, message: str = "no member light_up") -> Cause:
    place = SourcePlace("game.cpp", 3, 1)
    error = Owned(Diagnostic(place, "error", "", message, "cc"), "own", place)
    return Cause(f"{kind} {symbol}", kind, message, symbol, "", "own", (error,))


_CASES = {
    "silent": (RenameRule("r", "w", old="a", new="b", silent=True), _cause(NAME, "a"), "do not report"),
    "message": (RenameRule("r", "w", old="a", new="b", diagnostic="gone"), _cause(NAME, "a"), "another message"),
    "no call": (KeywordRule("r", "w", call="f", old="a", new="b"), _cause(NAME, "a"), "no error about a call"),
    "still there": (RewriteRule("r", "w", pattern="f();"), _cause(CALL, "f"), "still exists"),
    "import": (ImportRule("r", "w", old="Path", text="import x"), _cause(NAME, "Lamp"), "another name"),
    "member": (AddMemberRule("r", "w", base="B", member="draw", text="x"), _cause(NAME, "draw"), "member draw"),
    "private": (_RENAME, _cause(PRIVATE, "boats"), "must not be used"),
    "named": (RenameRule("r", "w", old="a", new="b", named=True), _cause(MEMBER, "c"), "is reported"),
    "announced": (MoveRule("r", "w", old="Pier::Kind", new="Pole::Kind"), _cause(INCOMPLETE, "Pier"), "than the type"),
    "unparsed": (RenameRule("r", "w", old="a", new="b", of="Pier"), _cause(SYNTAX, ""), "code parses without it"),
    "value": (GetterRule("r", "w", old="boats", new="boats"), _cause(EMPTY, "pier"), "about a value"),
}


@pytest.mark.parametrize("name", _CASES)
def test_each_filter_gives_its_reason(name: str) -> None:
    rule, cause, words = _CASES[name]
    assert words in find_refusal(Case(rule, cause, ()))


def test_every_filter_has_a_case_and_passes_a_plain_rename() -> None:
    refused_by = [next(f for f in FILTERS if f(Case(rule, cause, ()))) for rule, cause, _ in _CASES.values()]
    assert refused_by == list(FILTERS)
    assert find_refusal(Case(_RENAME, _cause(MEMBER, "light_up"), ())) == ""
    wanted = AddMemberRule("r", "w", base="B", member="draw", text="x", silent=True)
    assert find_refusal(Case(wanted, _cause(IMPLEMENT, "draw"), ())) == ""  # the very member that is missing


@pytest.mark.parametrize(
    ("rule", "symbol", "expected"),
    [
        (_RENAME, "light_up", True),
        (_RENAME, "light", False),
        (MoveRule("r", "w", old="wick.glow.Lamp", new="wick.Lamp"), "wick.glow", True),
        (HeaderRule("r", "w", old="fold.hpp", new="map/fold.hpp"), "old/fold.hpp", True),
        (RewriteRule("r", "w", pattern="draw($a, $b)", replacement="draw($b, $a)"), "draw", True),
    ],
)
def test_a_rule_names_what_it_changes(rule: Rule, symbol: str, expected: bool) -> None:
    assert names_symbol(rule, symbol) is expected


def test_why_no_fix_was_found_is_said_in_sentences() -> None:
    view = BuildView((), (), (), (), (), is_stale=False, passed=False, items=())
    refused = (RefusedRule(_RENAME, "matches at none of the reported places"),)
    cause = CauseView(_cause(MEMBER, "light_up"), (), 1, "new", refused=refused)
    assert explain_nothing(cause, view) == (f"The rule “{_RENAME.name}” matches at none of the reported places.",)
    unknown = CauseView(_cause(HEADER, "sea.hpp"), (), 1, "new")
    assert "is about sea.hpp" in explain_nothing(unknown, view)[0]
    assert "names no symbol" in explain_nothing(CauseView(_cause(NAME, ""), (), 1, "new"), view)[0]


def test_a_rule_that_makes_the_wanted_type_is_about_an_error_that_wants_it() -> None:
    rule = RewriteRule("r", "w", pattern="$canvas.box_at($point)", replacement="$canvas.box_at(w::Spot($point))")
    assert Case(rule, _cause(CONVERSION, "w::Spot"), ()).names_symbol
    assert not Case(rule, _cause(CONVERSION, "w::Point"), ()).names_symbol
    # A metavariable is any expression, so its name is no symbol.
    assert not Case(rule, _cause(NAME, "canvas"), ()).names_symbol
    assert not Case(rule, _cause(CONVERSION, "canvas"), ()).names_symbol
