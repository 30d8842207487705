"""The quick readers find what the patient ones find, at the same places."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.data.json_tree import read_json
from fernshale.core.data.json_values import json_values
from fernshale.core.data.paths import walk
from fernshale.core.data.tree import NotKeyed
from fernshale.core.data.xml_tree import read_xml_tree
from fernshale.core.data.xml_values import xml_values

_WORDS = st.text('ab"\\/{}[],:é\n #*', max_size=6)
_VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False, allow_infinity=False) | _WORDS,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(_WORDS, inner, max_size=4),
    max_leaves=25,
)


@given(_VALUES, st.sampled_from([None, 0, 2]), st.booleans())
def test_ways_and_places_are_those_of_the_tree(value: object, indent: int | None, plain: bool) -> None:
    text = json.dumps(value, indent=indent, ensure_ascii=plain)
    expected = [(data_path, node.span) for data_path, node in walk(read_json(text)) if node.kind == "value"]
    assert list(json_values(text)) == expected


def test_comments_and_commas_too_many_are_read_and_broken_files_say_where() -> None:
    text = '{"a": 1, // one\n "b": ["x", ],\n}'
    assert [(data_path, text[slice(*span)]) for data_path, span in json_values(text)] == [
        (("a",), "1"),
        (("b", "0"), '"x"'),
    ]
    with pytest.raises(NotKeyed, match="line 2"):
        list(json_values('{"a": 1,\n "b": }'))


_TEXTS = st.sampled_from(["", " ", "x", "\n y z\n", "&lt;&amp;", "<!-- c -->", "<?p i?>"])


@st.composite
def _elements(draw: st.DrawFn, depth: int = 0) -> str:
    name = draw(st.sampled_from(["a", "b", "part"]))
    names = draw(st.lists(st.sampled_from(["id", "ref", "x"]), unique=True, max_size=3))
    attributes = "".join(
        f" {key} = {mark}{draw(st.sampled_from(['', '1', ' 2 ', '&amp;>']))}{mark}" for key in names for mark in "'"
    )
    if draw(st.booleans()):
        return f"<{name}{attributes}/>"
    inner = draw(_TEXTS)
    for _ in range(draw(st.integers(0, 3 - depth))):
        inner += draw(_elements(depth + 1)) + draw(_TEXTS)
    return f"<{name}{attributes}>{inner}</{name}>"


@given(_elements(), st.sampled_from(["", '<?xml version="1.0"?>\n', "<!-- first -->"]))
def test_values_of_xml_are_those_of_the_tree(element: str, head: str) -> None:
    text = head + element
    expected = [(data_path, node.span) for data_path, node in walk(read_xml_tree(text)) if node.kind == "value"]
    assert list(xml_values(text)) == expected


def test_what_the_tree_refuses_is_refused() -> None:
    for text in ("<a><![CDATA[x]]></a>", "<a><b></a>", "<!DOCTYPE a><a/>"):
        with pytest.raises(NotKeyed):
            list(xml_values(text))
