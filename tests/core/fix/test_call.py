"""Calls written in another form."""

from __future__ import annotations

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.dropped_text import dropped_by
from fernshale.core.fix.rules import CallRule, Rule


def fixed(rule: Rule, text: str, path: str = "a.cpp") -> str:
    return apply_edits(text, find_edits(rule, TreePath(path), text))


def call(name: str, new: str, *parameters: str, of: str = "") -> CallRule:
    return CallRule("r", "w", call=name, new=new, parameters=parameters, of=of)


ON_CANVAS = call("draw", "$canvas.paint($it)", "canvas", of="Lamp")
ON_POINTER = call("draw", "$canvas->paint(&$it)", "canvas", of="Lamp")
GATHERED = call("move", "$it.move(Point($x, $y), $speed)", "x", "y", "speed=", of="Lamp")
SPLIT = call("refresh", "$it.clear($x); $it.fill($x)", "x", of="Lamp")


# New forms with operators of their own; and the class of a method, which is named nowhere.
IN_PLACE = CallRule("r", "w", call="Lamp.hide", new="$it.show(!$off, 1)", parameters=("off",), of="Lamp", named=True)
TWICE = CallRule("r", "w", call="grow", new="scale($n * 2, by=$m, no=not $o)", parameters=("n", "m", "o"))


@pytest.mark.parametrize(
    ("rule", "path", "before", "after"),
    [
        # A method that moved to its argument: object and argument change places.
        (ON_CANVAS, "a.cpp", "lamp.draw(canvas);", "canvas.paint(lamp);"),
        (ON_CANVAS, "a.cpp", "lamp->draw(*canvas);", "canvas->paint(*lamp);"),
        (ON_CANVAS, "a.cpp", "this->draw(c); draw(c);", "c.paint(*this); c.paint(*this);"),
        (ON_CANVAS, "a.cpp", "a.b(1)[2]->draw(f(x).y);", "f(x).y.paint(*a.b(1)[2]);"),
        (ON_CANVAS, "a.cpp", "lamp.draw(night ? a : b);", "(night ? a : b).paint(lamp);"),
        (ON_POINTER, "a.cpp", "lamp.draw(&canvas); lamp->draw(canvas);", "canvas.paint(&lamp); canvas->paint(lamp);"),
        (IN_PLACE, "a.cpp", "lamp.hide(a || b); lamp.hide(!a); lamp.hide(f(a, b));",
         "lamp.show(!(a || b), 1); lamp.show(!(!a), 1); lamp.show(!f(a, b), 1);"),
        (IN_PLACE, "a.py", "lamp.hide(off=a or b)\n", "lamp.show(!(a or b), 1)\n"),
        (TWICE, "a.py", "grow(a + b, c or d, e if f else g)\n", "scale((a + b) * 2, by=c or d, no=not (e if f else g))\n"),
        (ON_CANVAS, "A.java", "new Lamp().draw(canvas);", "canvas.paint(new Lamp());"),
        (ON_CANVAS, "A.java", "draw(canvas); return draw(a);", "canvas.paint(this); return a.paint(this);"),
        (ON_CANVAS, "A.cs", "lamp.draw(canvas: c);", "c.paint(lamp);"),
        (ON_CANVAS, "a.ts", "this.lamp.draw(this.canvas)", "this.canvas.paint(this.lamp)"),
        (ON_CANVAS, "a.py", "self.lamp.draw(canvas=a or b)\n", "(a or b).paint(self.lamp)\n"),
        (call("draw", "$canvas.paint(&$it)", "canvas", of="Lamp"), "a.rs", "lamp.draw(&mut canvas);", "canvas.paint(&lamp);"),
        (call("text", "*$item.text()", "item"), "a.cpp", "text(p); text(*p);", "*p.text(); *p->text();"),
        # A constructor, and what makes the object in its place.
        (call("Lamp", "Lamp(new Size($a, $b))", "a", "b"), "A.java", "f(new Lamp(1, 2));", "f(new Lamp(new Size(1, 2)));"),
        (call("Lamp", "Lamp.make($b, $a)", "a", "b"), "A.java", "f(new Lamp(1, 2));", "f(Lamp.make(2, 1));"),
        (call("Lamp", "Lamp(Size($a, $b))", "a", "b"), "a.py", "w.Lamp(1, b=2)\n", "w.Lamp(Size(1, 2))\n"),
        # A static function: only of that class.
        (call("Lamp::make", "w::Lamp::build($a)", "a"), "a.cpp", "w::Lamp::make(1); Fog::make(2); make(3);", "w::Lamp::build(1); Fog::make(2); make(3);"),
        (call("Lamp.make", "Lamp.build($a)", "a"), "A.java", "w.Lamp.make(1); Fog.make(2);", "Lamp.build(1); Fog.make(2);"),
        # Calls that are declarations, of another type, or with other arguments stay.
        (ON_CANVAS, "a.cpp", "void draw(Canvas& c) {}", "void draw(Canvas& c) {}"),
        (ON_CANVAS, "a.cpp", "void f(Shed& s) { s.draw(c); }", "void f(Shed& s) { s.draw(c); }"),
        (ON_CANVAS, "a.cpp", "lamp.draw(a, b); lamp.draw();", "lamp.draw(a, b); lamp.draw();"),
        (ON_CANVAS, "a.py", "lamp.draw(*all)\ndef draw(c):\n    pass\n", "lamp.draw(*all)\ndef draw(c):\n    pass\n"),
        (ON_CANVAS, "a.ts", "class A { draw(c) { } draw(c): void { } }", "class A { draw(c) { } draw(c): void { } }"),
        (ON_CANVAS, "a.ts", "lamp?.draw(canvas)", "lamp?.draw(canvas)"),
        (ON_CANVAS, "a.rs", "if lamp.draw(canvas) { }", "if canvas.paint(lamp) { }"),
        (call("dim", "$lamp.dim($by)", "lamp", "by"), "a.rs", "while dim(a, 1) { } fn dim(a: A, b: u8) { }", "while a.dim(1) { } fn dim(a: A, b: u8) { }"),
        (call("dim", "$lamp.dim($by)", "lamp", "by"), "a.lua", "local a = b\ndim(a, 1)\nlocal function dim(a, b) end", "local a = b\na.dim(1)\nlocal function dim(a, b) end"),
        (call("dim", "$lamp.dim($by)", "lamp", "by"), "a.c", "void\ndim(A a, int b)\n{ }\n", "void\ndim(A a, int b)\n{ }\n"),
        # Arguments that are put into one object.
        (GATHERED, "a.cpp", "lamp.move(1, f(2, 3));", "lamp.move(Point(1, f(2, 3)));"),
        (GATHERED, "a.cpp", "lamp->move(1, 2, 3);", "lamp->move(Point(1, 2), 3);"),
        (GATHERED, "a.py", "lamp.move(y=2, x=1)\n", "lamp.move(Point(1, 2))\n"),
        (call("save", "$it.store($x, how=$how, into=$into)", "x", "how=", "into=", of="Lamp"), "a.py", "l.save(1)\nl.save(1, into=2)\n", "l.store(1)\nl.store(1, into=2)\n"),
        # A function that became a method, and the reverse; calls in calls.
        (call("dim", "$lamp.dim($by)", "lamp", "by=0.5"), "a.cpp", "rush::dim(a, 1); dim(b);", "a.dim(1); b.dim(0.5);"),
        (call("dim", "$lamp.dim($by)", "lamp", "by"), "a.py", "rush.dim(dim(a, 1), by=2)\n", "a.dim(1).dim(2)\n"),
        (call("dim", "dim($it, $by)", "by", of="Lamp"), "a.cpp", "a.dim(b->dim(1));", "dim(a, dim(*b, 1));"),
        (call("dim", "dim(&$it, $by)", "by", of="Lamp"), "a.cpp", "a.dim(1); b->dim(1);", "dim(&a, 1); dim(b, 1);"),
        (call("dim", "fade($by, $lamp)", "lamp", "by"), "a.py", "from m import dim\nm.dim(a, 1)\n", "from m import fade\nm.fade(1, a)\n"),
        # Several calls in the place of one: only where it is a statement, and nothing is evaluated twice.
        (SPLIT, "a.cpp", "  lamp.refresh(1);\n", "  lamp.clear(1);\n  lamp.fill(1);\n"),
        (SPLIT, "a.py", "if a:\n    lamp.refresh(1)\n", "if a:\n    lamp.clear(1)\n    lamp.fill(1)\n"),
        (SPLIT, "a.cpp", "x = lamp.refresh(1); lamp.refresh(f());", "x = lamp.refresh(1); lamp.refresh(f());"),
        (SPLIT, "a.cpp", "make().refresh(1);", "make().refresh(1);"),
    ],
)  # fmt: skip
def test_a_call_is_written_in_its_new_form(rule: CallRule, path: str, before: str, after: str) -> None:
    assert fixed(rule, before, path) == after
    if rule.is_repeatable:
        assert fixed(rule, after, path) == after


def test_a_new_form_names_only_what_a_call_has() -> None:
    with pytest.raises(ValueError, match="no parameter is called b"):
        call("f", "g($b)", "a")


def test_what_a_new_form_has_no_place_for_is_asked_about() -> None:
    rule = call("draw", "$canvas.paint()", "canvas", "depth=", of="Lamp")
    text = "lamp.draw(canvas, 2);"
    assert fixed(rule, text) == "canvas.paint();"
    assert rule.loses == ("it", "depth")
    assert dropped_by(rule, find_edits(rule, TreePath("a.cpp"), text), is_declared=False) == "lamp.draw(canvas, 2)"
    assert dropped_by(ON_CANVAS, find_edits(ON_CANVAS, TreePath("a.cpp"), "lamp.draw(c);"), is_declared=False) == ""


CODE = st.lists(
    st.sampled_from(["draw", "move", "(", ")", ", ", "1", "a", ".", "->", "canvas=", "*", "new ", "\n", "[", "]", "'", "# "]),
    max_size=30,
).map("".join)  # fmt: skip


@example("draw(, 1)", ON_CANVAS, "a.cpp")
@given(CODE, st.sampled_from([ON_CANVAS, ON_POINTER, GATHERED]), st.sampled_from(["a.py", "a.cpp", "A.cs", "a.ts"]))
def test_whatever_the_text_no_name_or_number_is_lost(text: str, rule: CallRule, path: str) -> None:
    after = fixed(rule, text, path)
    for word in ("1", "a", "'"):
        assert after.count(word) >= text.count(word) - 6 * text.count("canvas=") * (word == "a")
