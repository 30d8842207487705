"""Values are found with their exact span, and nothing else of the file changes."""

from __future__ import annotations

import json
import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.errors import FormatError
from fernshale.core.profile.model import Reach
from fernshale.core.survey.value_access import find_values, line_of, replace_values

_CASES = [
    (Reach(json="/engine/release"), '{"a": [1], "engine": {"näme": "x", "release" : "2.6.1"}}', ["2.6.1"]),
    (Reach(json="/list/1/v"), '{"list": [{"v": "a"}, {"v": "b"}]}', ["b"]),
    (Reach(json="/a~1b"), '{"a/b": 3}', ["3"]),
    (Reach(json="/none"), '{"a": 1}', []),
    (Reach(json="/a/b"), '// ü\n{"a": {"b": "1.2", /* " */ "c": "http://x", }, // end\n}', ["1.2"]),
    (Reach(json="/on"), '{"on": true}', ["true"]),
    (
        Reach(json="/dependencies[name=kiln]/version"),
        '{"dependencies": [{"name": "a", "version": "1"}, {"name": "kiln", "version": "4.2"}]}',
        ["4.2"],
    ),
    (Reach(json="/a[b=c]"), '{"a[b=c]": 1, "a": [{"b": "c"}]}', ["1"]),
    (Reach(json="/a/*/v"), '{"a": [{"v": "1"}, {"v": "2"}, {}]}', ["1", "2"]),
    (Reach(json="/engines"), '{"engines": ["4.1", "4.2"]}', ['["4.1", "4.2"]']),
    (
        Reach(toml="dependencies[name=kiln].version"),
        '[[dependencies]]\nname = "a"\nversion = "1"\n[[dependencies]]\nname = "kiln"\nversion = "4.2"\n',
        ["4.2"],
    ),
    (Reach(toml="deps.kiln.version"), 'deps.kiln = { version = "4.2", features = ["x", "y"] }\n', ["4.2"]),
    (Reach(toml='target."cfg(unix)".deps[1]'), '[target."cfg(unix)"]\ndeps = [ "a", # ü\n  "4.2" ]\n', ["4.2"]),
    (Reach(toml="workspace.on"), "[workspace]\non = false\n", ["false"]),
    (
        Reach(toml="a[id=x].b[id=y].v"),
        '[[a]]\nid = "x"\n[[a.b]]\nid = "z"\nv = "1"\n[[a.b]]\nid = "y"\nv = "2"\n',
        ["2"],
    ),
    (Reach(yaml="/a/engine"), "base: &base !kind\n  engine: &r 4.2\na:\n  <<: *base\n", ["4.2"]),
    (Reach(yaml="/a"), "%YAML 1.1\n--- !u!1 &7\na: !text '4.2'\n--- !u!2\nb: 1\n", ["4.2"]),
    (Reach(yaml="/list[name=kiln]/v"), "list:\n- name: kiln\n  v: 4.2\n- name: other\n  v: 1\n", ["4.2"]),
    (
        Reach(script="dependencies.implementation", part=r"^org\.kiln:api:(?P<value>.+)$"),
        'dependencies {\n  implementation("org.kiln:api:4.2")\n  implementation "x:y:1"\n}\n',
        ["4.2"],
    ),
    (Reach(json="/image", part=r"kiln:(?P<value>[\d.]+)"), '{"image": "ü/kiln:4.2-slim"}', ["4.2"]),
    (Reach(toml="engine.release"), '# release = "no"\n[engine]\nrelease = "2.6.1" # yes\n', ["2.6.1"]),
    (Reach(toml="engine.release"), "engine = { release = '2.6.1' }\n", ["2.6.1"]),
    (Reach(toml="engine.release"), 'engine.release = "2"\n', ["2"]),
    (Reach(toml="plug.version"), '[[plug]]\nversion = "1"\n[[plug]]\nversion = "2"\n', ["1", "2"]),
    (Reach(ini="merelith.release"), "[a]\nrelease = 1\n[merelith]\nrelease = 2.6.1 ; tail\n", ["2.6.1"]),
    (Reach(ini="release"), "# release = 0\nrelease: 2.6.1\n", ["2.6.1"]),
    (Reach(yaml="/engine/release"), "# c\nengine:\n  release: '2.6.1' # ü\n", ["2.6.1"]),
    (Reach(yaml="/engine/release"), 'engine: {release: 2.6.1, a: [1]}\n---\nengine: {release: "3"}\n', ["2.6.1", "3"]),
    (Reach(yaml="/a/1"), "a:\n- x\n- y\n", ["y"]),
    (Reach(yaml="/a"), "a: |\n  block\n", []),
    (
        Reach(xml="/p/engine/@release"),
        "<?xml version='1.0' encoding='latin-1'?><p><!-- ü --><engine release = '2.6.1'/></p>",
        ["2.6.1"],
    ),
    (Reach(xml="//e[@id='2']/v"), "<p><e id='1'><v>1</v></e><e id='2' note='a>b'>\n <v> 2.6.1 </v></e></p>", ["2.6.1"]),
    (Reach(xml="//x:v"), "<p xmlns:x='urn:x'><x:v x:a='1'>7</x:v></p>", ["7"]),
    (Reach(xml="//v"), "<p><v/><v><b/></v></p>", []),
    (
        Reach(properties="engine.release"),
        "# engine.release=0\nengine.release = 2.6.1\nother=engine.release\n",
        ["2.6.1"],
    ),
    (Reach(properties="b"), "a=one \\\nb=two\nb 3\n", ["3"]),
    (Reach(script="ext.release"), "// ext.release = '0'\next {\n  release = '2.6.1' /* ü */\n}\n", ["2.6.1"]),
    (Reach(script="ext.release"), 'ext.release = "2.6.1"\nrelease = "9"\n', ["2.6.1"]),
    (Reach(script="plugins.version"), "plugins {\n  id('mere') version '2.6.1'\n}\n", ["2.6.1"]),
    (Reach(script="a.b.c"), "a { b { x { c = 1 }; c(22) } }", ["22"]),
    (
        Reach(cmake="set ENGINE"),
        '# set(ENGINE 0)\nSET( ENGINE "2.6.1" CACHE STRING "engine")\nset(OTHER ENGINE)\n',
        ["2.6.1"],
    ),
    (Reach(cmake="find_package Mere"), "find_package(Mere 2.6.1 REQUIRED)\n#[[ find_package(Mere 1) ]]\n", ["2.6.1"]),
    (Reach(cmake="project VERSION"), "project(game\n  VERSION 1.4 # ours\n  LANGUAGES CXX)\n", ["1.4"]),
    (Reach(pattern=r"(?m)^V=(?P<value>\S+)"), "V=1\nW=2\nV=3\n", ["1", "3"]),
]


@pytest.mark.parametrize(("reach", "text", "expected"), _CASES)
def test_values_are_found_where_the_reach_leads(reach: Reach, text: str, expected: list[str]) -> None:
    values = find_values(text, reach, "file")
    assert [value.text for value in values] == expected
    assert [text[value.start : value.end] for value in values] == expected
    changed = replace_values(text, [(value, "9.8") for value in values])
    assert [value.text for value in find_values(changed, reach, "file")] == ["9.8"] * len(expected)


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
    [
        (Reach(json="/a"), '{\n "a": 1,\n "b": }', "f:3"),
        (Reach(toml="a"), "a = 1\nb = = 2\n", "f:2"),
        (Reach(yaml="/a"), "a: 1\nb: [\n", "f:3"),
        (Reach(xml="/a"), "<a>\n<b></a>", "f:2"),
        (Reach(xml="/a"), "<!DOCTYPE a [\n<!ENTITY x 'y'>]><a>&x;</a>", "f:2"),
        (Reach(xml="/a["), "<a/>", "cannot be followed"),
    ],
)
def test_broken_file_is_told_with_its_line(reach: Reach, text: str, line: str) -> None:
    with pytest.raises(FormatError, match=line):
        find_values(text, reach, "f")


def test_pattern_that_runs_away_is_stopped() -> None:
    with pytest.raises(FormatError, match="takes too long"):
        find_values("a" * 5000 + "!", Reach(pattern=r"(?P<value>(a|aa)+)$"), "f")
