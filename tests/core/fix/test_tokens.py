"""Tokens of source text: what is a name, and that looking for one name alone finds the same places."""

from __future__ import annotations

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.fix.tokens import name_starts, tokenize

# What may begin or end a string, a comment or a number, next to the name that is looked for.
_PIECES = (
    "tide", "tide2", "low_tide", "R", "u8", "f", "x", "1", "0x1F", "1'000", "0b1'0", "2.", "2.5", "1e5", ".", "'", '"',
    '"""', "'''", "R\"(", ")\"", "\\", "\\\"", "//", "/*", "*/", "/", "*", "#", "--", "--[[", "[[", "]]", "[=[", "]=]",
    "->", "::", "=", "(", ")", " ", "\n", "é", "'a'", '"tide"',
)  # fmt: skip


@given(st.lists(st.sampled_from(_PIECES), max_size=24).map("".join), st.sampled_from(["a.cpp", "a.py", "a.lua"]))
@example("2.f", "a.cpp")
@example("x2.f + f", "a.py")
def test_looking_for_one_name_finds_its_tokens(text: str, path: str) -> None:
    for name in ("tide", "f", "R", "é"):
        tokens = [token.start for token in tokenize(text, path) if token.kind == "name" and token.text == name]
        assert list(name_starts(text, path, name)) == tokens


@pytest.mark.parametrize(
    ("code", "names"),
    [
        ("self.0.next_tide()", ["self", "next_tide"]),
        ("1.max(two)", ["max", "two"]),
        ("a(1., 2.f, 3.e5, 1.5f, 0..n)", ["a", "n"]),
        ("x = 1'000'000 + tide;", ["x", "tide"]),
    ],
)
def test_a_number_ends_before_a_member(code: str, names: list[str]) -> None:
    assert [token.text for token in tokenize(code, "a.rs") if token.kind == "name"] == names


def test_what_is_no_name_is_nowhere() -> None:
    assert not list(name_starts("a::b a.b", "a.cpp", "a::b"))
