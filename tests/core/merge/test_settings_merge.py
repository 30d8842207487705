"""Settings merged by key: every change of both sides is there, the rest of the file is untouched, and it parses."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Callable
from xml.etree import ElementTree

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.base.textfile import TextFile
from fernshale.core.base.treepath import TreePath
from fernshale.core.merge.keyed import Identities, KeyedMerge, merge_keyed
from fernshale.core.merge.text_merge import Resolution

_JSON = """{
    // the quay
    "title": "berths",
    "berths": [
        {"id": "p1", "depth": 3},
        {"id": "p2", "depth": 4}  // deep
    ],
    "tags": ["a", "b"],
    "one": {"x": 1}
}
"""
_TOML = """# the quay
title = "x"   # shown
count = 3

[engine]
release = "2.6.1"
# why
flags = ["a", "b"]

[[berth]]
id = "p1"
depth = 3

[[berth]]
id = "p2"
depth = 4
"""
_YAML = """# the quay
name: pier
berths:
  - id: p1
    depth: 3
  - id: p2
    depth: 4   # deep
list:
- a
- b
nested:
  one: 1
  two: "x"
"""
_XML = """<?xml version="1.0"?>
<scene name="quay">
  <!-- actors -->
  <actor id="a" x="1"/>
  <actor id="b" x="2">
    <voice>low</voice>
  </actor>
</scene>
"""
_INI = """; the quay
a=1

[one]
x = 1
y = 2 ; why

[two]
z=3
"""
_PROPERTIES = """# the quay
a.b = 1
c: long \\
   more
d=4
"""


def _merge(name: str, base: str, mine: str, incoming: str) -> KeyedMerge:
    merge = merge_keyed(TreePath(name), TextFile(base), TextFile(mine), TextFile(incoming), Identities())
    assert merge is not None
    return merge


def _with(text: str, *pairs: tuple[str, str]) -> str:
    for old, new in pairs:
        assert old in text, old
        text = text.replace(old, new)
    return text


_CASES = {
    "a.json": (
        _JSON,
        [('"depth": 3', '"depth": 5'), ('"b"]', '"b", "mine"]')],
        [
            ('        {"id": "p2"', '        {"id": "p0", "depth": 9},\n        {"id": "p2"'),
            ('"a", ', ""),
            ('    "one"', '    "two": {\n        "k": 1\n    },\n    "one"'),
        ],
        [('["b", "mine"]', '["b", "mine"]')],
    ),
    "a.toml": (
        _TOML,
        [
            ("count = 3", "count = 4"),
            ("depth = 4", "depth = 44"),
            ("[engine]", "# my table\n[mine]\na = 1\n\n[engine]"),
        ],
        [
            ("2.6.1", "3.0"),
            ('[[berth]]\nid = "p2"', '[[berth]]\nid = "p9"\ndepth = 1\n\n[[berth]]\nid = "p2"'),
            ('"b"]', '"b", "c"]'),
        ],
        [],
    ),
    "a.yaml": (
        _YAML,
        [("depth: 3", "depth: 33"), ("- b\n", "- b\n- mine\n")],
        [
            ("  - id: p2", "  - id: p0\n    depth: 1\n  - id: p2"),
            ("- a\n", ""),
            ('"x"\n', '"y"\n  three:\n    # c\n    deep: 1\n'),
        ],
        [],
    ),
    "a.xml": (
        _XML,
        [('x="1"', 'x="7"')],
        [('x="2"', 'x="2" y="4"'), ("low", "high"), ('  <actor id="b"', '  <actor id="n"/>\n  <actor id="b"')],
        [],
    ),
    "a.ini": (
        _INI,
        [("x = 1", "x = 5"), ("z=3", "z=3\n; own\nown=1")],
        [("y = 2", "y = 7"), ("[two]", "[new]\nq=1\n\n[two]"), ("a=1", "a=1\nb=2")],
        [],
    ),
    "a.properties": (
        _PROPERTIES,
        [("d=4", "d=5")],
        [("a.b = 1", "a.b = 2\nnew = x"), ("more", "much more")],
        [],
    ),
}


@pytest.mark.parametrize("name", sorted(_CASES))
@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_changes_of_both_sides_stand_and_all_else_is_as_in_the_local_file(name: str, end: str) -> None:
    base, ours, theirs, _ = _CASES[name]
    texts = [text.replace("\n", end) for text in (base, _with(base, *ours), _with(base, *theirs))]
    merge = _merge(name, *texts)
    assert not merge.decisions
    # Where the edits are apart, doing both to the text is what the merge must give, byte for byte.
    assert merge.text({}) == _with(
        _with(base, *ours), *[pair for pair in theirs if pair[0] in _with(base, *ours)]
    ).replace("\n", end)
    now = TextFile(merge.text({}))
    assert {fate for _, _, fate, _, _ in merge.find_edits(now, {})} == {"carried"}
    assert _merge(name, texts[0], texts[1], texts[0]).text({}) == texts[1]
    assert _merge(name, texts[0], texts[0], texts[2]).text({}) == texts[2]


@pytest.mark.parametrize(
    ("name", "base", "mine", "incoming", "at"),
    [
        (
            "a.json",
            _JSON,
            _with(_JSON, ('"depth": 3', '"depth": 5')),
            _with(_JSON, ('"depth": 3', '"depth": 6')),
            "/berths/id=p1/depth",
        ),
        (
            "a.toml",
            _TOML,
            _with(_TOML, ('"2.6.1"', '"2.6.2"')),
            _with(_TOML, ('"2.6.1"', '"3.0"')),
            "/[engine]/release",
        ),
        ("a.yaml", _YAML, _with(_YAML, ("one: 1", "one: 2")), _with(_YAML, ("one: 1", "one: 3")), "/nested/one"),
        ("a.ini", _INI, _with(_INI, ("x = 1", "x = 2")), _with(_INI, ("x = 1\n", "")), "/[one]/x"),
        ("a.properties", _PROPERTIES, _with(_PROPERTIES, ("d=4\n", "")), _with(_PROPERTIES, ("d=4", "d=5")), "/d"),
    ],
)
def test_a_value_both_changed_is_decided_by_its_key(name: str, base: str, mine: str, incoming: str, at: str) -> None:
    merge = _merge(name, base, mine, incoming)
    (conflict,) = merge.decisions
    assert (conflict.kind, conflict.at) == ("key", at)
    assert merge.text({}) == mine and merge.result({}, "nothing") is None
    result = merge.result({conflict.id: Resolution("incoming")}, "nothing")
    assert result is not None and result.text == incoming
    fates = {fate for _, _, fate, _, _ in merge.find_edits(result, {conflict.id: Resolution("incoming")})}
    assert fates == {"dropped"}
    assert [line.conflict for line in merge.weave({}) if not line.is_line] == [conflict.id]


def test_a_value_written_by_hand_must_fit_in() -> None:
    merge = _merge("a.json", '{"a": 1}', '{"a": 2}', '{"a": 3}')
    (conflict,) = merge.decisions
    good = merge.result({conflict.id: Resolution("text", "[2, 3]\n")}, "nothing")
    assert good is not None and good.text == '{"a": [2, 3]}'
    with pytest.raises(Exception, match="by hand"):
        merge.result({conflict.id: Resolution("text", "[2, ")}, "nothing")


def test_order_is_no_change_and_the_local_one_stays() -> None:
    merge = _merge("a.json", '{"a": 1, "b": 2, "c": 3}', '{"c": 3, "a": 1, "b": 2}', '{"b": 2, "a": 9, "c": 3}')
    assert merge.text({}) == '{"c": 3, "a": 9, "b": 2}'
    moved = '[{"id": 2, "x": 1}, {"id": 1, "x": 1}]'
    merge = _merge(
        "a.json",
        '{"l": [{"id": 1, "x": 1}, {"id": 2, "x": 1}]}',
        f'{{"l": {moved}}}',
        '{"l": [{"id": 1, "x": 5}, {"id": 2, "x": 1}]}',
    )
    assert json.loads(merge.text({}))["l"] == [{"id": 2, "x": 1}, {"id": 1, "x": 5}]


def test_entries_that_the_new_release_reordered_follow_it_unless_they_were_reordered_here() -> None:
    base = '{"l": [{"id": 1}, {"id": 2}, {"id": 3}]}'
    incoming = '{"l": [{"id": 3}, {"id": 1}, {"id": 4}, {"id": 2}]}'

    def merged(mine: str) -> list[int]:
        merge = merge_keyed(TreePath("a.json"), TextFile(base), TextFile(mine), TextFile(incoming), Identities())
        assert merge is not None
        return [item["id"] for item in json.loads(merge.text({}))["l"]]

    assert merged(base) == [3, 1, 4, 2]
    assert merged('{"l": [{"id": 1}, {"id": 9}, {"id": 2}, {"id": 3}]}') == [3, 1, 4, 9, 2]
    assert merged('{"l": [{"id": 2}, {"id": 1}, {"id": 3}]}')[:3] != [3, 1, 4]


def test_the_profile_says_what_tells_entries_apart() -> None:
    base = '{"l": [{"slot": "x", "id": 1}, {"slot": "y", "id": 2}]}'
    mine, incoming = base.replace('"id": 1', '"id": 5'), base.replace('"id": 2', '"id": 6')
    rules = Identities(((("*.json",), ("slot",)),))
    merge = merge_keyed(TreePath("a.json"), TextFile(base), TextFile(mine), TextFile(incoming), rules)
    assert merge is not None and not merge.decisions
    assert json.loads(merge.text({})) == {"l": [{"slot": "x", "id": 5}, {"slot": "y", "id": 6}]}


_Edits = tuple[tuple[str, str], ...]
_TAGGED = """\
---
defaults: &usual
  speed: 1
  colour: !Colour red
berths:
  - !Berth
    id: 1
    length: 10   # metres
  - !Berth &deep
    id: 2
    <<: *usual
    length: 20
first: *deep
names: [&a one, *a, !Name two]
"""


@pytest.mark.parametrize(
    ("mine", "incoming", "result"),
    [
        # Entries that are far apart by line and near by key; the order of entries is the local one.
        ((("length: 10 ", "length: 12 "),), (("length: 20", "length: 25"),), (("length: 10 ", "length: 12 "), ("length: 20", "length: 25"))),
        ((("!Colour red", "!Colour blue"),), (("speed: 1", "speed: 3"),), (("!Colour red", "!Colour blue"), ("speed: 1", "speed: 3"))),
        (
            (("first: *deep\n", "first: *deep\nlast: *usual\n"),),
            (("first: *deep", "  - !Quay\n    id: 3\n    <<: *usual\nfirst: *deep"),),
            (("first: *deep\n", "  - !Quay\n    id: 3\n    <<: *usual\nfirst: *deep\nlast: *usual\n"),),
        ),
        ((("two]", "two, three]"),), (("speed: 1", "speed: 2"),), (("two]", "two, three]"), ("speed: 1", "speed: 2"))),
    ],
)  # fmt: skip
def test_a_list_with_tags_and_anchors_is_merged_by_key(mine: _Edits, incoming: _Edits, result: _Edits) -> None:
    sides = [TextFile(_with(_TAGGED, *edits)) for edits in ((), mine, incoming)]
    merge = merge_keyed(TreePath("a.yaml"), *sides, Identities())
    assert merge is not None and not merge.decisions
    assert merge.text({}) == _with(_TAGGED, *result)


@pytest.mark.parametrize(
    ("mine", "incoming"),
    [
        # A tag that changed, an anchor that goes while it is used, and one that comes twice.
        ((("speed: 1", "speed: 2"),), (("!Colour red", "!Paint red"),)),
        ((("- !Berth\n", "- !Quay\n"),), (("length: 10 ", "length: 12 "),)),
        ((("first: *deep", "first: 1"),), (("names: [&a one", "names: [&usual one"), ("*a,", "*usual,"))),
        ((("speed: 1", "speed: 2"),), (("&deep", "&usual"), ("*deep", "*usual"))),
    ],
)
def test_tags_and_anchors_that_change_are_left_to_the_lines(mine: _Edits, incoming: _Edits) -> None:
    sides = [TextFile(_with(_TAGGED, *edits)) for edits in ((), mine, incoming)]
    assert merge_keyed(TreePath("a.yaml"), *sides, Identities()) is None


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("a.json", '{"a": 1'),
        ("a.json", '{"a": 1, "a": 2}'),
        ("a.json", "[" * 500 + "]" * 500),
        ("a.yaml", "a: &x 1\nb: *x\n"),
        ("a.yaml", "--- \na: 1\n--- \nb: 1\n"),
        ("a.xml", "<a>text <b/> more</a>"),
        ("a.xml", '<!DOCTYPE a [<!ENTITY x "y">]><a>&x;</a>'),
        ("a.ini", "[a]\nno key here\n"),
        ("a.toml", "a = 1\na = 2\n"),
        ("a.txt", "a = 1\n"),
    ],
)
def test_what_a_tree_cannot_hold_is_left_to_the_lines(name: str, text: str) -> None:
    sides = TextFile(text), TextFile(text + " "), TextFile(text + "  ")
    merge = merge_keyed(TreePath(name), *sides, Identities())
    assert merge is None or merge.text({}).strip() == text.strip()


_KEYS = st.sampled_from(["a", "b", "c", "d e", "é"])
_PLAIN = st.one_of(st.integers(-9, 9), st.booleans(), st.sampled_from(["", "x", "ü y", '"q"']))
_VALUES = st.recursive(
    _PLAIN,
    lambda inner: st.one_of(
        st.dictionaries(_KEYS, inner, max_size=4),
        st.lists(_PLAIN, max_size=4, unique_by=str),
        st.lists(
            st.fixed_dictionaries({"id": st.integers(0, 6), "v": inner}), max_size=3, unique_by=lambda item: item["id"]
        ),
    ),
    max_leaves=12,
)
_MAPS = st.dictionaries(_KEYS, _VALUES, max_size=5)


def _toml(data: dict[str, object]) -> str:
    def value(item: object) -> str:
        if isinstance(item, dict):
            return (
                "{ "
                + ", ".join(f"{json.dumps(key, ensure_ascii=False)} = {value(inner)}" for key, inner in item.items())
                + " }"
            )
        if isinstance(item, list):
            return "[" + ", ".join(map(value, item)) + "]"
        return json.dumps(item, ensure_ascii=False)

    return "".join(f"{json.dumps(key, ensure_ascii=False)} = {value(item)}\n" for key, item in data.items())


def _yaml(data: dict[str, object]) -> str:
    import io

    from ruamel.yaml import YAML

    out = io.StringIO()
    YAML(typ="safe", pure=True).dump(data, out)
    return out.getvalue()


def _load_yaml(text: str) -> object:
    from ruamel.yaml import YAML

    return YAML(typ="safe", pure=True).load(text)


_WRITERS: dict[str, tuple[Callable[[dict[str, object]], str], Callable[[str], object]]] = {
    "wide.json": (lambda data: json.dumps(data, indent=4, ensure_ascii=False) + "\n", json.loads),
    "flat.json": (lambda data: json.dumps(data), json.loads),
    "a.toml": (_toml, tomllib.loads),
    "a.yaml": (_yaml, _load_yaml),
}


@given(_MAPS, _MAPS, _MAPS, st.sampled_from(sorted(_WRITERS)))
@example({}, {"a": 1}, {"b": 1}, "wide.json")
@example({"a": 0}, {}, {"a": 0, "b": {"c": 1}}, "wide.json")
@example({"a": {}, "b": 1}, {"b": 1}, {"a": {}, "b": {"x": [1]}}, "a.yaml")
@example(
    {"b": [{"id": 2}, {"id": 0}]},
    {"b": [{"id": 2}, {"id": 0}]},
    {"b": [{"id": 0, "v": 1}, {"id": 2, "v": 0}]},
    "a.toml",
)
@example(
    {"b": [{"id": 2}, {"id": 0}]},
    {"b": [{"id": 2}, {"id": 0}]},
    {"b": [{"id": 0, "v": 1}, {"id": 2, "v": 0}]},
    "a.yaml",
)
def test_any_three_trees_merge_to_something_that_parses_and_has_all(
    base: dict[str, object], mine: dict[str, object], incoming: dict[str, object], name: str
) -> None:
    write, load = _WRITERS[name]
    texts = [write(data) for data in (base, mine, incoming)]
    merge = merge_keyed(TreePath(name), *map(TextFile, texts), Identities())
    if merge is None:
        assert name == "a.yaml", "what was written can be merged"
        return
    for take in ("mine", "incoming"):
        choices = {conflict.id: Resolution(take) for conflict in merge.decisions}  # type: ignore[arg-type]
        found = load(merge.text(choices))
        assert isinstance(found, dict)
        for key in {*base, *mine, *incoming}:
            # As text: False is 0 where Python compares.
            old, ours, theirs, now = (
                json.dumps(data.get(key), sort_keys=True) for data in (base, mine, incoming, found)
            )
            if ours == theirs or theirs == old:
                assert now == ours
            elif ours == old:
                assert now == theirs
    assert _same(name, base, mine, base) == texts[1]


def _same(name: str, *sides: dict[str, object]) -> str:
    write, _ = _WRITERS[name]
    merge = merge_keyed(TreePath(name), *(TextFile(write(data)) for data in sides), Identities())
    return merge.text({}) if merge is not None else write(sides[1])


@given(st.dictionaries(st.sampled_from("abc"), st.tuples(st.integers(0, 3), st.integers(0, 3)), max_size=3), st.data())
def test_elements_and_attributes_of_xml(base: dict[str, tuple[int, int]], data: st.DataObject) -> None:
    sides = [base] + [
        data.draw(
            st.dictionaries(
                st.sampled_from("abcd"), st.tuples(st.integers(0, 3), st.integers(0, 3)), min_size=1, max_size=4
            )
        )
        for _ in range(2)
    ]

    def write(side: dict[str, tuple[int, int]]) -> str:
        lines = (f'  <item id="{key}" n="{n}"><v>{v}</v></item>\n' for key, (n, v) in side.items())
        return "<all>\n" + "".join(lines) + "</all>\n"

    merge = merge_keyed(TreePath("a.xml"), *(TextFile(write(side)) for side in sides), Identities())
    if merge is not None:
        root = ElementTree.fromstring(merge.text({}))
        found = {item.get("id"): (int(item.get("n", 0)), int(item.findtext("v", "0"))) for item in root}
        for key in {*sides[1], *sides[2]}:
            old, ours, theirs = (side.get(key) for side in sides)
            if theirs == old:
                assert found.get(key) == ours
            elif ours == old:
                assert found.get(key) == theirs
