"""Values are found with their exact span, and nothing else of the file changes."""

from __future__ import annotations

import json
import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.errors import FormatError
from fernshale.core.profile.model import Reach
from fernshale.core.survey.reach import find_values, line_of, replace_values

_CASES = [
    (Reach(json="/engine/release"), '{"a": [1], "engine": {"näme": "x", "release" : "2.6.1"}}', ["2.6.1"]),
    (Reach(json="/list/1/v"), '{"list": [{"v": "a"}, {"v": "b"}]}', ["b"]),
    (Reach(json="/a~1b"), '{"a/b": 3}', ["3"]),
    (Reach(json="/none"), '{"a": 1}', []),
    (Reach(toml="engine.release"), '# release = "no"\n[engine]\nrelease = "2.6.1" # yes\n', ["2.6.1"]),
    (Reach(toml="engine.release"), "engine = { release = '2.6.1' }\n", []),
    (Reach(toml="engine.release"), 'engine.release = "2"\n', ["2"]),
    (Reach(toml="plug.version"), '[[plug]]\nversion = "1"\n[[plug]]\nversion = "2"\n', ["1", "2"]),
    (Reach(ini="merelith.release"), "[a]\nrelease = 1\n[merelith]\nrelease = 2.6.1 ; tail\n", ["2.6.1"]),
    (Reach(ini="release"), "# release = 0\nrelease: 2.6.1\n", ["2.6.1"]),
    (Reach(pattern=r"(?m)^V=(?P<value>\S+)"), "V=1\nW=2\nV=3\n", ["1", "3"]),
]


@pytest.mark.parametrize(("reach", "text", "expected"), _CASES)
def test_values_are_found_where_the_reach_leads(reach: Reach, text: str, expected: list[str]) -> None:
    values = find_values(text, reach, "file")
    assert [value.text for value in values] == expected
    assert [text[value.start : value.end] for value in values] == expected


@given(
    st.text(max_size=20), st.text(max_size=20), st.dictionaries(st.text(max_size=6), st.text(max_size=6), max_size=4)
)
def test_only_the_value_changes_in_json(before: str, name: str, others: dict[str, str]) -> None:
    text = json.dumps({**others, "engine": {"release": "2.6.1"}, "title": before}, ensure_ascii=False, indent=2)
    values = find_values(text, Reach(json="/engine/release"), "f")
    changed = replace_values(text, [(value, "3.0.2") for value in values])
    assert json.loads(changed) == {**others, "engine": {"release": "3.0.2"}, "title": before}
    assert changed.replace('"release": "3.0.2"', '"release": "2.6.1"') == text


def test_comments_and_formatting_of_toml_stay() -> None:
    text = "# head\n[engine]   # e\nrelease   =   '2.6.1'   # r ü\n\n\n[other]\nrelease = \"2.6.1\"\n"
    value = find_values(text, Reach(toml="engine.release"), "f")[0]
    assert line_of(text, value) == 3
    changed = replace_values(text, [(value, "3.0.2")])
    assert changed == text.replace("'2.6.1'", "'3.0.2'")
    assert tomllib.loads(changed)["other"]["release"] == "2.6.1"


@pytest.mark.parametrize(
    ("reach", "text", "line"),
    [(Reach(json="/a"), '{\n "a": 1,\n}', "f:3"), (Reach(toml="a"), "a = 1\nb = = 2\n", "f:2")],
)
def test_broken_file_is_told_with_its_line(reach: Reach, text: str, line: str) -> None:
    with pytest.raises(FormatError, match=line):
        find_values(text, reach, "f")


def test_pattern_that_runs_away_is_stopped() -> None:
    with pytest.raises(FormatError, match="takes too long"):
        find_values("a" * 5000 + "!", Reach(pattern=r"(?P<value>(a|aa)+)$"), "f")
