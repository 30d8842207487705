"""Patterns are compiled when they are used, and are then what `re.compile` makes."""

from __future__ import annotations

import importlib
import pkgutil
import re
import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st

import fernshale.core
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.message_patterns import Wording


@given(st.text("ab1 \n", max_size=20))
def test_it_finds_what_a_compiled_one_finds(text: str) -> None:
    lazy, made = lazy_pattern(r"^(?P<word>[ab]+)", re.MULTILINE), re.compile(r"^(?P<word>[ab]+)", re.MULTILINE)
    assert [found.span() for found in lazy.finditer(text)] == [found.span() for found in made.finditer(text)]
    assert lazy.sub("x", text) == made.sub("x", text) and lazy.split(text) == made.split(text)
    assert (lazy.pattern, lazy.flags, lazy.groupindex["word"]) == (made.pattern, made.flags, 1)


def test_a_mistake_is_found_at_the_first_use() -> None:
    wrong = lazy_pattern("(")
    with pytest.raises(re.error):
        wrong.match("a")


def test_patterns_of_the_core_are_lazy_and_right() -> None:
    seen, early = 0, []
    for found in pkgutil.walk_packages(fernshale.core.__path__, "fernshale.core."):
        todo: list[object] = list(vars(importlib.import_module(found.name)).values())
        while todo:
            value = todo.pop()
            if isinstance(value, (tuple, list)):
                todo += value
            elif isinstance(value, dict) and value is not sys.modules:
                todo += [each for each in value.values() if not isinstance(each, dict)]
            elif isinstance(value, Wording):
                todo.append(value.pattern)
            elif isinstance(value, re.Pattern):
                early.append(f"{found.name}: {value.pattern!r}")
            elif type(value).__name__ == "_LazyPattern":
                assert value.pattern  # type: ignore[attr-defined]  # compiles it
                seen += 1
    assert not early, "make patterns at the head of a module with lazy_pattern"
    assert seen > 300
