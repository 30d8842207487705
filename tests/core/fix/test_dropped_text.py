"""What is never automatic: a rule that drops text, and a name whose new function does not take the calls as they stand."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import find_edits
from fernshale.core.fix.call_acceptance import accepts, arguments_after
from fernshale.core.fix.dropped_text import dropped_by
from fernshale.core.fix.rules import RenameRule, RewriteRule, Rule, SwitchOffRule

_PATH = TreePath("a.cpp")


def _dropped(rule: Rule, text: str, *, is_declared: bool = False) -> str:
    edits = find_edits(rule, _PATH, text)
    assert edits
    return dropped_by(rule, edits, is_declared=is_declared)


def _rewrite(pattern: str, replacement: str) -> Rule:
    return RewriteRule("r", "w", pattern=pattern, replacement=replacement)


@pytest.mark.parametrize(
    ("pattern", "replacement", "text", "is_dropped", "is_dropped_by_release"),
    [
        ("f($a, $b)", "f($a)", "f(1, { .x = 2, .y = g() });", True, True),
        ("f($a, $b)", "f($a)", "f(1, 2);", True, False),  # a literal, and the release says so
        ("f($a, $b)", "f($a)", "f(1, -2);", True, False),
        ("f($a, $b)", "f($a)", "f(1, i++);", True, True),
        ("f($a, $b)", "f($a)", "f(1, quiet);", True, False),
        ("f($a, $b)", "f($a)", "f(1, next());", True, True),
        ("f($a, $b)", "g($a, 0)", "f(1, next());", True, True),  # as many words, and one of them is gone
        ("f($a, NULL)", "f($a)", "f(1, NULL);", True, False),
        ("$it.begin($$args);", "", "x.begin(1);", True, True),
        ("$it.begin($$args);", "", "x.begin();", True, True),
        ("f($$args)", "ns::f($$args)", "f(1, 2);", False, False),
        ("new Foo($$args)", "Foo::make($$args)", "new Foo(1, 2);", False, False),
        ("Foo $name($$args);", "auto $name = Foo::make($$args);", "Foo x(1);", False, False),
        ("$w.events().on($$args)", "hub().add($$args)", "world.events().on(1);", True, False),
        ("f($a, true)", "f($a, Mode::ON)", "f(1, true);", False, False),
        ("swap($a, $b)", "swap($b, $a, 1)", "swap(x, y);", False, False),
    ],
)
def test_dropped_text_is_seen(
    pattern: str, replacement: str, text: str, is_dropped: bool, is_dropped_by_release: bool
) -> None:
    rule = _rewrite(pattern, replacement)
    assert bool(_dropped(rule, text)) is is_dropped
    assert bool(_dropped(rule, text, is_declared=True)) is is_dropped_by_release


def test_switching_a_statement_off_drops_it() -> None:
    assert _dropped(SwitchOffRule("r", "w", pattern="begin($$args);"), "begin(1);\n", is_declared=True) == "begin(1);"


def test_names_in_place_of_names_drop_nothing() -> None:
    rule = RenameRule("r", "w", old="f", new="g")
    assert not _dropped(rule, "f(1);")


@pytest.mark.parametrize(
    ("signature", "given", "is_taken"),
    [
        ("a, b", ("", ""), True),
        ("a, b", ("",), False),
        ("a, b", ("", "", ""), False),
        ("a, b=", ("",), True),
        ("a, *rest", ("", "", ""), True),
        ("a, ~b=", ("", ""), False),
        ("a, ~b", ("", "b"), True),
        ("a, b", ("", "c"), False),
        ("a, **more", ("", "c"), True),
        ("a, b", ("", "a"), False),
        ("a, !b=", ("", ""), False),
        ("a, !b=", ("",), True),  # what is left out has no kind
        ("_, _", ("", ""), True),
        ("", (), True),
        ("", ("",), False),
        ("a, b", ("", "*"), False),
    ],
)
def test_what_a_signature_takes(signature: str, given: tuple[str, ...], is_taken: bool) -> None:
    assert accepts(signature, given) is is_taken


@pytest.mark.parametrize(
    ("call", "path", "given"),
    [
        ("f(1, x[2, 3], g(4, 5))", "a.cpp", ("", "", "")),
        ("f(room, hour=3, *rest)", "a.py", ("", "hour", "*")),
        ("f(room, hour: 3)", "a.cs", ("", "hour")),
        ("f(a == b)", "a.py", ("",)),
        ("f()", "a.cpp", ()),
        ("f = 1", "a.cpp", None),
        ("f", "a.cpp", None),
    ],
)
def test_how_arguments_are_given(call: str, path: str, given: tuple[str, ...] | None) -> None:
    assert arguments_after(call, path, 1) == given


@given(st.lists(st.sampled_from("abcd"), unique=True), st.integers(0, 5))
def test_a_function_takes_as_many_as_it_has(names: list[str], places: int) -> None:
    assert accepts(", ".join(names), [""] * places) is (places == len(names))
    assert accepts(", ".join(f"{name}=" for name in names), [""] * places) is (places <= len(names))
