"""Patterns over tokens: found where they are, however few places are looked at."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.fix.code_patterns import _match_at, all_matches, parse_pattern
from fernshale.core.fix.tokens import tokenize

_PATTERNS = (
    "$it.draw($$args)", "$a->f($b)", "$a.b", "draw($a, $b)", "def f($$g)", "$a[$b]", "$a::b($$c);", "f(b).draw", "$a = $b;",
    "$$x.draw", "a.b($c).draw($$d)", "$a.f($$b).draw",
)  # fmt: skip
_WORDS = (
    "a",
    "b",
    "f",
    "draw",
    "(",
    ")",
    ",",
    ".",
    "->",
    "::",
    ";",
    "{",
    "}",
    "*",
    "=",
    "[",
    "]",
    "1",
    "'s'",
    "return",
    "def",
    "\n",
)


@pytest.mark.parametrize("has_pointers", [False, True])
@pytest.mark.parametrize("pattern", _PATTERNS)
@given(st.lists(st.sampled_from(_WORDS), max_size=30).map(" ".join))
def test_every_place_is_found(pattern: str, has_pointers: bool, text: str) -> None:
    parts, tokens = parse_pattern(pattern, has_pointers), tokenize(text, "a.cpp")
    every = (_match_at(parts, tokens, at) for at, token in enumerate(tokens) if parts[0].text in ("", token.text))
    assert list(all_matches(parts, tokens)) == [found for found in every if found is not None]


def test_an_operand_is_found_with_all_that_hangs_on_it() -> None:
    tokens = tokenize("x = (a + b).at[3].of(c, d)->draw(1, 2);", "a.cpp")
    (found,) = (
        item for item in all_matches(parse_pattern("$it->draw($$args)"), tokens) if tokens[item.first - 1].text == "="
    )
    assert [token.text for token in tokens[found.bound["it"][0] : found.bound["it"][1]]][-4:] == ["c", ",", "d", ")"]
    assert tokens[found.bound["it"][0]].text == "("
