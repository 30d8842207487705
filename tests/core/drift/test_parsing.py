"""Declarations are read from every language, whatever macros and bytes stand around them."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fernshale.core.base.work import Work
from fernshale.core.drift import release_symbols
from fernshale.core.drift.parsing import read_source
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree
from tests.core.drift.comparing import changes_between


def test_macros_that_export_do_not_hide_a_declaration() -> None:
    text = b"class MERE_API Pier { public: void go(); };\nMERE_EXPORT int count(int a);\nHRESULT Plain(int b);\n"
    found = {(item.kind, item.full) for item in read_source(text, "a.hpp")}
    assert found == {("class", "Pier"), ("method", "Pier::go"), ("function", "count"), ("function", "Plain")}


_TRAILING = {
    "a.h": """\
struct Pier {
    int keeper;   /**< Who watches the pier */
    int lamps;    /**< How many lamps it has, which
                       counts broken ones as well */
    /** How long it is */
    int length;
    int first, /* between */ second;
    int depth;    // Under the pier
                  // at low tide
    int last;     /* at the end */ };
enum Tide {
    TIDE_LOW,     /* Boats lie dry */
    TIDE_HIGH     /* Boats swim */
};
""",
    "a.java": """\
public class Pier {
    public int keeper;   // Who watches the pier
    public int lamps;    /* How many lamps it has */
    /** How long it is */
    public int length;
}
""",
    "a.rs": """\
pub struct Pier {
    pub keeper: i32,   // Who watches the pier
    pub lamps: i32,    // How many lamps it has
    /// How long it is
    pub length: i32,
}
""",
    "a.ts": """\
export class Pier {
    keeper: number;   // Who watches the pier
    lamps: number;    // How many lamps it has
    /** How long it is */
    length: number;
}
""",
}


@pytest.mark.parametrize("path", list(_TRAILING))
def test_a_comment_after_a_declaration_on_its_line_is_not_about_the_next_one(path: str) -> None:
    docs = {item.name: item.doc for item in read_source(_TRAILING[path].encode(), path)}
    assert "Who watches" in docs["keeper"] and "long" not in docs["keeper"]
    assert "How many" in docs["lamps"] and "watches" not in docs["lamps"]
    assert "How long" in docs["length"] and "many" not in docs["length"]
    if path == "a.h":
        assert "low tide" in docs["depth"] and "Under" not in docs["last"] and "at the end" in docs["last"]
        assert "dry" in docs["TIDE_LOW"] and "swim" in docs["TIDE_HIGH"] and "dry" not in docs["TIDE_HIGH"]


def test_a_definition_belongs_to_its_declaration(tree: Tree) -> None:
    files = {
        "p.hpp": "namespace m { struct Pier { int keeper() const; }; }",
        "p.cpp": "using namespace m;\nint Pier::keeper() const { return watch.of(hour, day); }\nstatic int own() { return 1; }",
    }
    symbols = {item.full: item for item in release_symbols.read_release(tree("r", files), "", Work())}
    assert set(symbols["m::Pier::keeper"].words) >= {"watch", "hour", "day"}
    assert symbols["m::Pier::keeper"].file == "p.hpp" and symbols["own"].is_hidden


def test_macros_above_a_declaration_are_no_part_of_it_and_tell_its_end() -> None:
    text = """#ifndef PIER_H
#define PIER_H 1
PIER_AVAILABLE_IN_2
PIER_DEPRECATED_IN_3_FOR (pier_moor_at)
const char * pier_moor (struct Pier *pier,
                        int day);
typedef char * (*PierName) (struct Pier *pier, void *data);
PIER_API
wick::Names<int> pier_names(int day);
enum Kind {
  WOOD,
  STONE
};
#endif
"""
    found = {item.name: item for item in read_source(text.encode(), "pier.hpp")}
    assert set(found) == {"pier_moor", "PierName", "pier_names", "Kind", "WOOD", "STONE"}
    assert found["pier_moor"].deprecated == "Use pier_moor_at instead." and found["pier_moor"].line == 5
    assert found["pier_names"].returns == "wick::Names<int>" and not found["pier_names"].deprecated


@settings(max_examples=60)
@given(
    st.binary(max_size=400),
    st.sampled_from(["a.py", "a.cpp", "a.cs", "a.java", "a.rs", "a.ts", "a.js", "a.lua", "a.c"]),
)
def test_any_bytes_are_read_without_a_fault(data: bytes, path: str) -> None:
    read_source(data, path)


def test_a_warning_about_an_argument_is_no_end_of_the_function() -> None:
    text = b"""import warnings
def moor(boat, old=None):
    if old: warnings.warn("the old argument of moor is deprecated", DeprecationWarning)
def leave(boat):
    warnings.warn("leave is deprecated, use depart instead", DeprecationWarning)
"""
    found = {item.name: item.deprecated for item in read_source(text, "harbour.py")}
    assert found == {"moor": "", "leave": "leave is deprecated, use depart instead"}


def test_what_stands_before_the_dot_is_no_argument(tree: Tree) -> None:
    old = "impl Stage {\n    pub fn write(&mut self, text: &str, row: u32) { self.put(text, row) }\n    pub fn play(&self, name: &str) {}\n}\n"
    new = old.replace("text: &str, row: u32", "row: u32, text: &str").replace("name: &str", "name: &str, loud: f32")
    folders = (
        tree("old", {"src/stage.rs": old}),
        tree("new", {"src/stage.rs": new + 'fn f(s: &Stage) { s.play("bell", 1.0); }\n'}),
    )
    rules = {rule.kind: rule for rule in guess_rules(changes_between(*folders), *folders, "t", ()).rules}
    assert (rules["reorder"].order, rules["reorder"].names) == ((2, 1), ("text", "row"))
    assert (rules["add-argument"].arguments, rules["add-argument"].position, rules["add-argument"].text) == (
        1,
        2,
        "1.0",
    )
