"""The quick reader of JSON finds what the patient one finds, at the same places."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.data.jsontext import read_json
from fernshale.core.data.jsonways import json_values
from fernshale.core.data.tree import NotKeyed
from fernshale.core.data.walk import walk

_WORDS = st.text('ab"\\/{}[],:é\n #*', max_size=6)
_VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False, allow_infinity=False) | _WORDS,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(_WORDS, inner, max_size=4),
    max_leaves=25,
)


@given(_VALUES, st.sampled_from([None, 0, 2]), st.booleans())
def test_ways_and_places_are_those_of_the_tree(value: object, indent: int | None, plain: bool) -> None:
    text = json.dumps(value, indent=indent, ensure_ascii=plain)
    expected = [(way, node.span) for way, node in walk(read_json(text)) if node.kind == "value"]
    assert list(json_values(text)) == expected


def test_comments_and_commas_too_many_are_read_and_broken_files_say_where() -> None:
    text = '{"a": 1, // one\n "b": ["x", ],\n}'
    assert [(way, text[slice(*span)]) for way, span in json_values(text)] == [(("a",), "1"), (("b", "0"), '"x"')]
    with pytest.raises(NotKeyed, match="line 2"):
        list(json_values('{"a": 1,\n "b": }'))
