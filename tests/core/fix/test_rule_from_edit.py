"""A rule from one change: what varies becomes a metavariable, and the rule does at other places what was done at one."""

from __future__ import annotations

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits, try_rule
from fernshale.core.fix.member_from_edit import AddedLines, learn_member
from fernshale.core.fix.rule_from_edit import EditLines, learn_rules

_PATH = TreePath("a.cpp")
# What was changed, and what the rule must make of another place.
_CASES = [
    ('m::write_log("a");', 'm::log_info("a");', "x.write_log(b + c);", "x.log_info(b + c);"),
    ("w.spawn(a, 1, f(2));", "w.spawn(a, 1, f(2), Layer::Water);", "harbour.spawn(g(), h, 3);", "harbour.spawn(g(), h, 3, Layer::Water);"),
    ("auto k = pier.keeper + 1;", "auto k = pier.keeper() + 1;", "if (old.keeper == x) {}", "if (old.keeper() == x) {}"),
    ("m::Berth b(1, two);", "auto b = m::Berth::make(1, two);", "m::Berth east(n(), 4);", "auto east = m::Berth::make(n(), 4);"),
    ("int d = almanac.first_tide(day) * 2;", "int d = almanac.first_tide(day) / 60 * 2;", "f(a.first_tide(1));", "f(a.first_tide(1) / 60);"),
    ("load(path(name), 3);", "load(Path(path(name)), 3);", "load(path(b), z);", "load(Path(path(b)), z);"),
    ("m::Weather w;", "m::Sky::Weather w;", "m::Weather now = f();", "m::Sky::Weather now = f();"),
    ("void on_moor(m::World& w, int berth) {", "void on_moor(m::World& w, m::BerthId berth) {", "void B::on_moor(m::World& here, int b)", "void B::on_moor(m::World& here, m::BerthId b)"),
    ("draw(x, y, old);", "draw(x, y);", "draw(1, 2, 3);", "draw(1, 2);"),
    ('#include "m/canvas.hpp"', '#include "m/draw/canvas.hpp"', "#include <m/canvas.hpp>", "#include <m/draw/canvas.hpp>"),
    ("fn->blocks().push_back(one);", "fn->insert(fn->end(), one);", "a->it->blocks().push_back(f(1, 2));", "a->it->insert(a->it->end(), f(1, 2));"),
    ("bb->list().push_back(inst);", "inst->insertInto(bb, bb->end());", "here->list().push_back(add);", "add->insertInto(here, here->end());"),
    ("auto* p = new Foo(x);", "auto p = std::make_unique<Foo>(x);", "auto* q = new Bar(1, 2);", "auto q = std::make_unique<Bar>(1, 2);"),
    ("auto v = f(x).value;", "auto v = f(x);", "use(f(y + 1).value);", "use(f(y + 1));"),
    ("m.view.move_to((x, y), 0.5);", "m.view.position = (x, y);", "cam.move_to(pos, speed);", "cam.position = pos;"),
    ("x = load(name, up = 1);", "x = load(name).up();", "y = load(f(2), up = 1);\nz = load(b, c);", "y = load(f(2)).up();\nz = load(b, c);"),
    ("draw(a, b, c);", "Pen(a).with(b).run(c);", "draw(1, f(x), z);", "Pen(1).with(f(x)).run(z);"),
    ("f();\nm::flush_piers();\ng();", "f();\ng();", "a();\nm::flush_piers();\nb();\n", "a();\nb();\n"),
]  # fmt: skip


@pytest.mark.parametrize(("before", "after", "other", "wanted"), _CASES)
def test_what_was_done_once_is_done_elsewhere(before: str, after: str, other: str, wanted: str) -> None:
    line = next(number for number, text in enumerate(other.split("\n"), 1) if text not in wanted.split("\n"))
    rule = learn_rules(before, after, _PATH, [EditLines(_PATH, other, frozenset({line}))], "learned", "w")[0]
    assert apply_edits(other, find_edits(rule, _PATH, other)) == wanted
    assert try_rule(rule) == ()


def test_a_rule_that_touches_less_beside_comes_first() -> None:
    text = "a.go(1);\nb.go(2);\nother(3);\n"
    rules = learn_rules("x.go(5);", "x.run(5);", _PATH, [EditLines(_PATH, text, frozenset({1, 2}))], "l", "w")
    assert (rules[0].kind, rules[0].old, rules[0].new) == ("rename", "go", "run")


@pytest.mark.parametrize("access", [".", "->"])
def test_what_is_asked_through_a_pointer_is_asked_of_an_object_too(access: str) -> None:
    before, after = f"fn{access}blocks().push_back(one);", f"fn{access}insert(fn{access}end(), one);"
    rule = learn_rules(before, after, _PATH, (), "l", "w")[0]
    text = "here.blocks().push_back(a);\nthere->blocks().push_back(b);\n"
    made = apply_edits(text, find_edits(rule, _PATH, text))
    assert made == "here.insert(here.end(), a);\nthere->insert(there->end(), b);\n"
    assert not find_edits(rule, _PATH, made)


def test_where_an_arrow_is_no_pointer_it_is_none() -> None:
    rule = learn_rules("fn.blocks().push_back(one);", "fn.insert(fn.end(), one);", _PATH, (), "l", "w")[0]
    for path, text in (("A.java", "x -> blocks().push_back(b);"), ("a.py", "def f() -> blocks().push_back(b): ...")):
        assert not find_edits(rule, TreePath(path), text)
        assert find_edits(rule, TreePath(path), text.replace(" -> ", "."))


def test_no_name_of_the_example_is_written_elsewhere() -> None:
    text = "one->blocks().push_back(a);\ntwo.blocks().push_back(b);\nother(fn, 1, c);\n"
    others = [EditLines(_PATH, text, frozenset((1, 2, 3)))]
    for rule in learn_rules("fn->blocks().push_back(x);", "fn->insert(fn->end(), x);", _PATH, others, "l", "w"):
        assert "fn" not in rule.replacement or "fn" in rule.pattern


def test_arguments_that_went_are_not_made_those_of_the_example() -> None:
    for rule in learn_rules("a.add(mesh, 1);", "a.add(other);", _PATH, (), "l", "w"):
        assert "$$" not in rule.pattern or "$$" in rule.replacement


_TEXT = st.text(alphabet="ab.(),;{} x", max_size=40)


@given(_TEXT, _TEXT)
@example("a(,)", ";")
@example("a(;)", ";")
def test_every_rule_makes_the_change_it_was_learned_from(before: str, after: str) -> None:
    for rule in learn_rules(before, after, _PATH, (), "l", "w"):
        edits = find_edits(rule, _PATH, before)
        made = {apply_edits(before, edits), *(apply_edits(before, [edit]) for edit in edits)}
        assert any(text.split() == after.split() or "".join(text.split()) == "".join(after.split()) for text in made)


@pytest.mark.parametrize(
    ("path", "text", "added", "other", "wanted"),
    [
        (
            "a.cpp",
            "class A : public m::Actor {\npublic:\n    int n;\n%s};\n",
            "    int describe() const override {\n        return 1;\n    }\n",
            "class B : m::Actor {\npublic:\n    int x;\n};\nclass C : Other {\n};\n",
            "class B : m::Actor {\npublic:\n    int describe() const override {\n        return 1;\n    }\n    int x;\n};\n"
            "class C : Other {\n};\n",
        ),
        (
            "a.py",
            "import m\n\n\nclass A(m.Actor):\n    n = 1\n%s",
            "\n    def describe(self):\n        return 1\n",
            "class B(Actor):\n  x = 1\n\n\nclass C(B):\n    describe = None\n\nclass D(Actor): pass\n",
            "class B(Actor):\n  x = 1\n\n  def describe(self):\n      return 1\n\n\nclass C(B):\n    describe = None\n\n"
            "class D(Actor): pass\n",
        ),
    ],
)
def test_a_member_put_into_one_class_is_put_into_the_others(
    path: str, text: str, added: str, other: str, wanted: str
) -> None:
    start = text.index("%s")
    whole = text % added
    rule = learn_member(AddedLines(whole, TreePath(path), start, start + len(added)), "describe", "", "l", "w")
    assert rule is not None and rule.member == "describe"
    made = apply_edits(other, find_edits(rule, TreePath(path), other))
    assert made == wanted
    assert find_edits(rule, TreePath(path), made) == () == find_edits(rule, TreePath(path), whole)
    assert learn_member(AddedLines(whole, TreePath(path), start, start + len(added)), "nothing", "", "l", "w") is None
