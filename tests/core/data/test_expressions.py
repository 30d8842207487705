"""The small language of values, and what rewriting objects with it does."""

from __future__ import annotations

import json
import math
from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.data.expressions import BadExpression, parse_expression
from fernshale.core.data.fields import FieldValue, apply_changes, fields_of
from fernshale.core.data.formats import USUAL
from fernshale.core.data.objects import Rewrite, find_objects, rewrite_object
from fernshale.core.data.tree import NotKeyed

_SCOPE = {"angle": 30, "x": 1.5, "position.x": 4, "kind": "lamp", "locked": False, "glow-scale": 2, "@id": "a1"}


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("360 - angle", 330),
        ("2 + 3 * 4 - 6 / 2", 11),
        ("(2 + 3) * 4", 20),
        ("-angle % 360", 330),
        ("10 - 3 - 2", 5),
        ("7 / 2", 3.5),
        ("position.x + x", 5.5),
        ("`glow-scale` * 2", 4),
        ("@id", "a1"),
        ('kind + "-" + "new"', "lamp-new"),
        ('kind == "lamp" and not locked', True),
        ("has(angle) and not has(nothing)", True),
        ('if(angle > 20, "much", "little")', "much"),
        ("min(3, angle, 9) + abs(-2)", 5),
        ("round(x * 3, 1)", 4.5),
        ("round(x)", 2),
        ('number("12") + 1', 13),
        ('replace(kind, "a", "o")', "lomp"),
        ('before("a:b", ":") + after("a:b", ":")', "ab"),
        ("sin(90) + cos(0)", 2.0),
        ("nothing > 3", False),
        ("nothing == null", True),
        ('starts(kind, "la") or crash', True),
    ],
)
def test_what_expressions_come_to(text: str, value: object) -> None:
    assert parse_expression(text).value(_SCOPE) == value


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("360 -", "it ends where a value is expected"),
        ("360 ! 2", "what is '! 2'"),
        ("(1 + 2", "it ends where ) is expected"),
        ("if(1, 2)", "takes three values"),
        ("min()", "takes 1 to 9"),
        ("1 2", "'2' stands where an operator is expected"),
        ("__import__('os')", "stands where an operator is expected"),
        ("(" * 99 + "1" + ")" * 99, "nested too deep"),
        ("1 + " * 999 + "1", "too long"),
        ("1 + " * 99 + "1", "too many terms"),
        ("9" * 500, "500 digits"),
    ],
)
def test_what_cannot_be_read_says_where(text: str, said: str) -> None:
    with pytest.raises(BadExpression, match=r".*" + said.replace("(", r"\(").replace(")", r"\)").replace("!", r"\!")):
        parse_expression(text)


@pytest.mark.parametrize(
    "text", ["1 / (angle - 30)", "kind * 2", "nothing + 1", 'number("x")', "angle < kind", "sqrt(-1)"]
)
def test_what_has_no_value_is_an_error_and_no_crash(text: str) -> None:
    with pytest.raises(BadExpression):
        parse_expression(text).value(_SCOPE)


@given(
    st.recursive(
        st.integers(0, 99).map(str),
        lambda inner: st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        max_leaves=12,
    )
)
def test_arithmetic_is_that_of_python(text: str) -> None:
    assert parse_expression(text).value({}) == eval(text)
    assert parse_expression(text.replace("(", "").replace(")", "")).value({}) == eval(
        text.replace("(", "").replace(")", "")
    )


def _rewritten(text: str, rewrite: Rewrite, data_path: str, when: str = "", path: str = "a.json") -> str:
    document = USUAL.document(path, text)
    assert document is not None
    found = [rewrite_object(document, each, rewrite) for each in find_objects(document, data_path, when)]
    return apply_changes(text, [change for each in found if each for change in each.changes])


def test_an_angle_that_counts_the_other_way_moves_a_position_with_it() -> None:
    text = json.dumps({"lamps": [{"angle": 90, "x": 10.0, "arm": 4}, {"angle": 0, "x": 1.0, "arm": 0}]}, indent=2)
    rewrite = Rewrite({}, {"angle": "(360 - angle) % 360", "x": "x + 2 * arm * cos(angle - 90)"})
    lamps = json.loads(_rewritten(text, rewrite, "lamps/*", "angle != 0"))["lamps"]
    assert lamps[0]["angle"] == 270 and math.isclose(lamps[0]["x"], 18) and lamps[1] == {"angle": 0, "x": 1.0, "arm": 0}


def test_renamed_moved_split_and_dropped_in_one_go() -> None:
    text = '{\n  "pos": {"z": 9},\n  "planks": 12, // all of them\n  "size": "4x7",\n  "junk": [1, 2]\n}\n'
    rewrite = Rewrite(
        {"planks": "boards"},
        {"width": 'number(before(size, "x"))', "pos.depth": 'number(after(size, "x"))'},
        ("size", "junk"),
    )
    result = _rewritten(text, rewrite, "")
    assert "// all of them" in result
    assert json.loads(result.replace("// all of them", "")) == {"pos": {"z": 9, "depth": 7}, "boards": 12, "width": 4}


def test_a_key_moves_into_another_object() -> None:
    assert json.loads(_rewritten('{"x": 3, "position": {"y": 1}}', Rewrite({"x": "position.x"}, {}), "")) == {
        "position": {"y": 1, "x": 3}
    }


def test_elements_and_sections_too() -> None:
    xml = '<scene><lamp id="a" angle="30"/><lamp id="b"/></scene>'
    assert _rewritten(xml, Rewrite({"@angle": "@turn"}, {"@glow": '"amber"'}), "scene/lamp", "", "a.xml") == (
        '<scene><lamp id="a" turn="30" glow="amber"/><lamp id="b" glow="amber"/></scene>'
    )
    ini = "[tide]\nhours = 2\n\n[other]\nhours = 9\n"
    assert _rewritten(ini, Rewrite({"hours": "minutes"}, {"minutes": "hours * 60"}), "tide", "", "a.ini") == (
        "[tide]\nminutes = 120\n\n[other]\nhours = 9\n"
    )


def test_a_name_that_is_taken_is_refused() -> None:
    with pytest.raises(NotKeyed, match="line 1: a cannot become b, which is there already"):
        _rewritten('{"a": 1, "b": 2}', Rewrite({"a": "b"}, {}), "")


@given(st.lists(st.integers(-400, 400), min_size=1, max_size=6))
def test_the_reverse_undoes_it(angles: list[int]) -> None:
    text = json.dumps([{"angle": angle} for angle in angles], indent=1)
    turn = Rewrite({}, {"angle": "360 - angle"})
    assert _rewritten(_rewritten(text, turn, "*"), turn, "*") == text
    document = USUAL.document("a.json", _rewritten(text, turn, "*"))
    assert document is not None
    assert [fields_of(document, each.node)["angle"] for each in find_objects(document, "*")] == [
        360 - angle for angle in angles
    ]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("round(n, -1000000000)", "places"),
        ("round(n, 1000000000)", "places"),
        ("replace(" * 30 + "'aaaa'" + ",'a','aaaaaaaaaa')" * 30, "characters came out"),
        ("*".join(["9" * 300] * 5), "digits came out"),
        ("number(long)", "no number"),
        ("1e400 * 2", "no number"),
        ("n / 0", "cannot be computed"),
        ("wide * wide * wide * wide + 1", "digits came out"),
    ],
)
def test_whatever_comes_out_is_bounded(text: str, said: str) -> None:
    scope: dict[str, FieldValue] = {"n": 5, "long": "9" * 100_000, "wide": 10**350}
    with pytest.raises(BadExpression, match=said):
        parse_expression(text).value(scope)


@given(st.text(alphabet="()+-*/%<>=!,.0123456789abn`\"' notandrif", max_size=80))
def test_any_text_is_read_or_refused_in_words(text: str) -> None:
    with suppress(BadExpression):
        parse_expression(text).value({"a": "x", "b": 2, "n": True})


@pytest.mark.parametrize(
    ("path", "text", "lost"),
    [
        ("a.json", '{"a": 1, "size": "4x7", "b": 2}', ""),
        ("a.json", '{"a": 1, "size": [4, 7]}', '"size": [4, 7]'),
        ("a.json", '{"a": 1,\n  // as we want it\n  "size": 4}', "// as we want it"),
        ("a.json", '{"size": 4, // as we want it\n "a": 1}', "// as we want it"),
        ("a.toml", "a = 1\n# as we want it\nsize = 4\n", "# as we want it"),
        ("a.toml", "a = 1\nsize = 4\n", ""),
        ("a.yaml", "a: 1\nsize:\n  w: 4\n", "size:\n  w: 4"),
        ("a.yaml", "a: 1\nsize: 4  # as we want it\n", "# as we want it"),
        ("a.xml", '<a size="4"><b/></a>', ""),
    ],
)
def test_what_goes_with_a_dropped_field_is_told(path: str, text: str, lost: str) -> None:
    document = USUAL.document(path, text)
    assert document is not None
    name = "@size" if path.endswith("xml") else "size"
    data_path = "a" if path.endswith("xml") else ""
    done = rewrite_object(document, find_objects(document, data_path)[0], Rewrite({}, {}, (name,)))
    assert done is not None and "4" not in apply_changes(text, done.changes)
    assert done.lost == lost
