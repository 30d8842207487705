"""Calls that need more than another name: the release's declarations and bodies say in which form they are written now."""

from __future__ import annotations

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import compare
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.dropped_text import dropped_by
from fernshale.core.fix.rules import AddArgumentRule, Rule
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree

_DOC = "/** How strongly the lamp of the tower shines into the fog bank of the harbour. */"
_PY_DOC = '"""How strongly the lamp of the tower shines into the fog bank."""'


# What is tried, both releases, and a line of a game before and after.
_CASES: dict[str, tuple[dict[str, str], dict[str, str], str, str, str]] = {
    "body: other order, c++": (
        {"w.hpp": "class Lamp { public: void glow(int a, int b) { shine(b, a, 0); } void shine(int b, int a, int z); };"},
        {"w.hpp": "class Lamp { public: void shine(int b, int a, int z); };"},
        "a.cpp", "l.glow(1, f(2)); p->glow(1, 2);", "l.shine(f(2), 1, 0); p->shine(2, 1, 0);",
    ),
    "body: on an argument, c++": (
        {"w.hpp": "class Fog { public: void take(Lamp* lamp); }; class Lamp { public: void enter(Fog& fog) { fog.take(this); } int a; };"},
        {"w.hpp": "class Fog { public: void take(Lamp* lamp); }; class Lamp { public: int a; };"},
        "a.cpp", "l.enter(fog); p->enter(*deep);", "fog.take(&l); deep->take(p);",
    ),
    "body: an object, typescript": (
        {"w.ts": "export class Lamp { glow(a: number, b: number) { return this.shine({ a: b }, a); } shine(o: object, b: number) {} }"},
        {"w.ts": "export class Lamp { shine(o: object, b: number) {} }"},
        "a.ts", "l.glow(1, 2);", "l.shine({ a: 2 }, 1);",
    ),
    "body: keywords and defaults, python": (
        {"w/lamp.py": "import warnings\nclass Lamp:\n    def glow(self, a, b=1):\n        warnings.warn('old', DeprecationWarning)\n        return self.shine(b, strength=a)\n    def shine(self, b, strength): pass\n"},
        {"w/lamp.py": "class Lamp:\n    def shine(self, b, strength): pass\n"},
        "a.py", "l.glow(3)\nl.glow(3, b=2)\n", "l.shine(1, strength=3)\nl.shine(2, strength=3)\n",
    ),
    "body: defaults that only the release can write, python": (
        {"w/lamp.py": "KEPT = object()\nclass Lamp:\n    def save(self, to, how=KEPT, by=None):\n        return self.store(to, how=how, by=by, more=True)\n    def store(self, to, how=KEPT, by=None, more=False): pass\n"},
        {"w/lamp.py": "KEPT = object()\nclass Lamp:\n    def store(self, to, how=KEPT, by=None, more=False): pass\n"},
        "a.py", "l.save(x)\nl.save(x, by=3)\n", "l.store(x, more=True)\nl.store(x, by=3, more=True)\n",
    ),
    "body: of a prototype, javascript": (
        {"w.js": "export function Lamp() { this.a = 1; }\nLamp.prototype.glow = function (a, b) { return this.shine(b, a); };\nLamp.prototype.shine = function (b, a) { this.a = b; };\n"},
        {"w.js": "export function Lamp() { this.a = 1; }\nLamp.prototype.shine = function (b, a) { this.a = b; };\n"},
        "a.js", "l.glow(1, 2);", "l.shine(2, 1);",
    ),
    "static function, c++": (
        {"w.hpp": "namespace w { class Lamp { public: static Lamp make(int a, int b) { return build(b, a); } static Lamp build(int b, int a); }; }"},
        {"w.hpp": "namespace w { class Lamp { public: static Lamp build(int b, int a); }; }"},
        "a.cpp", "auto l = w::Lamp::make(1, 2);", "auto l = w::Lamp::build(2, 1);",
    ),
    "body: several calls, java": (
        {"w/Lamp.java": "package w; public class Lamp { public void restart() { stop(); start(1); } public void stop() {} public void start(int a) {} }"},
        {"w/Lamp.java": "package w; public class Lamp { public void stop() {} public void start(int a) {} }"},
        "A.java", "class A { void f() {\n  l.restart();\n} }", "class A { void f() {\n  l.stop();\n  l.start(1);\n} }",
    ),
    "body: in the new release only, rust": (
        {"src/lamp.rs": "pub struct Lamp {} impl Lamp { pub fn glow(&self, a: u8, b: u8) { let x = a; x.go(b); self.y(x) } pub fn shine(&self, b: u8, a: u8) {} }"},
        {"src/lamp.rs": "pub struct Lamp {} impl Lamp { #[deprecated]\n pub fn glow(&self, a: u8, b: u8) { self.shine(b, a) } pub fn shine(&self, b: u8, a: u8) {} }"},
        "a.rs", "l.glow(1, 2);", "l.shine(2, 1);",
    ),
    "method to its argument, c++": (
        {"w.hpp": f"namespace w {{ class Fog {{ public: int w; }}; class Lamp {{ public: {_DOC} void draw(Fog& fog, int depth); }}; }}"},
        {"w.hpp": f"namespace w {{ class Lamp {{ public: int w; }}; class Fog {{ public: int w; {_DOC} void draw(const Lamp& lamp, int depth); }}; }}"},
        "a.cpp", "void f(w::Lamp& l, w::Fog* g) { l.draw(*g, 2); }", "void f(w::Lamp& l, w::Fog* g) { g->draw(l, 2); }",
    ),
    "method to its argument, typescript": (
        {"w.ts": f"export class Fog {{ }} export class Lamp {{ {_DOC} draw(fog: Fog, depth: number) {{}} }}"},
        {"w.ts": f"export class Lamp {{ }} export class Fog {{ {_DOC} draw(lamp: Lamp, depth: number) {{}} }}"},
        "a.ts", "l.draw(this.fog, 2);", "this.fog.draw(l, 2);",
    ),
    "function to method, c++": (
        {"w.hpp": f"namespace w {{ class Lamp {{ public: int a; }}; {_DOC} void dim(Lamp& lamp, float by); }}"},
        {"w.hpp": f"namespace w {{ class Lamp {{ public: int a; {_DOC} void dim(float by); }}; }}"},
        "a.cpp", "void f(w::Lamp& l) { w::dim(l, 2); }", "void f(w::Lamp& l) { l.dim(2); }",
    ),
    "method to function, python": (
        {"w/lamp.py": f"class Lamp:\n    def dim(self, by):\n        {_PY_DOC}\n        self.level = by\n"},
        {"w/lamp.py": f"class Lamp:\n    pass\n\ndef dim(lamp, by):\n    {_PY_DOC}\n    lamp.level = by\n"},
        "a.py", "self.lamp.dim(by=2)\n", "dim(self.lamp, 2)\n",
    ),
    "gathered, c++": (
        {"w.hpp": "namespace w { class Lamp { public: void move(float x, float y, int speed); }; }"},
        {"w.hpp": "namespace w { struct Point { float x; float y; }; class Lamp { public: void move(const Point& to, int speed); }; }"},
        "a.cpp", "l.move(1, 2, 3);", "l.move(w::Point{1, 2}, 3);",
    ),
    "gathered, java": (
        {"w/Lamp.java": "package w; public class Lamp { public void move(float x, float y, int speed) {} }"},
        {
            "w/Lamp.java": "package w; public class Lamp { public void move(Point to, int speed) {} }",
            "w/Point.java": "package w; public class Point { public Point(float x, float y) {} }",
        },
        "A.java", "import w.Lamp;\nclass A { void f() { l.move(1, 2, 3); } }",
        "import w.Lamp;\nimport w.Point;\nclass A { void f() { l.move(new Point(1, 2), 3); } }",
    ),
    "gathered, typescript": (
        {"w.ts": "export class Lamp { move(x: number, y: number, speed: number) {} }"},
        {"w.ts": "export interface MoveOptions { x: number; y: number; speed: number; slow?: boolean } export class Lamp { move(options: MoveOptions) {} }"},
        "a.ts", "l.move(1, 2, 3);", "l.move({ x: 1, y: 2, speed: 3 });",
    ),
    "gathered, rust": (
        {"src/l.rs": "pub struct Lamp {} impl Lamp { pub fn go(&mut self, x: f32, y: f32) {} }"},
        {"src/l.rs": "pub struct Point { pub x: f32, pub y: f32 } pub struct Lamp {} impl Lamp { pub fn go(&mut self, to: Point) {} }"},
        "a.rs", "l.go(1.0, 2.0);", "l.go(Point { x: 1.0, y: 2.0 });",
    ),
    "gathered, python": (
        {"w/lamp.py": "class Lamp:\n    def move(self, x: float, y: float, speed: int = 1): pass\n"},
        {"w/lamp.py": "class Point:\n    def __init__(self, x: float, y: float): pass\nclass Lamp:\n    def move(self, to: Point, speed: int = 1): pass\n"},
        "a.py", "l.move(1, y=2)\nl.move(1, 2, 3)\n", "l.move(Point(1, 2))\nl.move(Point(1, 2), 3)\n",
    ),
    "gathered by a function, python": (
        {"w/lamp.py": "def fill(center_x: float, center_y: float, width: float, height: float, tint: str): pass\n"},
        {"w/lamp.py": "from typing import NamedTuple\nclass Box(NamedTuple):\n    left: float\n    top: float\n    width: float\n    height: float\n"
            "def corner_box(left: float, top: float, width: float, height: float) -> Box: pass\n"
            "def middle_box(x: float, y: float, width: float, height: float, turn: int = 0) -> Box: pass\n"
            "def fill(box: Box, tint: str): pass\n"},
        "a.py", "fill(1, 2, 3, height=f(4), tint='a')\n", "fill(middle_box(1, 2, 3, f(4)), 'a')\n",
    ),
    "gathered, with another name, python": (
        {"w/lamp.py": "def fill_area(center_x: float, center_y: float, tint: str):\n    'Fill a part of the picture with a tint.'\n"},
        {"w/lamp.py": "class Spot:\n    pass\ndef spot_of(x: float, y: float) -> Spot: pass\n"
            "def fill_spot(spot: Spot, tint: str):\n    'Fill a part of the picture with a tint.'\n"},
        "a.py", "fill_area(1, 2, 'a')\n", "fill_spot(spot_of(1, 2), 'a')\n",
    ),
    "gathered by a static function, c++": (
        {"w.hpp": "namespace w { class Lamp { public: void move(float from_x, float from_y, int speed); }; }"},
        {"w.hpp": "namespace w { class Point { public: static Point at(float x, float y); private: float a; }; class Lamp { public: void move(const Point& to, int speed); }; }"},
        "a.cpp", "l.move(1, 2, 3);", "l.move(w::Point::at(1, 2), 3);",
    ),
    "gathered, c#": (
        {"L.cs": "namespace W { public class Lamp { public void Move(float x, float y) {} } }"},
        {"L.cs": "namespace W { public struct Point { public Point(float x, float y) {} } public class Lamp { public void Move(Point to) {} } }"},
        "A.cs", "l.Move(1, 2);", "using W;\n\nl.Move(new Point(1, 2));",
    ),
    "gathered by a constructor, typescript": (
        {"w.ts": "export class Lamp { constructor(width: number, height: number, name: string) {} }"},
        {"w.ts": "export class Size { constructor(width: number, height: number) {} } export class Lamp { constructor(size: Size, name: string) {} }"},
        "a.ts", "const l = new Lamp(1, 2, 'a');", "const l = new Lamp(new Size(1, 2), 'a');",
    ),
    "accessors, c++": (
        {"w.hpp": "class Lamp { public: float strength; int k; };"},
        {"w.hpp": "class Lamp { public: float getStrength() const { return strength_; } void setStrength(float s); int k; private: float strength_; };"},
        "a.cpp", "l.strength = l.strength + 2; g(l.strength); p->strength *= a + l.strength;",
        "l.setStrength(l.getStrength() + 2); g(l.getStrength()); p->setStrength(p->getStrength() * (a + l.getStrength()));",
    ),
    "accessors in a chain, java": (
        {"w/Lamp.java": "package w; public class Lamp { public Fog fog; public int k; }"},
        {"w/Lamp.java": "package w; public class Lamp { private Fog fog; public Fog getFog() { return fog; } public int k; }"},
        "A.java", "class A { int f() { return a.lamp.fog.depth + f().fog.g(); } }",
        "class A { int f() { return a.lamp.getFog().depth + f().getFog().g(); } }",
    ),
    "other places by type, c++": (
        {"w.hpp": "class Fog {}; class Lamp { public: void draw(Fog& first, int second); };"},
        {"w.hpp": "class Fog {}; class Lamp { public: void draw(int depth, Fog& into); };"},
        "a.cpp", "l.draw(fog, f(2, 3));", "l.draw(f(2, 3), fog);",
    ),
    "several calls that became one, java": (
        {"w/Lamp.java": "package w; public class Lamp { public void open(int day) { a(); } public void kindle() { b(); } public void other() {} }"},
        {"w/Lamp.java": "package w; public class Lamp { public void begin(int day) { open(day); kindle(); } private void open(int day) { a(); } private void kindle() { b(); } public void other() {} }"},
        "A.java", "class A { void f() {\n  this.lamp.open(3);\n  this.lamp.kindle();\n  other.open(1);\n} }",
        "class A { void f() {\n  this.lamp.begin(3);\n  other.open(1);\n} }",
    ),
    "overload with a value of another library, java": (
        {"w/Lamp.java": "package w; import java.util.TimeZone; public class Lamp { public int glow(int a) { return glow(a, TimeZone.getDefault()); } public int glow(int a, TimeZone zone) { return a; } }"},
        {"w/Lamp.java": "package w; import java.util.TimeZone; public class Lamp { public int glow(int a, TimeZone zone) { return a; } }"},
        "A.java", "import w.Lamp;\n\nclass A { int f() { return l.glow(g(1, 2)); } }",
        "import java.util.TimeZone;\nimport w.Lamp;\n\nclass A { int f() { return l.glow(g(1, 2), TimeZone.getDefault()); } }",
    ),
    "overload of a constructor, java": (
        {"w/Lamp.java": "package w; public class Lamp { public static final int DIM = 3; public Lamp(String a) { this(a, DIM); } public Lamp(String a, int b) { int c = b; } }"},
        {"w/Lamp.java": "package w; public class Lamp { public static final int DIM = 3; public Lamp(String a, int b) { int c = b; } }"},
        "A.java", "class A { Lamp l = new Lamp(\"x\"); }", "class A { Lamp l = new Lamp(\"x\", Lamp.DIM); }",
    ),
    "overload that makes what the other takes, java": (
        {"w/Lamp.java": "package w; import java.util.*; public class Lamp { public int when(TimeZone zone) { Calendar by = Calendar.getInstance(zone); return when(by); } public int when(Calendar by) { return 1; } }".replace("java.util.*;", "java.util.Calendar; import java.util.TimeZone;")},
        {"w/Lamp.java": "package w; import java.util.Calendar; public class Lamp { public int when(Calendar by) { return 1; } }"},
        "A.java", "import java.util.Calendar;\nclass A { int f() { return l.when(zone); } }", "import java.util.Calendar;\nclass A { int f() { return l.when(Calendar.getInstance(zone)); } }",
    ),
    "overload of a base class, java": (
        {"w/Lamp.java": "package w; public class Lamp { public int glow(int a) { return glow(a, 2); } public int glow(int a, int b) { return b; } }"},
        {"w/Lamp.java": "package w; public class Lamp { public int glow(int a, int b) { return b; } }"},
        "A.java", "class A { int f(Beacon l, Own o) { return l.glow(1) + o.glow(1); } } class Own { int glow(int a) { return a; } }",
        "class A { int f(Beacon l, Own o) { return l.glow(1, 2) + o.glow(1); } } class Own { int glow(int a) { return a; } }",
    ),
    "overload, c++": (
        {"w.hpp": "namespace w { enum class Mode { slow }; class Lamp { public: void go(int a) { go(a, Mode::slow); } void go(int a, Mode mode); Lamp(int a) : Lamp(a, 7) {} Lamp(int a, int b); }; }"},
        {"w.hpp": "namespace w { enum class Mode { slow }; class Lamp { public: void go(int a, Mode mode); Lamp(int a) : Lamp(a, 7) {} Lamp(int a, int b); }; }"},
        "a.cpp", "l.go(1); l.go(1, w::Mode::slow);", "l.go(1, w::Mode::slow); l.go(1, w::Mode::slow);",
    ),
    "overload of a constructor, c++": (
        {"w.hpp": "class Lamp { public: Lamp(int a) : Lamp(a, 7) {} Lamp(int a, int b); };"},
        {"w.hpp": "class Lamp { public: Lamp(int a, int b); };"},
        "a.cpp", "auto l = Lamp(1);", "auto l = Lamp(1, 7);",
    ),
    "overload of a constructor, c#": (
        {"w/Lamp.cs": "namespace w { public class Lamp { public Lamp(int a) : this(a, true) { } public Lamp(int a, bool b) { c = b; } } }"},
        {"w/Lamp.cs": "namespace w { public class Lamp { public Lamp(int a, bool b) { c = b; } } }"},
        "A.cs", "class A { Lamp l = new Lamp(3); }", "class A { Lamp l = new Lamp(3, true); }",
    ),
    "factory, typescript": (
        {"w.ts": "export class Lamp { constructor(a: number, b: number) {} }"},
        {"w.ts": "export class Lamp { private constructor(a: number, b: number) {} static create(a: number, b: number): Lamp {} }"},
        "a.ts", "const l = new Lamp(1, 2);", "const l = Lamp.create(1, 2);",
    ),
}  # fmt: skip


def _best(tree: Tree, old: dict[str, str], new: dict[str, str], path: str, text: str) -> tuple[Rule, str]:
    """The best rule that matches in a text, and the text after it."""
    before, after = tree("old", old), tree("new", new)
    changes = compare(read_pair(before, after, "", Work()), CancelToken())
    rules = sorted(guess_rules(changes, before, after, "t", ()).rules, key=lambda rule: -rule.confidence)
    for rule in rules:
        if edits := find_edits(rule, TreePath(path), text):
            return rule, apply_edits(text, edits)
    raise AssertionError([rule.name for rule in rules])


@pytest.mark.parametrize("case", _CASES)
def test_the_best_proposal_is_the_new_form(case: str, tree: Tree) -> None:
    old, new, path, before, after = _CASES[case]
    rule, result = _best(tree, old, new, path, before)
    assert result == after, rule
    assert rule.confidence >= 0.8
    # Calls that go are asked about, even where another one does their work.
    dropped = dropped_by(rule, find_edits(rule, TreePath(path), before), is_declared=False)
    assert bool(dropped) == case.startswith("several calls that became one")


def test_flags_of_another_type_are_passed_on_by_their_name(tree: Tree) -> None:
    old = {
        "w.h": f"typedef unsigned int Bits;\n{_DOC}\nstruct Lamp *lamp_make(const char *title, int x, int y, Bits flags);\n"
    }
    new = {
        "w.h": f"typedef unsigned long LampFlags;\n{_DOC}\nstruct Lamp *lamp_make(const char *title, LampFlags flags);\n"
    }
    rule, text = _best(tree, old, new, "a.c", 'lamp_make("a", 1, 2, BRIGHT | DIM);')
    assert text == 'lamp_make("a", BRIGHT | DIM);' and "does not pass x, y" in rule.why
    # A pointer to another type is another thing.
    other = {"w.h": new["w.h"].replace("LampFlags flags", "struct Wick *flags")}
    was = {"w.h": old["w.h"].replace("Bits flags", "struct Bit *flags")}
    assert "FILL_IN_flags" in _best(tree, was, other, "a.c", 'lamp_make("a", 1, 2, &bit);')[1]


def test_half_of_a_call_is_a_start_where_its_function_stayed(tree: Tree) -> None:
    old = {"w.h": f"{_DOC}\nvoid lamp_draw(struct Lamp *lamp, int index, unsigned flags);\n"}
    new = {"w.h": f"{_DOC}\nvoid lamp_draw(struct Lamp *lamp, const char *name);\n"}
    rule, text = _best(tree, old, new, "a.c", "lamp_draw(l, -1, 0);")
    assert text == "lamp_draw(l, FILL_IN_name);" and rule.leaves_placeholder
    assert "does not pass index, flags" in rule.why and "fill in name" in rule.why


def test_members_of_a_type_that_went_into_its_owner_are_asked_of_that(tree: Tree) -> None:
    key = "typedef struct Key { int scan; enum Code code; unsigned mod; } Key;\n"
    old = {"w.h": f"enum Code {{ CODE_A }};\n{key}typedef struct Event {{ int when; Key key; }} Event;\n"}
    event = "typedef struct Event { int when; int scan; enum Code pressed; unsigned mod; } Event;\n"
    new = {"w.h": f"enum Code {{ CODE_A }};\n{event}"}
    pair = read_pair(tree("old", old), tree("new", new), "", Work())
    rules = guess_rules(compare(pair, CancelToken()), pair.old.folder, pair.new.folder, "t", ()).rules
    chains = {rule.name: rule for rule in rules if "key." in rule.name}
    assert {"key.scan → scan", "key.mod → mod", "key.code → pressed"} == chains.keys()
    text = "int f(Event *e, Event o) { return e->key.scan + o.key.mod + e[0].key.code + other.key.when; }\n"
    for rule in chains.values():
        text = apply_edits(text, find_edits(rule, TreePath("a.c"), text))
    assert text == "int f(Event *e, Event o) { return e->scan + o.mod + e[0].pressed + other.key.when; }\n"
    assert chains["key.code → pressed"].confidence < 0.9 <= chains["key.scan → scan"].confidence


def test_a_field_of_another_type_is_asked_about(tree: Tree) -> None:
    """Neighbours and names alone say that one became the other; the types say that it did not."""
    body = "struct Wick { int length; int burnt; int wet; };\nstruct Flame { double heat; bool lit; double glow; };\n"
    old = {"w.hpp": f"{body}struct Lamp {{ int base; Wick wick_long; int ring; int hook; }};\n"}
    confidence = {}
    for type_ in ("Wick", "Flame"):
        new = {"w.hpp": f"{body}struct Lamp {{ int base; {type_} wick_longer; int ring; int hook; }};\n"}
        rule, text = _best(tree, old, new, "a.cpp", "f(lamp.wick_long);")
        assert text == "f(lamp.wick_longer);"
        confidence[type_] = rule.confidence
    assert confidence["Flame"] < 0.9 <= confidence["Wick"]


def test_an_argument_without_a_place_is_named_and_asked_about(tree: Tree) -> None:
    old = {"w/lamp.py": "class Lamp:\n    def move(self, x, y): pass\n"}
    new = {"w/lamp.py": "class Lamp:\n    def move(self, y): pass\n"}
    text = "l.move(y=1, x=2)\nl.move(3, 4)\n"
    rule, result = _best(tree, old, new, "a.py", text)
    assert result == "l.move(1)\nl.move(4)\n"
    assert rule.why.endswith("the new call does not pass x")
    assert dropped_by(rule, find_edits(rule, TreePath("a.py"), text), is_declared=False)


def test_where_no_value_is_known_a_word_stands_that_no_compiler_takes(tree: Tree) -> None:
    old = {"w.hpp": "enum class Mode { slow, fast }; class Lamp { public: void go(int a); };"}
    new = {"w.hpp": "enum class Mode { slow, fast }; class Lamp { public: void go(int a, Mode mode); };"}
    rule, result = _best(tree, old, new, "a.cpp", "l.go(1);")
    assert result == "l.go(1, FILL_IN_mode);" and rule.confidence < 0.5
    assert "replace FILL_IN_mode by yours" in rule.why


def test_a_value_is_looked_for_in_tests_and_in_the_defaults_of_others(tree: Tree) -> None:
    old = {"w.hpp": "enum class Mode { slow, fast }; class Lamp { public: void go(int a); void stop(int a); };"}
    new = {
        "w.hpp": "enum class Mode { slow, fast }; class Lamp { public: void go(int a, Mode mode); void stop(int a, Mode mode); "
        "void rest(Mode mode = Mode::slow); void wait(int a, Mode mode = Mode::slow); };",
        "tests/a.cpp": "void test(Lamp& lamp) { lamp.go(1, Mode::fast); lamp.go(2, Mode::fast); lamp.go(2, some); }",
    }
    folders = tree("old", old), tree("new", new)
    rules = guess_rules(compare(read_pair(*folders, "", Work()), CancelToken()), *folders, "t", ()).rules
    found = {(rule.call, rule.text): rule for rule in rules if isinstance(rule, AddArgumentRule)}
    assert {*found} == {("go", "Mode::fast"), ("go", "Mode::slow"), ("stop", "Mode::slow")}
    assert found["go", "Mode::fast"].confidence > found["go", "Mode::slow"].confidence
    assert found["stop", "Mode::slow"].why.endswith("2 other functions have Mode::slow as default for it")


@pytest.mark.parametrize(
    "body",
    ["return glow(a, hidden);", "return glow(a, attic.lamp());", "count(); return glow(a, 1);", "return glow(a, a);", "return glow(a, 1) + 1;",
     "int b = next(); return glow(b, b);", "return glow(3, 1);"],
)  # fmt: skip
def test_an_overload_that_does_more_or_needs_what_is_hidden_shows_no_value(body: str, tree: Tree) -> None:
    rest = "public int glow(int a, int b) { return a; } private int hidden = 3; private int next() { return 1; } private void count() { } }"
    old = {"w/Lamp.java": f"package w; public class Lamp {{ public int glow(int a) {{ {body} }} {rest}"}
    new = {"w/Lamp.java": f"package w; public class Lamp {{ {rest}"}
    folders = tree("old", old), tree("new", new)
    rules = guess_rules(compare(read_pair(*folders, "", Work()), CancelToken()), *folders, "t", ()).rules
    assert not [rule for rule in rules if rule.kind == "call"]


def test_an_overload_that_called_one_that_is_gone_too_shows_no_value(tree: Tree) -> None:
    all_of = "public void show(Boolean all) { show(all, true); } public void show(Boolean all, boolean tells) { count = 1; } "
    one_of = "public void show(int at, Boolean one) { count = 2; } private int count; }"
    old = {"w/Lamp.java": f"package w; public class Lamp {{ {all_of}{one_of}"}
    new = {"w/Lamp.java": f"package w; public class Lamp {{ {one_of}"}
    folders = tree("old", old), tree("new", new)
    rules = guess_rules(compare(read_pair(*folders, "", Work()), CancelToken()), *folders, "t", ()).rules
    assert not [rule for rule in rules if rule.confidence >= 0.5 and rule.kind == "call"]


def test_a_value_that_only_the_old_release_has_is_not_imported(tree: Tree) -> None:
    wick = {"v/Wick.java": "package v; public class Wick { public static int size() { return 1; } }"}
    two = "public int glow(int a, int b) { return a; } }"
    one = "package w; import v.Wick; public class Lamp { public int glow(int a) { return glow(a, Wick.size()); } "
    folders = (
        tree("old", {"w/Lamp.java": one + two, **wick}),
        tree("new", {"w/Lamp.java": f"package w; public class Lamp {{ {two}"}),
    )
    rules = guess_rules(compare(read_pair(*folders, "", Work()), CancelToken()), *folders, "t", ()).rules
    assert not [rule for rule in rules if rule.kind == "call"]


def test_the_body_of_an_overload_that_can_be_overridden_shows_no_value(tree: Tree) -> None:
    two = "void glow(int a, int b); };"
    old = {"w.hpp": f"class Lamp {{ public: virtual void glow(int a) {{ glow(a, 7); }} {two}"}
    folders = tree("old", old), tree("new", {"w.hpp": f"class Lamp {{ public: {two}"})
    rules = guess_rules(compare(read_pair(*folders, "", Work()), CancelToken()), *folders, "t", ()).rules
    assert not [rule for rule in rules if rule.kind == "call"]


def test_a_member_of_an_object_is_no_value_for_others(tree: Tree) -> None:
    calls = "void f() { lamp.go(1, this.mode); lamp.go(2, this.mode); lamp.go(3, fog.mode); lamp.go(4, Mode.SLOW); }"
    old = {"w/Lamp.java": "package w; public class Lamp { public void go(int a) { } }"}
    new = {
        "w/Lamp.java": "package w; public class Lamp { public void go(int a, int mode) { } }",
        "w/Fog.java": f"package w; public class Fog {{ {calls} }}",
    }
    rule, result = _best(tree, old, new, "A.java", "class A { void f() { l.go(1); } }")
    assert "l.go(1, Mode.SLOW);" in result and "1 times" in rule.why


@pytest.mark.parametrize(
    "body",
    ["{ if (a) shine(b, a); }", "{ shine(b, a); count++; }", "{ shine(hidden_, a); }", "{ shine(b, a) + 1; }", "{ shine(later(), a); }",
     "{ return shine(b, a) && shine(a, b); }", "{ int c = next(); shine(b, a); shine(c, a); }"],
)  # fmt: skip
def test_a_body_that_does_more_or_needs_what_is_hidden_shows_nothing(body: str, tree: Tree) -> None:
    rest = "void shine(int b, int a); int next(); private: int hidden_; int count; };"
    old = {"w.hpp": f"class Lamp {{ public: void glow(int a, int b) {body} {rest}"}
    new = {"w.hpp": f"class Lamp {{ public: {rest}"}
    folders = tree("old", old), tree("new", new)
    rules = guess_rules(compare(read_pair(*folders, "", Work()), CancelToken()), *folders, "t", ()).rules
    assert not [rule for rule in rules if rule.kind == "call"]
