"""Old symbols are matched with new ones by names, bodies, scopes and what happened to their neighbours."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.crossing.stages.build.items import pinning_rule
from fernshale.core.drift.names.name_parts import Rarity, parts_of
from fernshale.core.drift.parsing import read_source
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree
from tests.core.drift.comparing import changes_between, kinds_of


def test_a_constructor_that_was_closed_leads_to_what_makes_one_now(tree: Tree) -> None:
    old = tree("old", {"b.hpp": "class Berth { public: Berth(int n); };"})
    new = tree("new", {"b.hpp": "class Berth { public: static Berth make(int n); private: Berth(int n); };"})
    (change,) = (item for item in changes_between(old, new) if item.kind == "removed")
    assert [item.symbol.full for item in change.candidates] == ["Berth::make"]


def test_what_was_renamed_together_helps_those_without_likeness(tree: Tree) -> None:
    words = ("mast", "keel", "sail", "rope", "oar")
    old = tree("old", {"m.py": "".join(f"def set_{word}(value): store('{word}', value)\n" for word in words)})
    new = tree("new", {"m.py": "".join(f"def with_{word}(value): keep('{word}', value)\n" for word in words)})
    changes = [item for item in changes_between(old, new) if item.kind == "renamed"]
    assert {(c.old.name, c.new.name) for c in changes if c.old and c.new} == {(f"set_{w}", f"with_{w}") for w in words}
    assert any("others went from set to with" in word for c in changes for word in c.candidates[0].evidence)


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
    rules = {rule.kind: rule for rule in guess_rules(changes_between(old, new), old, new, "t", ()).rules}
    assert (rules["move"].old, rules["move"].new) == ("wick.area.hull_area", "wick.hull_surface")
    assert (rules["rename"].old, rules["rename"].new, rules["rename"].named) == ("hull_area", "hull_surface", True)


def test_a_script_that_went_elsewhere_is_imported_from_there(tree: Tree) -> None:
    text = "export function moor(boat: number): void { dock.take(boat, day, hour); }\nexport class Pier { keeper: string; }\n"
    old, new = (
        tree("old", {"wick/scene.d.ts": text}),
        tree("new", {"wick/world/index.d.ts": text.replace("day", "night")}),
    )
    (rule,) = (
        rule for rule in guess_rules(changes_between(old, new), old, new, "t", ()).rules if rule.kind == "reimport"
    )
    assert (rule.old, rule.new, rule.names, rule.named) == ("wick/scene", "wick/world", ("Pier", "moor"), True)


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
    changes = changes_between(*folders)
    assert ("renamed", old, new) in kinds_of(changes)
    rules = {(rule.kind, rule.old, rule.new) for rule in guess_rules(changes, *folders, "t", ()).rules}
    assert {("move", old, new), ("rename", "PIER_KIND_STONE", written)} <= rules


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
    found = {change.symbol.full: change for change in changes_between(old, new) if change.old is not None}
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
        for change in changes_between(old, tree("new", {"w.py": kept + moved}))
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
        rule.call: rule
        for rule in guess_rules(changes_between(old, new), old, new, "t", ()).rules
        if rule.kind == "reorder"
    }
    assert not rules  # no compiler tells, so it is an item of its own
    (change,) = (item for item in changes_between(old, new) if item.kind == "reordered")
    rule = pinning_rule(change)
    assert rule is not None and (rule.call, rule.order, rule.fill) == ("Pier", (1, 0, 2), ("0",))


_NAMES = st.from_regex(r"[a-z]{2,6}(_[a-z]{2,6}){0,2}|[A-Z][a-z]{1,5}([A-Z][a-z]{1,5}){0,2}", fullmatch=True)


@given(_NAMES, _NAMES)
def test_likeness_of_names_is_symmetric_and_bounded(one: str, other: str) -> None:
    rarity = Rarity([one, other, "plain_name"])
    there, back = rarity.likeness(one, other), rarity.likeness(other, one)
    assert 0 <= there <= 1 and abs(there - back) < 0.26  # forms of words are paired one after another
    assert rarity.likeness(one, one) == 1.0
    assert all(part == part.lower() for part in parts_of(one))


def test_what_two_became_is_a_candidate_for_both(tree: Tree) -> None:
    old = (
        "class Pier:\n    def get_layout(self):\n        return self.root.find('layout').value(self.berths)\n\n"
        "    @property\n    def layoutOf(self):\n        return self.root.find('layout').value(self.berths)\n"
    )
    new = "class Pier:\n    @property\n    def layout_of(self):\n        return self.root.find('layout').value(self.berths)\n"
    changes = changes_between(tree("old", {"pier.py": old}), tree("new", {"pier.py": new}))
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
    (told,) = (
        item for item in changes_between(tree("old", old), tree("new", new)) if item.old and item.old.name == "tieUp"
    )
    assert told.kind == "renamed" and told.new is not None and (told.new.name, told.new.file) == ("lash", "lash.js")


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
    changes = changes_between(*folders)
    (change,) = (
        item for item in changes if item.old is not None and item.old.name == "tide_of_day" and item.kind != "signature"
    )
    assert change.kind == "renamed" and "tide_of_day is of_day of Tide" in change.candidates[0].evidence
    names = {(rule.kind, rule.new) for rule in guess_rules(changes, *folders, "t", ()).rules}
    assert names & {("rename", written), ("move", f"w::{written}"), ("move", f"w.tides.{written}")}


def test_a_class_whose_members_stand_alone_now_has_a_constructor_that_went(tree: Tree) -> None:
    members = "void moor_boat(int boat, int rope);\nint count_lanterns(int day, int hour);\nvoid ring_fog_bell(int times, float loud);\n"
    old = tree("old", {"pier.hpp": f"namespace m {{ class Pier {{ public: Pier(int n);\n{members}}}; }}\n"})
    told = kinds_of(changes_between(old, tree("new", {"pier.hpp": members})))
    assert ("moved", "m::Pier::ring_fog_bell", "ring_fog_bell") in told and ("removed", "m::Pier", "") in told


def test_a_type_that_stands_wherever_another_stood_is_its_successor(tree: Tree) -> None:
    """Neither name, members nor text are alike; only the declarations that use the two types say so."""
    uses = "{0} first();\nvoid moor({0} one, int berth);\nvoid cast({0} one);\nstruct Pier {{ {0} keeper; }};\n"
    old = "struct Hull { int mast; int sail; };\n" + uses.format("Hull")
    new = "struct Vessel { int funnel; };\nstruct Barge { int funnel; };\n" + uses.format("Vessel")
    changes = changes_between(tree("old", {"a.hpp": old}), tree("new", {"a.hpp": new}))
    (change,) = (item for item in changes if item.old is not None and item.old.full == "Hull")
    assert change.candidates[0].symbol.full == "Vessel"
    assert "4 declarations that had Hull have Vessel" in change.candidates[0].evidence


def test_a_member_that_a_base_has_now_is_found_there(tree: Tree) -> None:
    rest = "struct Buoy { int heading(int day); };\nstruct Lamp { int heading(int day); };\n"
    old = "struct Boat { int heading(int day); int crew; };\n"
    new = "struct Moving { int heading(int day); };\nstruct Boat : Moving { int crew; };\n" + rest
    changes = changes_between(tree("old", {"a.hpp": old}), tree("new", {"a.hpp": new}))
    (change,) = (item for item in changes if item.old is not None and item.old.full == "Boat::heading")
    assert change.kind == "moved" and change.candidates[0].symbol.full == "Moving::heading"
    assert "Boat inherits from Moving" in change.candidates[0].evidence


def test_a_function_that_became_a_method_of_its_argument_is_found_there(tree: Tree) -> None:
    others = "".join(f"struct {name} {{ bool hidden(); void clear(); }};\n" for name in ("Tree", "Table", "Chart"))
    old = "struct Entry { int row; };\nstruct List { bool is_entry_hidden(const Entry* entry); int size(); };\n"
    new = f"struct Entry {{ int row; bool is_hidden(); }};\nstruct List {{ int size(); }};\n{others}"
    changes = changes_between(tree("old", {"a.hpp": old}), tree("new", {"a.hpp": new}))
    change = next(item for item in changes if item.old is not None and item.old.full == "List::is_entry_hidden")
    assert change.candidates[0].symbol.full == "Entry::is_hidden"
    assert "its argument Entry has it now" in change.candidates[0].evidence


@pytest.mark.parametrize(("one", "other"), [("get", "set"), ("show", "hide"), ("first", "last")])
def test_a_name_that_says_the_opposite_is_no_successor(tree: Tree, one: str, other: str) -> None:
    old = tree("old", {"a.h": f"int boat_{one}_lamp(int a);\nint quay(int a);\n"})
    new = tree("new", {"a.h": f"int boat_{other}_lamp(int a);\nint boat_{one}_light(int a);\nint quay(int a);\n"})
    (change,) = (item for item in changes_between(old, new) if item.old is not None)
    assert change.candidates[0].symbol.name == f"boat_{one}_light"


def test_a_function_that_stayed_and_takes_the_same_is_a_candidate(tree: Tree) -> None:
    twin = "def load_sea_chart(sheet, day=None, ink=3):\n    return sheet.read(day, ink)\n\ndef fetch(sheet, day=None, ink=3):\n    pass\n"
    called = "def load_sea_map(sheet, day=None, ink=3):\n    return asmap(load_sea_chart(sheet, day, ink))\n\n"
    alike = "def load_sea_slip(sheet, day=None, ink=3):\n    return slip(sheet)\n\n"
    other = "def load_fog(depth):\n    return depth\n\n"
    changes = changes_between(tree("old", {"m.py": called + alike + other + twin}), tree("new", {"m.py": twin}))
    found = {item.old.name: item.candidates[0] for item in changes if item.old is not None and item.candidates}
    assert {name: item.symbol.name for name, item in found.items()} == {
        "load_sea_map": "load_sea_chart",
        "load_sea_slip": "load_sea_chart",
    }
    assert 0.5 <= found["load_sea_slip"].score < found["load_sea_map"].score < 0.9


def test_a_name_for_insiders_that_was_another_name_is_followed(tree: Tree) -> None:
    kept = "class TextClause:\n    pass\n"
    old = kept + "_TextClause = TextClause\n_other = 3\n_mine = missing\n"
    changes = changes_between(tree("old", {"m.py": old}), tree("new", {"m.py": kept}))
    assert [(item.kind, item.old.name if item.old else "", item.new.name if item.new else "") for item in changes] == [
        ("renamed", "_TextClause", "TextClause")
    ]


def _class(name: str, methods: tuple[str, ...]) -> str:
    parts = (f"/** How the {method} of the tower is done by night. */ void {method}(int hour);" for method in methods)
    return f"class {name} {{ public: {' '.join(parts)} }};\n"


_OF_LAMP = ("kindle", "snuff", "trim", "polish")


@pytest.mark.parametrize(("moved", "uses", "score"), [(4, 3, 0.85), (4, 0, 0.5), (3, 3, 0.85), (2, 3, 0.0)])
def test_a_type_whose_members_moved_to_another_became_that(moved: int, uses: int, score: float, tree: Tree) -> None:
    def users(type_: str) -> str:
        return "".join(f"void use_{number}({type_}& one);\n" for number in range(uses))

    old = _class("Lamp", _OF_LAMP) + _class("Tower", ("climb",)) + users("Lamp")
    new = _class("Tower", ("climb", *_OF_LAMP[:moved])) + users("Tower")
    changes = changes_between(tree("old", {"m.hpp": old}), tree("new", {"m.hpp": new}))
    (change,) = (item for item in changes if item.old is not None and item.old.name == "Lamp")
    best = change.candidates[0] if change.candidates else None
    assert (best.symbol.name if best else "", best.score if best else 0.0) == (("Tower", score) if score else ("", 0.0))
    if score > 0.5:
        # What only names the type, and what moved with it, are no changes of their own.
        assert not [item for item in changes if item.kind in ("signature", "moved")]


def test_a_scope_that_lost_some_of_its_names_is_where_it_was(tree: Tree) -> None:
    """Of a namespace some types went to another; a name that another replaced there is not looked for where those went."""
    stays = "".join(f"export interface Kept{word} {{ size: number; }}\n" for word in ("Bow", "Keel", "Mast", "Oar"))
    went = "".join(f"export interface {word}Chart {{ {word.lower()}: number; }}\n" for word in ("Tide", "Depth", "Fog"))
    lit = "export interface Lamp{} {{ warmth: number; glow: string; }}\n"
    old = f"export namespace harbour {{\n{stays}{went}{lit.format('Options')}}}\n"
    new = (
        f"export namespace harbour {{\n{stays}{lit.format('Settings')}}}\n"
        f"export namespace charts {{\n{went}{lit.format('Settings')}}}\n"
    )
    changes = changes_between(tree("old", {"w.d.ts": old}), tree("new", {"w.d.ts": new}))
    best = {
        c.old.name: c.candidates[0].symbol.full for c in changes if c.old and c.old.name != c.old.full and c.candidates
    }
    assert best["LampOptions"] == "harbour.LampSettings"
    assert best["TideChart"] == "charts.TideChart"


@pytest.mark.parametrize(("was", "now"), [("hpaned", "paned"), ("ilantern", "lantern")])
def test_a_name_that_lost_one_letter_of_a_part_is_found(was: str, now: str, tree: Tree) -> None:
    # More new names share the other parts than are looked at.
    more = "".join(
        f"Row *row_{a}{b}_new(void);\n"
        for a in "bcdfgklm"
        for b in ("oat", "ell", "uoy", "ank", "elt", "ow", "ay", "ug", "ar")
    )
    old, new = (
        tree("old", {"w.h": f"Row *row_{was}_new(void);\n"}),
        tree("new", {"w.h": f"{more}Row *row_{now}_new(void);\n"}),
    )
    (change,) = (c for c in changes_between(old, new) if c.old is not None and was in c.old.name)
    assert change.candidates[0].symbol.name == f"row_{now}_new"


def test_another_operator_is_not_another_spelling_of_the_same(tree: Tree) -> None:
    words = ("mast", "keel", "sail", "oar", "bow")
    spelled = [f"void set{word.capitalize()}(int);" for word in words], [f"void set_{word}(int);" for word in words]
    same = "bool operator==(const Row&) const; Row& operator=(const Row&); int a;"
    old = tree(
        "old", {"w.hpp": f"class Row {{ public: {same} bool operator<(const Row&) const; {' '.join(spelled[0])} }};"}
    )
    new = tree("new", {"w.hpp": f"class Row {{ public: {same} {' '.join(spelled[1])} }};"})
    changes = {c.old.name: c for c in changes_between(old, new) if c.old is not None}
    assert changes["setMast"].candidates[0].symbol.name == "set_mast"
    assert not any(item.symbol.name.startswith("operator") for item in changes["operator<"].candidates)
