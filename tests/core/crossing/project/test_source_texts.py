"""How often a function is declared in a project's texts, without splitting all of them into tokens."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.project.source_texts import Texts, _declarations

_PARTS = (
    "glow",
    "(",
    ")",
    "(int a)",
    " ",
    "\n",
    ".",
    "->",
    "::",
    "int",
    "function",
    "lamp",
    "{}",
    ";",
    ":",
    "=",
    "new",
)
_PATHS = ("a.cpp", "a.java", "a.lua", "a.ts", "a.py")


@given(st.lists(st.sampled_from(("glow", "glow(", *_PARTS)), max_size=25).map("".join), st.sampled_from(_PATHS))
def test_texts_that_are_skipped_declare_nothing(text: str, path: str) -> None:
    texts = Texts({TreePath(path): text})
    assert texts.declared("glow") == _declarations("glow", path, text)
