"""Fields of data files are set, renamed, taken out and put in, and independent readers agree about what then stands there."""

from __future__ import annotations

import configparser
import io
import json
import tomllib
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given, reject
from hypothesis import strategies as st
from lxml import etree
from ruamel.yaml import YAML
from ruamel.yaml.error import YAMLError

from fernshale.core.data.custom_format import ObjectPatterns, read_objects
from fernshale.core.data.fields import (
    FieldValue,
    add_field,
    apply_changes,
    drop_field,
    fields_of,
    find_field,
    rename_field,
    set_field,
)
from fernshale.core.data.formats import find_reader
from fernshale.core.data.paths import fits, walk
from fernshale.core.data.tree import DataDocument

_NAMES = st.from_regex(r"[a-z][a-z_]{0,6}", fullmatch=True).filter(
    lambda name: name not in ("true", "false", "null", "yes", "no", "on", "off", "y", "n", "text")
)
_WORDS = st.text("abcxyzäß -_/'\"\\:#,{}", min_size=0, max_size=12).map(str.strip)
_VALUES = st.one_of(_WORDS, st.integers(-999, 999), st.booleans(), st.integers(-99, 99).map(lambda n: n + 0.25))
_OBJECTS = st.dictionaries(_NAMES, _VALUES, min_size=1, max_size=6)


def _yaml(text: str) -> Any:
    return YAML(typ="safe", pure=True).load(text)


def _dump_yaml(data: dict[str, Any]) -> str:
    out = io.StringIO()
    YAML(typ="safe", pure=True).dump(data, out)
    try:
        YAML(typ="safe", pure=True).load(out.getvalue())
    except YAMLError:
        reject()  # the library writes some texts so that it cannot read them again
    return out.getvalue()


def _dump_toml(data: dict[str, Any]) -> str:
    return "# top\n" + "".join(
        f"{key} = {json.dumps(value, ensure_ascii=False)}  # about {key}\n" for key, value in data.items()
    )


def _read(path: str, text: str) -> DataDocument:
    read = find_reader(path, text)
    assert read is not None
    return read(text)


_FORMATS: dict[str, tuple[Callable[[Any], str], Callable[[str], Any]]] = {
    "a.json": (lambda data: json.dumps(data, indent=2, ensure_ascii=False), json.loads),
    "b.json": (lambda data: json.dumps(data, ensure_ascii=False), json.loads),
    "a.toml": (_dump_toml, tomllib.loads),
    "a.yaml": (_dump_yaml, _yaml),
}


@pytest.mark.parametrize("path", list(_FORMATS))
@given(data=_OBJECTS, new=_VALUES, name=_NAMES, at=st.integers(0, 5))
def test_each_edit_says_what_was_asked_and_leaves_the_rest(
    path: str, data: dict[str, Any], new: FieldValue, name: str, at: int
) -> None:
    dump, load = _FORMATS[path]
    text = dump(data)
    assert load(text) == data
    document = _read(path, text)
    key = list(data)[at % len(data)]
    field = find_field(document, document.root, key)
    assert field is not None
    assert fields_of(document, document.root) == data
    assert load(apply_changes(text, [set_field(document, field, new)])) == {**data, key: new}
    if name not in data:
        renamed = apply_changes(text, rename_field(document, field, name))
        assert load(renamed) == {name if each == key else each: value for each, value in data.items()}
        assert load(apply_changes(text, [add_field(document, document.root, name, new)])) == {**data, name: new}
    if len(data) > 1:
        dropped = apply_changes(text, drop_field(document, field))
        assert load(dropped) == {each: value for each, value in data.items() if each != key}


def test_a_json_object_keeps_its_shape_when_fields_come_and_go() -> None:
    text = '{\n    "lamps": [\n        {"id": 1, "angle": 30}, // left\n        {"id": 2, "angle": 60}\n    ]\n}\n'
    document = _read("a.json", text)
    lamps = [node for data_path, node in walk(document) if fits("lamps/*", data_path)]
    changes = [
        add_field(document, lamps[0], "glow", "amber"),
        *drop_field(document, find_field(document, lamps[1], "angle")),
    ]  # type: ignore[arg-type]
    assert apply_changes(text, changes) == text.replace("30}", '30, "glow": "amber"}').replace('2, "angle": 60', "2")


def test_inner_fields_are_reached_by_dots_in_every_format() -> None:
    for path, text in {
        "a.json": '{"position": {"x": 1, "y": 2}}',
        "a.toml": "[position]\nx = 1\ny = 2\n",
        "a.yaml": "position:\n  x: 1\n  y: 2\n",
        "a.ini": "[position]\nx = 1\ny = 2\n",
    }.items():
        document = _read(path, text)
        field = find_field(document, document.root, "position.x")
        assert field is not None, path
        assert apply_changes(text, [set_field(document, field, 7)]) == text.replace("1", "7")
        added = apply_changes(text, [add_field(document, document.root, "position.z", 9)])
        assert fields_of(_read(path, added), _read(path, added).root)["position.z"] == 9, added


def test_a_list_of_maps_in_yaml_gets_its_new_key_below_the_dash() -> None:
    text = "lamps:\n  - id: 1\n    angle: 30\n  - id: 2\n"
    document = _read("a.yaml", text)
    lamps = [node for data_path, node in walk(document) if fits("lamps/*", data_path)]
    new = apply_changes(text, [add_field(document, node, "glow", "amber") for node in lamps])
    assert _yaml(new) == {"lamps": [{"id": 1, "angle": 30, "glow": "amber"}, {"id": 2, "glow": "amber"}]}


def test_elements_have_attributes_and_inner_texts_as_fields() -> None:
    text = (
        '<scene>\n  <!-- two -->\n  <lamp id="a" angle="30"/>\n  <lamp id="b"><name>x &amp; y</name></lamp>\n</scene>\n'
    )
    document = _read("a.xml", text)
    lamps = [node for data_path, node in walk(document) if fits("scene/lamp", data_path)]
    assert [fields_of(document, node) for node in lamps] == [{"@id": "a", "@angle": 30}, {"@id": "b", "name": "x & y"}]
    field = find_field(document, lamps[1], "name")
    assert field is not None
    changes = [add_field(document, lamps[0], "@glow", 'a"b'), set_field(document, field, "p < q")]
    root = etree.fromstring(apply_changes(text, changes).encode())
    assert root[1].get("glow") == 'a"b' and root[2][0].text == "p < q"
    renamed = apply_changes(text, rename_field(document, field, "title"))
    assert etree.fromstring(renamed.encode())[2][0].tag == "title"


@given(data=st.dictionaries(_NAMES, st.integers(0, 99), min_size=2, max_size=5), new=st.integers(0, 99))
def test_ini_sections_as_the_standard_library_reads_them(data: dict[str, int], new: int) -> None:
    text = "[main]\n" + "".join(f"{key} = {value}\n" for key, value in data.items()) + "\n[other]\nk = 1\n"
    document = _read("a.ini", text)
    key = next(iter(data))
    field = find_field(document, document.root, f"main.{key}")
    assert field is not None
    for changes, wanted in (
        ([set_field(document, field, new)], {**data, key: new}),
        (drop_field(document, field), {name: value for name, value in data.items() if name != key}),
    ):
        parser = configparser.ConfigParser()
        parser.read_string(apply_changes(text, changes))
        assert {name: int(value) for name, value in parser["main"].items()} == wanted and parser["other"]["k"] == "1"


def test_a_format_of_lines_by_two_patterns() -> None:
    patterns = ObjectPatterns(r'^(?P<kind>[\w-]+)(?: [\w-]+="[^"\n]*")+$', r'(?P<key>[\w-]+)="(?P<value>[^"]*)"')
    text = '# lamp id="not one"\nscene name="west"\nlamp id="a" angle="30"\nlamp id="b" angle="x"\n'
    document = read_objects(text, patterns)
    lamps = [node for data_path, node in walk(document) if data_path == ("lamp",)]
    assert [fields_of(document, node) for node in lamps] == [{"id": "a", "angle": 30}, {"id": "b", "angle": "x"}]
    field = find_field(document, lamps[0], "angle")
    assert field is not None
    changes = [set_field(document, field, 330), add_field(document, lamps[1], "glow", "amber")]
    assert apply_changes(text, changes) == text.replace('"30"', '"330"').replace('"x"', '"x" glow="amber"')
