"""Paths of use declarations in Rust, and one of them written as another."""

from __future__ import annotations

from collections import Counter

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.rules import MoveRule
from fernshale.core.fix.rust_imports import use_leaves
from fernshale.core.fix.tokens import tokenize

_PATH = TreePath("src/a.rs")
_NAME = st.sampled_from(("wick", "lamps", "Glow", "Shade"))


def _moved(text: str, old: str, new: str) -> str:
    return apply_edits(text, find_edits(MoveRule("r", "w", old=old, new=new), _PATH, text))


@pytest.mark.parametrize(
    ("text", "moved"),
    [
        ("use wick::Glow;\n", "use wick::lamps::Glow;\n"),
        ("use wick::{Arg, Glow, Wick};\n", "use wick::{Arg, lamps::Glow, Wick};\n"),
        ("use wick::{self, Glow as G};\n", "use wick::{self, lamps::Glow as G};\n"),
        ("use wick::{other::Glow, Shade};\n", "use wick::{other::Glow, Shade};\n"),
    ],
)
def test_a_path_that_keeps_its_beginning_stays_in_the_brackets(text: str, moved: str) -> None:
    assert _moved(text, "wick::Glow", "wick::lamps::Glow") == moved


@pytest.mark.parametrize(
    ("text", "moved"),
    [
        ("use wick::{Arg, lamps::{Glow, B}};\n", "use wick::{Arg, lamps::{B}};\nuse wick::Glow;\n"),
        ("    pub use wick::lamps::{A, Glow};\n", "    pub use wick::lamps::{A};\n    pub use wick::Glow;\n"),
        (
            "use wick::lamps::{\r\n    A,\r\n    Glow,\r\n};\r\n",
            "use wick::lamps::{\r\n    A,\r\n};\r\nuse wick::Glow;\r\n",
        ),
        ("use wick::lamps::{Glow};\n", "use wick::Glow;\n"),
        # Its name here is another one, which a declaration of its own would need as well.
        ("use wick::lamps::{A, Glow as G};\n", "use wick::lamps::{A, Glow as G};\n"),
    ],
)
def test_another_path_gets_a_declaration_of_its_own(text: str, moved: str) -> None:
    assert _moved(text, "wick::lamps::Glow", "wick::Glow") == moved


_TREE = st.recursive(
    st.lists(_NAME, min_size=1, max_size=3).map("::".join),
    lambda inner: st.tuples(_NAME, st.lists(inner, min_size=1, max_size=3)).map(
        lambda it: f"{it[0]}::{{{', '.join(it[1])}}}"
    ),
    max_leaves=6,
)


@given(st.lists(_TREE, min_size=1, max_size=3), st.sampled_from(("wick::Shade", "lamps::Glow", "wick::lamps::Glow")))
def test_all_other_paths_stay(trees: list[str], new: str) -> None:
    def paths(text: str) -> Counter[str]:
        return Counter("::".join(leaf.names) for leaf in use_leaves(tokenize(text, _PATH)))

    old = "wick::Glow"
    text = "".join(f"use {tree};\n" for tree in trees)
    # A path may have the crate's own name before it, which rules leave out.
    assume(not any(path != old and old in path for path in paths(text)))
    before, after = paths(text), paths(_moved(text, old, new))
    left = after[old]
    # Only a lone path inside nested brackets stays as it was.
    assert left <= before[old]
    expected = before - Counter({old: before[old] - left}) + Counter({new: before[old] - left})
    assert after == expected
