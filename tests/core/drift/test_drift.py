"""Symbols of every language, and what became of them from one release to the next."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fernshale.core.base.cache import Cache
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.stages.build.items import pinning_rule
from fernshale.core.drift import comparison_cache, release_symbols
from fernshale.core.drift.comparison import ApiChange, compare
from fernshale.core.drift.comparison_cache import compare_releases
from fernshale.core.drift.names.name_parts import Rarity, parts_of
from fernshale.core.drift.parameter_order import new_order
from fernshale.core.drift.parsing import read_source
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.drift.stated.replacements import named_replacements
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree


def _changes(old: Path, new: Path) -> tuple[ApiChange, ...]:
    return compare(read_pair(old, new, "", Work()), CancelToken())


def _told(changes: Sequence[ApiChange]) -> set[tuple[str, str, str]]:
    return {(c.kind, c.old.full if c.old else "", c.new.full if c.new else "") for c in changes}


# In each language: the old text, the new one, and what must be told.
_CASES: dict[str, tuple[str, str, str, set[tuple[str, str, str]]]] = {
    "c++": (
        "include/pier.hpp",
        """namespace m {
/// Counts the boats that lie at a pier.
class MlPier { public: explicit MlPier(int n); int keeper; virtual void moor(int boat); int count_boats(int day) const;
  /// Writes all that lies here into the log.
  void write_log(const char* text) { out << text << end << berth; } };
enum class Kind { Wood, Stone };
void spawn(int a, int b = 3);
constexpr int kLimit = 12;
}""",
        """namespace m {
/// Counts the boats that lie at a pier.
class MerePier { public: static MerePier make(int n); int keeper() const; virtual void moor_boat(int boat);
  int count_boats(int day) const;
  /// Writes all that lies here into the log.
  void log_info(const char* text) { out << text << end << berth; }
  virtual void describe() = 0;
 private: explicit MerePier(int n); };
enum class Kind { Wood, Stone };
void spawn(int a, int b = 5);
constexpr int kLimit = 12;
}""",
        {
            ("renamed", "m::MlPier", "m::MerePier"),
            ("renamed", "m::MlPier::write_log", "m::MerePier::log_info"),
            ("renamed", "m::MlPier::moor", "m::MerePier::moor_boat"),
            ("no-longer-overrides", "m::MlPier::moor", "m::MerePier::moor_boat"),
            ("must-implement", "", "m::MerePier::describe"),
            ("default", "m::spawn", "m::spawn"),
            ("signature", "m::MlPier::keeper", "m::MerePier::keeper"),
        },
    ),
    "java": (
        "src/h/Pier.java",
        """package h;
public class Pier { public int boatCount(String day) { return ledger.sum(day, boats); }
  public static final int LIMIT = 3; public void go() { } }""",
        """package h;
public class Pier { public int countBoats(String day) { return ledger.sum(day, boats); }
  public static final int LIMIT = 4; /** @deprecated use {@link #leave()} */ @Deprecated public void go() { }
  public void leave() { } }""",
        {
            ("renamed", "h.Pier.boatCount", "h.Pier.countBoats"),
            ("default", "h.Pier.LIMIT", "h.Pier.LIMIT"),
            ("deprecated", "h.Pier.go", "h.Pier.go"),
        },
    ),
    "c#": (
        "Pier.cs",
        """namespace H { public interface ITide { int Level(int hour); } public class Pier {
  public string KeeperName { get; set; } public void Moor(int boat) { ledger.Add(boat); } } }""",
        """namespace H { public interface ITide { int Level(int hour); int Flow(int hour); } public class Pier {
  public string KeeperTitle { get; set; } public void Moor(int boat, bool wait) { ledger.Add(boat); } } }""",
        {
            ("must-implement", "", "H.ITide.Flow"),
            ("renamed", "H.Pier.KeeperName", "H.Pier.KeeperTitle"),
            ("signature", "H.Pier.Moor", "H.Pier.Moor"),
        },
    ),
    "rust": (
        "src/pier.rs",
        """pub struct Pier { pub keeper: String } impl Pier { pub fn new_pier(n: u32) -> Self { let ledger = open(n); Pier { ledger } } }
#[deprecated(note = "use moor_boat instead")] pub fn moor(b: u32) {} pub fn moor_boat(b: u32) {}
pub trait Tide { fn level(&self); }""",
        """pub struct Pier { pub keeper: String } impl Pier { pub fn with_piers(n: u32) -> Self { let ledger = open(n); Pier { ledger } } }
pub fn moor_boat(b: u32) {}
pub trait Tide { fn level(&self); fn flow(&self); }""",
        {
            ("renamed", "pier::Pier::new_pier", "pier::Pier::with_piers"),
            ("renamed", "pier::moor", "pier::moor_boat"),
            ("must-implement", "", "pier::Tide::flow"),
        },
    ),
    "python": (
        "harbour/pier.py",
        '''class Pier:
    def set_keeper(self, name):
        """Put another keeper on the watch."""
        self.ledger.write(name, self.hours)
def old_way(day): return new_way(day)
def new_way(day): return sum(day.boats)
LIMIT = 3
''',
        '''import warnings
class Pier:
    def with_keeper(self, name):
        """Put another keeper on the watch."""
        self.ledger.write(name, self.hours)
def new_way(day, tide): return sum(day.boats)
LIMIT = 4
''',
        {
            ("renamed", "harbour.pier.Pier.set_keeper", "harbour.pier.Pier.with_keeper"),
            ("renamed", "harbour.pier.old_way", "harbour.pier.new_way"),
            ("signature", "harbour.pier.new_way", "harbour.pier.new_way"),
            ("default", "harbour.pier.LIMIT", "harbour.pier.LIMIT"),
        },
    ),
    "typescript": (
        "pier.ts",
        """export interface Tide { level(h: number): number; }
export class Pier { keeperName: string = ''; moor(boat: number): void { this.ledger.push(boat); } }
/** @deprecated use harbourOf instead */ export function portOf(p: Pier): string { return p.where; }
export function harbourOf(p: Pier): string { return p.where; }""",
        """export interface Tide { level(h: number): number; flow(h: number): number; }
export class Pier { keeper: string = ''; moorBoat(boat: number): void { this.ledger.push(boat); } }
export function harbourOf(p: Pier): string { return p.where; }""",
        {
            ("must-implement", "", "Tide.flow"),
            ("renamed", "Pier.keeperName", "Pier.keeper"),
            ("renamed", "Pier.moor", "Pier.moorBoat"),
            ("renamed", "portOf", "harbourOf"),
        },
    ),
    "javascript": (
        "pier.js",
        "function Pier() {}\nPier.prototype.moorAll = function (boats) { boats.each(this.ledger.note); };\nmodule.exports = Pier;",
        "function Pier() {}\nPier.prototype.moorEach = function (boats) { boats.each(this.ledger.note); };\nmodule.exports = Pier;",
        {("renamed", "Pier.moorAll", "Pier.moorEach")},
    ),
    "lua": (
        "pier.lua",
        "local M = {}\nfunction M.count_boats(day, hour) return ledger.sum(day, hour) end\nreturn M",
        "local M = {}\nfunction M.boats(day, hour) return ledger.sum(day, hour) end\nreturn M",
        {("renamed", "pier.count_boats", "pier.boats")},
    ),
    "c": (
        "tide.h",
        "/* How high the water stands. */\nint tide_level(int hour, int day);\n#define TIDE_MAX 4\ntypedef struct { int low; } tide_t;",
        "/* How high the water stands. */\nint tide_height(int hour, int day);\n#define TIDE_MAX 4\ntypedef struct { int low; } tide_t;",
        {("renamed", "tide_level", "tide_height")},
    ),
}


@pytest.mark.parametrize("language", sorted(_CASES))
def test_each_language_is_read_and_compared(language: str, tree: Tree) -> None:
    path, before, after, wanted = _CASES[language]
    old, new = tree("old", {path: before}), tree("new", {path: after})
    told = _told(_changes(old, new))
    assert wanted <= told, wanted - told
    assert not {item for item in told if item[0] == "removed"}
    assert not _changes(old, old)  # a release does not differ from itself


def test_a_constructor_that_was_closed_leads_to_what_makes_one_now(tree: Tree) -> None:
    old = tree("old", {"b.hpp": "class Berth { public: Berth(int n); };"})
    new = tree("new", {"b.hpp": "class Berth { public: static Berth make(int n); private: Berth(int n); };"})
    (change,) = (item for item in _changes(old, new) if item.kind == "removed")
    assert [item.symbol.full for item in change.candidates] == ["Berth::make"]


def test_what_was_renamed_together_helps_those_without_likeness(tree: Tree) -> None:
    words = ("mast", "keel", "sail", "rope", "oar")
    old = tree("old", {"m.py": "".join(f"def set_{word}(value): store('{word}', value)\n" for word in words)})
    new = tree("new", {"m.py": "".join(f"def with_{word}(value): keep('{word}', value)\n" for word in words)})
    changes = [item for item in _changes(old, new) if item.kind == "renamed"]
    assert {(c.old.name, c.new.name) for c in changes if c.old and c.new} == {(f"set_{w}", f"with_{w}") for w in words}
    assert any("others went from set to with" in word for c in changes for word in c.candidates[0].evidence)


def test_macros_that_export_do_not_hide_a_declaration() -> None:
    text = b"class MERE_API Pier { public: void go(); };\nMERE_EXPORT int count(int a);\nHRESULT Plain(int b);\n"
    found = {(item.kind, item.full) for item in read_source(text, "a.hpp")}
    assert found == {("class", "Pier"), ("method", "Pier::go"), ("function", "count"), ("function", "Plain")}


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


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("use X instead", "X"),
        ("Use :meth:`Pier.moor_all` instead.", "Pier.moor_all"),
        ("renamed to harbour_of", "harbour_of"),
        ("deprecated in favour of Tide.", "Tide"),
        ("replaced by {@link Harbour#open}", "Harbour#open"),
        ("has been superseded by ``next_tide``", "next_tide"),
    ],
)
def test_deprecation_texts_name_their_successor(text: str, name: str) -> None:
    assert next(named_replacements(text)) == (name, True)


@pytest.mark.parametrize(
    "text",
    [
        "Use `X` with a fresh berth instead.",
        "use X or Y instead",
        "renamed to X(berth)",
        "Use `X.copy(berth)` instead",
        "Use X for boats.",
        "see X(), Y() and Z()",
    ],
)
def test_a_text_that_wants_more_than_a_name_says_so(text: str) -> None:
    name, is_whole = next(named_replacements(text))
    assert name.startswith("X") and not is_whole


def _best(changes: Sequence[ApiChange], old: str) -> tuple[str, float, str]:
    (change,) = (
        item for item in changes if item.old is not None and item.old.full == old and item.kind in ("renamed", "moved")
    )
    best = change.candidates[0]
    return best.symbol.name, best.score, best.written or best.symbol.name


def test_what_a_release_says_of_what_it_removed_outranks_likeness(tree: Tree) -> None:
    table = """GONE = {
    "low": "Use `wick.ebb` instead.",
    "count_all": ("Use `wick.count` with every "
                  "pier instead."),
}
"""
    kept_ones = "def ebb(day):\n    return 1\ndef count(x):\n    return 3\n"
    old = f"def low(day):\n    return tide.of(day)\ndef count_all(piers):\n    return 2\n{kept_ones}"
    new = f"def lower(day):\n    return tide.of(day)\n{kept_ones}"
    changes = _changes(tree("old", {"wick.py": old}), tree("new", {"wick.py": new, "_gone.py": table}))
    assert _best(changes, "wick.low")[:2] == ("ebb", 0.97)
    # It wants more than another name, so it is not sure.
    name, score, _ = _best(changes, "wick.count_all")
    assert name == "count" and score < 0.9


def test_a_text_that_speaks_of_another_thing_is_no_other_name(tree: Tree) -> None:
    harbour = "/// Keeps boats.\nclass Harbour { public: void add(int boat); };\n"
    old = {
        "p.hpp": "class Pier {\n public:\n  /// @deprecated Use Harbour instead.\n  void moor(int boat);\n"
        "  /// @deprecated Use add() instead.\n  void put(int boat);\n  int keeper;\n};\n" + harbour
    }
    changes = _changes(tree("old", old), tree("new", {"p.hpp": "class Pier { public: int keeper; };\n" + harbour}))
    found = {item.old.name: item.candidates[0] for item in changes if item.old is not None and item.candidates}
    assert {name: item.symbol.name for name, item in found.items()} == {"moor": "Harbour", "put": "add"}
    assert all(item.score < 0.6 for item in found.values())


def test_what_moved_and_is_on_its_way_out_leads_to_what_is_meant_instead(tree: Tree) -> None:
    body = "    return sorted(set(tides) & set(days))\n"
    old = {"wick/lib.py": f"def in_days(tides, days):\n{body}"}
    new = {
        "wick/_lib.py": f'def in_days(tides, days):\n    """Deprecated: use :func:`within` instead of `in_days`."""\n{body}'
        "def within(tides, days):\n    return 1\n"
    }
    assert _best(_changes(tree("old", old), tree("new", new)), "wick.lib.in_days")[:2] == ("within", 0.97)


def test_a_replacement_over_another_member_is_written_so(tree: Tree) -> None:
    doc = '"""Old.\n\n        .. deprecated:: 2\n            This method has been renamed to :func:`name.ending`.\n        """'
    old = f"class Sign:\n    def ending(self, text):\n        {doc}\n        return self.x\n"
    new = (
        "class Names:\n    def ending(self, text):\n        return self.y\n"
        "class Sign:\n    @property\n    def name(self):\n        return Names()\n"
    )
    before, after = tree("old", {"wick.py": old}), tree("new", {"wick.py": new})
    changes = _changes(before, after)
    assert _best(changes, "wick.Sign.ending") == ("ending", 0.97, "name.ending")
    rules = guess_rules(changes, before, after, "t", ()).rules
    assert ("ending", "name.ending") in {(rule.old, rule.new) for rule in rules if rule.kind == "rename"}


def test_users_write_the_path_that_shows_a_name(tree: Tree) -> None:
    body = "    return sum(depth * width for depth, width in zip(depths, widths))\n"
    shown, stands = "from wick.area import hull_area\n", f"def hull_area(depths, widths):\n{body}"
    old = tree("old", {"wick/__init__.py": shown, "wick/area.py": stands})
    new = tree(
        "new",
        {
            "wick/__init__.py": "from wick._core import hull_surface\n",
            "wick/_core.py": f"def hull_surface(depths, widths):\n{body}",
        },
    )
    rules = {rule.kind: rule for rule in guess_rules(_changes(old, new), old, new, "t", ()).rules}
    assert (rules["move"].old, rules["move"].new) == ("wick.area.hull_area", "wick.hull_surface")
    assert (rules["rename"].old, rules["rename"].new, rules["rename"].named) == ("hull_area", "hull_surface", True)


def test_a_script_that_went_elsewhere_is_imported_from_there(tree: Tree) -> None:
    text = "export function moor(boat: number): void { dock.take(boat, day, hour); }\nexport class Pier { keeper: string; }\n"
    old, new = (
        tree("old", {"wick/scene.d.ts": text}),
        tree("new", {"wick/world/index.d.ts": text.replace("day", "night")}),
    )
    (rule,) = (rule for rule in guess_rules(_changes(old, new), old, new, "t", ()).rules if rule.kind == "header")
    assert (rule.old, rule.new, rule.named) == ("wick/scene", "wick/world", True)


@pytest.mark.parametrize(
    ("file", "before", "after", "old", "new", "written"),
    [
        (
            "kind.hpp",
            "namespace m { enum PierKind { PIER_KIND_WOOD, PIER_KIND_STONE = 4 }; }",
            "namespace m { enum class PierKind { WOOD, STONE = 4 }; }",
            "m::PIER_KIND_STONE",
            "m::PierKind::STONE",
            "PierKind::STONE",
        ),
        (
            "kind.py",
            "PIER_KIND_WOOD = 1\nPIER_KIND_STONE = 4\n",
            "import enum\nclass PierKind(enum.Enum):\n    WOOD = 1\n    STONE = 4\n",
            "kind.PIER_KIND_STONE",
            "kind.PierKind.STONE",
            "PierKind.STONE",
        ),
    ],
)
def test_values_are_followed_into_an_enumeration(
    tree: Tree, file: str, before: str, after: str, old: str, new: str, written: str
) -> None:
    folders = tree("old", {file: before}), tree("new", {file: after})
    changes = _changes(*folders)
    assert ("renamed", old, new) in _told(changes)
    rules = {(rule.kind, rule.old, rule.new) for rule in guess_rules(changes, *folders, "t", ()).rules}
    assert {("move", old, new), ("rename", "PIER_KIND_STONE", written)} <= rules


def test_an_argument_with_another_name_is_followed_by_its_name(tree: Tree) -> None:
    moor = "class Pier:\n    def moor(self, boat, {}: int = 1, *, {}):\n        return 1\n"
    old = tree("old", {"wick.py": moor.format("day", "berth=0")})
    new = tree("new", {"wick.py": moor.format("on", "place=None")})
    found = guess_rules(_changes(old, new), old, new, "t", ()).rules
    rules = {rule.old: rule for rule in found if rule.kind == "keyword"}
    assert (rules["day"].call, rules["day"].new) == ("moor", "on") and rules["day"].confidence > 0.9
    assert rules["berth"].new == "place" and rules["berth"].confidence < 0.9


@pytest.mark.parametrize(
    ("path", "before", "after", "order", "is_silent"),
    [
        ("w.py", "def box(left, top, day=1): pass", "def box(top, left, day=1, *, more): pass", (2, 1, 3), True),
        (
            "w.hpp",
            "void box(float left, float top, int day);",
            "void box(float top, float left, long day);",
            (2, 1, 3),
            True,
        ),
        ("w.hpp", "void box(int left, float top);", "void box(float top, int left);", (2, 1), False),
        ("w.hpp", "void box(int left, int top);", "void box(int left, int day = 2, int top = 1);", (1, 0, 2), True),
        ("w.py", "def box(left: int, top: int): pass", "def box(left, *, top): pass", (), False),
        ("w.py", "def box(top: int): pass", "def box(left: str = '', top: str = ''): pass", (0, 1), False),
        ("w.hpp", "void box(int left, int top);", "void box(int left, int day, int top);", (), False),
        (
            "W.java",
            "public class W { public void box(int a, int b) {} }",
            "public class W { public void box(int b, int a) {} }",
            (2, 1),
            True,
        ),
        ("w.py", "def box(left, *, top, day): pass", "def box(left, *, day, top): pass", (), False),
        ("w.py", "def box(left, top): pass", "def box(top, left, day): pass", (), False),
        ("w.hpp", "void box(float left, float top);", "void box(float up, float left);", (), False),
        ("w.hpp", "void box(float left, float);", "void box(float, float left);", (), False),
        ("w.hpp", "void box(float left, float top);", "void box(int top, float left);", (), False),
    ],
)
def test_arguments_in_another_order_are_told(
    path: str, before: str, after: str, order: tuple[int, ...], is_silent: bool, tree: Tree
) -> None:
    found = [
        item for item in _changes(tree("old", {path: before}), tree("new", {path: after})) if item.kind == "reordered"
    ]
    assert bool(found) == bool(order)
    for change in found:
        assert change.old is not None and change.new is not None
        assert (new_order(change.old, change.new), change.is_silent) == (order, is_silent)


def test_a_new_name_alone_is_not_sure_where_the_arguments_have_another_order(tree: Tree) -> None:
    text = 'def box_lt({}):\n    """Draw the outline of a pier."""\n    return canvas.line(left, top, 3).close()\n'
    old = tree("old", {"w.py": text.format("left, top")})
    new = tree("new", {"w.py": text.format("top, left").replace("box_lt", "box_tl")})
    found = {rule.kind: rule for rule in guess_rules(_changes(old, new), old, new, "t", ()).rules}
    assert found["rename"].confidence < 0.6 < found["reorder"].confidence
    assert (found["reorder"].order, found["reorder"].names, found["reorder"].new) == ((2, 1), ("left", "top"), "box_tl")


def test_what_stayed_elsewhere_on_its_way_out_tells_what_to_take(tree: Tree) -> None:
    body = "    return sum(depth * width for depth, width in zip(depths, widths)) / len(depths)\n"
    doc = '    """How much water a hull of such depths and widths takes."""\n'
    old = tree("old", {"w/hulls.py": f"def hull(depths, widths):\n{doc}{body}"})
    gone = '    """.. deprecated:: 2.0\n    Use `displacement` instead, or a function of your own."""\n    warn()\n    return displacement(depths, widths)\n'
    new = tree(
        "new", {"w/_sea.py": f"def displacement(depths, widths):\n{doc}{body}\ndef hull(depths, widths):\n{gone}"}
    )
    (change,) = (
        item
        for item in _changes(old, new)
        if item.old is not None and item.old.full == "w.hulls.hull" and item.candidates
    )
    best = change.candidates[0]
    assert (
        best.symbol.name == "displacement"
        and best.score >= 0.6
        and best.evidence[0].startswith("the new release says: ")
    )


def test_a_name_that_one_thing_alone_has_is_known_elsewhere(tree: Tree) -> None:
    old = tree("old", {"w/kinds.py": "Pair = Union[int, str]\n", "w/a.py": "def main(argv): return argv[1]\n"})
    classes = "".join(f"class Box{n}:\n    pair = {n}\n" for n in range(6))
    new = tree(
        "new",
        {
            "w/shapes.py": f"Pair = tuple[int, int]\n{classes}",
            "w/b.py": "def main(): pass\n",
            "w/c.py": "def main(): pass\n",
        },
    )
    found = {change.symbol.full: change for change in _changes(old, new) if change.old is not None}
    best = found["w.kinds.Pair"].candidates[0]
    assert best.symbol.full == "w.shapes.Pair" and "nothing else has it" in best.evidence
    # A name that others have as well tells little.
    assert not any("nothing else has it" in item.evidence for item in found["w.a.main"].candidates)


def test_a_name_that_was_there_beside_it_is_found_by_what_others_lost(tree: Tree) -> None:
    kept = "class Graph:\n    def rows(self): return self.table\n    def row_count(self): return 3\n"
    lost = "".join(
        f"    def {name}_iter(self): return iter(self.{name})\n" for name in ("edges", "nodes", "depths", "tides")
    )
    moved = "".join(
        f"    def {name}(self): return iter(self.{name})\n" for name in ("edges", "nodes", "depths", "tides")
    )
    old = tree("old", {"w.py": f"{kept}{lost}    def rows_iter(self): yield 1\n    def row_width(self): return 4\n"})
    changes = {
        change.symbol.name: change
        for change in _changes(old, tree("new", {"w.py": kept + moved}))
        if change.old is not None
    }
    best = changes["rows_iter"].candidates[0]
    assert (
        best.symbol.name == "rows"
        and 0.5 < best.score < 0.9
        and best.evidence == ("4 others went from iter to nothing",)
    )
    assert "row_count" not in {item.symbol.name for item in changes["row_width"].candidates}


_WATER = "(a: Sea, b: Moon) -> TideTable: pass\n"


def test_a_comparison_is_the_same_in_every_run(tree: Tree) -> None:
    # Two groups of namesakes, of which not all are looked at closely; the likeliest is told by nothing that a group shares.
    tree("old", {"w/a.py": f"def alpha_beta{_WATER}"})
    namesakes = "".join(f"def {part}_n{n}(x): pass\n" for part in ("alpha", "beta") for n in range(40))
    tree("new", {"w/b.py": namesakes.replace("def alpha_n39(x): pass", f"def alpha_n39{_WATER}")})
    script = (
        "import sys; from pathlib import Path; from fernshale.core.drift.comparison import compare\n"
        "from fernshale.core.drift.release_symbols import read_pair; from fernshale.core.base.work import CancelToken, Work\n"
        "pair = read_pair(Path(sys.argv[1]), Path(sys.argv[2]), '', Work())\n"
        "print([(c.what, [(k.symbol.full, k.score) for k in c.candidates]) for c in compare(pair, CancelToken())])\n"
    )
    old, new = tree("old", {}), tree("new", {})
    runs = {
        subprocess.run(
            [sys.executable, "-c", script, old, new],
            capture_output=True,
            check=True,
            env={**os.environ, "PYTHONHASHSEED": seed},
        ).stdout
        for seed in "1234"
    }
    assert len(runs) == 1 and b"alpha_n39" in runs.pop()


def test_what_makes_an_object_goes_along_with_its_class(tree: Tree) -> None:
    body = "        self.hull = [depth * width for depth in range(width)]\n"
    text = "class Pier:\n    def __init__(self, {}):\n" + body + "    def keeper(self):\n        return self.hull\n"
    old = tree("old", {"w/a.py": text.format("depth, width")})
    new = tree("new", {"w/b.py": text.format("depth, day=0, width=1")})
    rules = {
        rule.call: rule for rule in guess_rules(_changes(old, new), old, new, "t", ()).rules if rule.kind == "reorder"
    }
    assert not rules  # no compiler tells, so it is an item of its own
    (change,) = (item for item in _changes(old, new) if item.kind == "reordered")
    rule = pinning_rule(change)
    assert rule is not None and (rule.call, rule.order, rule.fill) == ("Pier", (1, 0, 2), ("0",))


def test_what_overrides_a_method_takes_what_that_takes_now(tree: Tree) -> None:
    text = "class Actor:\n    def act(self, hour{}): ...\n    def rest(self{}): ...\n    def _own(self{}): ...\n"
    old = tree("old", {"w.py": text.format("", "", "")})
    new = tree("new", {"w.py": text.format(", day: int = 1, *args", ", bed=Bed()", ", x=1")})
    changes = _changes(old, new)
    assert _told(changes) == {("wider", "w.Actor.act", "w.Actor.act"), ("wider", "w.Actor.rest", "w.Actor.rest")}
    (rule,) = guess_rules(changes, old, new, "t", ()).rules
    game = "class Gull(Actor):\n    def act(self, hour):\n        self.act(hour)\n"
    once = apply_edits(game, find_edits(rule, TreePath("a.py"), game))
    assert once == game.replace("act(self, hour)", "act(self, hour, day: int = 1, *args)")
    assert not find_edits(rule, TreePath("a.py"), once) and re.search(rule.diagnostic, 'supertype "w.Actor"')
    virtual = "class Actor {{ public: virtual void act(int hour{}); void rest(int hour{}); }};"
    there = _changes(
        tree("a", {"w.hpp": virtual.format("", "")}),
        tree("b", {"w.hpp": virtual.format(", int day = 1", ", int day = 1")}),
    )
    assert [(item.kind, item.symbol.name, item.is_silent) for item in there] == [("wider", "act", True)]


def test_what_may_be_given_by_name_only_may_stand_anywhere(tree: Tree) -> None:
    text = "def box(left, *, {}): pass\ndef dot(*left, day): pass\ndef line(a, b): pass\n"
    old = tree("old", {"w.py": text.format("top, day=1")})
    new = tree("new", {"w.py": text.format("day=1, more=2, top").replace("a, b", "a, *, b")})
    assert _told(_changes(old, new)) == {("signature", "w.line", "w.line")}


def test_a_comparison_is_kept_until_a_file_changes(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    path, before, after, _ = _CASES["python"]
    old, new = tree("old", {path: before}), tree("new", {path: after})
    cache = Cache()
    first = compare_releases(old, new, "", Work(), cache)
    monkeypatch.setattr(comparison_cache, "read_pair", lambda *given: pytest.fail("it was read again"))
    assert compare_releases(old, new, "", Work(), cache) is first
    cache.clear()  # as in another process
    again = compare_releases(old, new, "", Work(), cache)
    assert _told(again) == _told(first)
    assert [[c.score for c in item.candidates] for item in again] == [
        [c.score for c in item.candidates] for item in first
    ]
    monkeypatch.undo()
    (new / path).write_text(before)
    assert compare_releases(old, new, "", Work(), cache) == ()


def test_two_processes_read_the_same(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    path, before, after, _ = _CASES["c++"]
    old, new = tree("old", {path: before, "a.py": "def f(): pass"}), tree("new", {path: after})
    alone = read_pair(old, new, "", Work())
    monkeypatch.setattr(release_symbols, "_MUCH", 0)
    assert read_pair(old, new, "", Work()) == alone


def test_unknown_folders_and_languages_are_refused(tmp_path: Path) -> None:
    with pytest.raises(MisuseError):
        read_pair(tmp_path / "nothing", tmp_path, "", Work())
    with pytest.raises(MisuseError):
        read_pair(tmp_path, tmp_path, "latin", Work())


_NAMES = st.from_regex(r"[a-z]{2,6}(_[a-z]{2,6}){0,2}|[A-Z][a-z]{1,5}([A-Z][a-z]{1,5}){0,2}", fullmatch=True)


@given(_NAMES, _NAMES)
def test_likeness_of_names_is_symmetric_and_bounded(one: str, other: str) -> None:
    rarity = Rarity([one, other, "plain_name"])
    there, back = rarity.likeness(one, other), rarity.likeness(other, one)
    assert 0 <= there <= 1 and abs(there - back) < 0.26  # forms of words are paired one after another
    assert rarity.likeness(one, one) == 1.0
    assert all(part == part.lower() for part in parts_of(one))


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


def test_an_attribute_with_a_value_is_not_another_name_for_it(tree: Tree) -> None:
    text = "class Tide: pass\nclass Pier:\n    gauge = Tide\nOldTide = Tide\n"
    changes = _changes(tree("old", {"m.py": text}), tree("new", {"m.py": "class Tide: pass\nclass Pier: pass\n"}))
    told = {c.old.name: (c.kind, c.new.name if c.new else "") for c in changes if c.old}
    assert told == {"gauge": ("removed", ""), "OldTide": ("renamed", "Tide")}


def test_a_default_is_compared_by_the_argument_and_its_value(tree: Tree) -> None:
    old = tree("old", {"m.py": "def f(a='x', b=.1, c=3): pass\n"})
    new = tree("new", {"m.py": 'def f(z=None, a="x", b=0.1, c=4): pass\n'})
    assert [c.what for c in _changes(old, new) if c.kind == "default"] == ["c of m.f was 3 and is 4"]


def test_what_two_became_is_a_candidate_for_both(tree: Tree) -> None:
    old = (
        "class Pier:\n    def get_layout(self):\n        return self.root.find('layout').value(self.berths)\n\n"
        "    @property\n    def layoutOf(self):\n        return self.root.find('layout').value(self.berths)\n"
    )
    new = "class Pier:\n    @property\n    def layout_of(self):\n        return self.root.find('layout').value(self.berths)\n"
    changes = _changes(tree("old", {"pier.py": old}), tree("new", {"pier.py": new}))
    first = {c.old.name: c.candidates[0] for c in changes if c.old is not None and c.candidates}
    assert {name: item.symbol.name for name, item in first.items()} == {
        "get_layout": "layout_of",
        "layoutOf": "layout_of",
    }
    assert first["layoutOf"].score > 0.5 > first["get_layout"].score > 0.1


def test_a_module_that_is_brought_in_is_declared_where_it_lies(tree: Tree) -> None:
    body = "function tieUp(boat, berth) {\n  return berth.ropes.map((rope) => rope.knot(boat, berth.depth));\n}\nmodule.exports = %s;\n"
    user = "var %s = require('./%s'), ways = require('./ways').all;\n\nfunction moor(boat) {\n  return %s(boat, ways);\n}\n"
    old = {"tieUp.js": body % "tieUp", "a.js": user % ("tieUp", "tieUp", "tieUp")}
    new = {"lash.js": (body % "lash").replace("tieUp", "lash"), "a.js": user % ("lash", "lash", "lash")}
    assert not [item for item in read_source(old["a.js"].encode(), "a.js") if item.name in ("tieUp", "ways")]
    (told,) = (item for item in _changes(tree("old", old), tree("new", new)) if item.old and item.old.name == "tieUp")
    assert told.kind == "renamed" and told.new is not None and (told.new.name, told.new.file) == ("lash", "lash.js")


def test_what_stands_before_the_dot_is_no_argument(tree: Tree) -> None:
    old = "impl Stage {\n    pub fn write(&mut self, text: &str, row: u32) { self.put(text, row) }\n    pub fn play(&self, name: &str) {}\n}\n"
    new = old.replace("text: &str, row: u32", "row: u32, text: &str").replace("name: &str", "name: &str, loud: f32")
    folders = (
        tree("old", {"src/stage.rs": old}),
        tree("new", {"src/stage.rs": new + 'fn f(s: &Stage) { s.play("bell", 1.0); }\n'}),
    )
    rules = {rule.kind: rule for rule in guess_rules(_changes(*folders), *folders, "t", ()).rules}
    assert (rules["reorder"].order, rules["reorder"].names) == ((2, 1), ("text", "row"))
    assert (rules["add-argument"].arguments, rules["add-argument"].position, rules["add-argument"].text) == (
        1,
        2,
        "1.0",
    )


@pytest.mark.parametrize(
    ("file", "old", "new", "written"),
    [
        (
            "w/tides.py", "def tide_of_day(day: int, pier: str) -> float:\n    return table[pier](day) + almanac(day).rise\n",
            "class Tide:\n    @classmethod\n    def of_day(cls, day: int, pier: str) -> 'Tide':\n        return cls(day, pier)\n", "Tide.of_day",
        ),
        (
            "w/tides.hpp", "namespace w { double tide_of_day(int day, const char* pier); }\n",
            "namespace w { struct Tide { static Tide of_day(int day, const char* pier); }; }\n", "Tide::of_day",
        ),
    ],
)  # fmt: skip
def test_a_function_that_went_into_a_class_is_found_by_the_name_of_both(
    file: str, old: str, new: str, written: str, tree: Tree
) -> None:
    folders = tree("old", {file: old}), tree("new", {file: new})
    changes = _changes(*folders)
    (change,) = (
        item for item in changes if item.old is not None and item.old.name == "tide_of_day" and item.kind != "signature"
    )
    assert change.kind == "renamed" and "tide_of_day is of_day of Tide" in change.candidates[0].evidence
    names = {(rule.kind, rule.new) for rule in guess_rules(changes, *folders, "t", ()).rules}
    assert names & {("rename", written), ("move", f"w::{written}"), ("move", f"w.tides.{written}")}


def test_a_class_whose_members_stand_alone_now_has_a_constructor_that_went(tree: Tree) -> None:
    members = "void moor_boat(int boat, int rope);\nint count_lanterns(int day, int hour);\nvoid ring_fog_bell(int times, float loud);\n"
    old = tree("old", {"pier.hpp": f"namespace m {{ class Pier {{ public: Pier(int n);\n{members}}}; }}\n"})
    told = _told(_changes(old, tree("new", {"pier.hpp": members})))
    assert ("moved", "m::Pier::ring_fog_bell", "ring_fog_bell") in told and ("removed", "m::Pier", "") in told


_RESULTS = [
    ("a.hpp", "namespace w { struct Tide; %s high(int of); }", "int", "Tide", True),
    ("a.hpp", "namespace w { struct Tide; %s high(int of); }", "const w::Tide&", "Tide", False),
    ("a.hpp", "#define NODISCARD [[nodiscard]]\nstruct Tide; %s high(int of);", "int", "NODISCARD int", False),
    ("a.hpp", "struct Tide { %s high; };", "int", "unsigned", True),
    ("a.py", "def high(of: int) -> %s: ...", "int", "str", True),
    ("a.py", "def high(of: int) -> %s: ...", "Optional[int]", "int | None", False),
    ("a.py", "def high(of: int) -> %s: ...", "typing.Union[int, str]", "str | int", False),
    ("a.py", "def high(of: int) -> %s: ...", "Tuple[Optional[int], int]", "tuple[int | None, int]", False),
    ("a.py", "def high(of: int) -> %s: ...", "int", "int | None", True),
    ("a.py", "class Tide:\n    high: %s = 3", "int", "float", True),
    ("a.ts", "export class Tide { high(of: number): %s { return f(of); } }", "number", "string", True),
    ("src/a.rs", "pub fn high(of: u32) -> %s { f(of) }", "u32", "u64", True),
    ("A.java", "public class Tide { public %s high(int of) { return f(of); } }", "int", "long", True),
    ("A.cs", "public class Tide { public %s High(int of) { return F(of); } }", "int", "long", True),
]  # fmt: skip


@pytest.mark.parametrize(("file", "text", "before", "after", "is_told"), _RESULTS)
def test_what_gives_another_type_is_told(
    file: str, text: str, before: str, after: str, is_told: bool, tree: Tree
) -> None:
    changes = _changes(tree("old", {file: f"{text % before}\n"}), tree("new", {file: f"{text % after}\n"}))
    told = [item for item in changes if item.kind == "signature"]
    assert len(told) == is_told
    for item in told:
        assert item.symbol.name.lower() == "high" and before in item.what and after in item.what


def test_a_type_that_has_another_name_is_no_other_type(tree: Tree) -> None:
    text = "struct {0} {{ int hour; int day; int high() const; void flow(int to); }};\n{0} now(int of);\n"
    changes = _changes(tree("old", {"a.hpp": text.format("Tide")}), tree("new", {"a.hpp": text.format("SeaTide")}))
    assert [(item.kind, item.symbol.name) for item in changes] == [("renamed", "Tide")]
