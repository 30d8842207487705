"""Which fixes a cause is offered: what has to do with it, each as often as it may be followed."""

from __future__ import annotations

import pytest

from fernshale.core.base.work import Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.stages.build.fix_search import FixSearch
from fernshale.core.crossing.stages.build.view import CauseView
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_OLD = (
    "#include <string>\nnamespace rush { void draw(int hour, const std::string& text); struct Pier { int boats; }; }\n"
)
_NEW = "#include <string>\nnamespace rush { void draw(const std::string& text, int hour); struct Pier { int count(); private: int boats; }; }\n"
_CODE = '#include "rush.hpp"\nvoid f(rush::Pier& pier) {\n    rush::draw(pier.boats, "all");\n}\n'
_CALL = "src/a.cpp:3:15: error: no matching function for call to 'draw(int&, const char [4])'\n"
_PRIVATE = "src/a.cpp:3:21: error: 'int rush::Pier::boats' is private within this context\n"


def _take(crossing: Crossing, key: str, way: str) -> None:
    act(crossing, key, way)


def _built(tree: Tree, log: str) -> Crossing:
    game = {"src/a.cpp": _CODE, "said.log": log}
    crossing = begin_engine(
        tree, {"include/rush.hpp": _OLD}, {"include/rush.hpp": _NEW}, game, "cat {project}/said.log; exit 1"
    )
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    return crossing


def _cause(crossing: Crossing) -> CauseView:
    (view,) = inspect(crossing, Work()).build.causes
    return view


def test_arguments_are_put_at_their_places_once(tree: Tree) -> None:
    crossing = _built(tree, _CALL)
    view = _cause(crossing)
    (fix,) = view.fixes
    assert fix.rule.kind == "reorder"
    _take(crossing, f"cause:{view.cause.key}", fix.rule.id)
    source = crossing.setup.project / "src/a.cpp"
    assert 'rush::draw("all", pier.boats);' in source.read_text()
    _take(crossing, "build:run", "build")
    assert not _cause(crossing).fixes  # whatever the compiler says still, a second time would put them back
    undo(crossing, crossing.logbook()[-2].id, Work())
    assert 'rush::draw(pier.boats, "all");' in source.read_text()
    assert [item.rule.kind for item in _cause(crossing).fixes] == ["reorder"]


def test_what_only_shares_a_line_with_something_private_is_not_offered(tree: Tree) -> None:
    view = _cause(_built(tree, _PRIVATE))
    assert (view.cause.kind, view.cause.symbol) == ("private", "boats")
    assert not [fix for fix in view.fixes if fix.rule.kind == "reorder"]


_MANY_OLD = """\
#include <string>
namespace rush {
struct Lamp { int glow(int by); int dim; void snuff(); static Lamp make(int a, int b); Lamp(int a, int b); };
struct Buoy { virtual void rise(int hour); };
int draw(int hour, const std::string& text);
constexpr int DEEP = 3;
}
"""
_MANY_NEW = """\
#include <string>
namespace rush {
struct Beacon { int shine(int by, int how); int dim(); static Beacon make(int b, int a); private: Beacon(int a, int b); };
struct Buoy { virtual void rise(const std::string& hour) = 0; };
int draw(const std::string& text, int hour);
constexpr int VERY_DEEP = 3;
}
"""
_MANY_GAME = """\
#include "rush.hpp"
struct Own : rush::Buoy { void rise(int hour) override; };
int f(rush::Lamp& lamp, rush::Lamp* other) {
    lamp.snuff();
    return lamp.glow(rush::DEEP) + other->dim +
           rush::draw(1, "all");
}
rush::Lamp made(1, 2);
Own own;
"""


def test_only_rules_that_can_apply_are_tried_for_a_cause(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    game = {"src/a.cpp": _MANY_GAME, "src/b.cpp": _MANY_GAME.replace("Own", "Other").replace("made", "built")}
    game["said.log"] = "src/a.cpp:4:10: error: no matching function for call to 'snuff(int)'\n"
    build = "cd {project}/src && for file in a b; do g++ -std=c++17 -fsyntax-only -I {engine}/include $file.cpp; done; cat ../said.log; exit 1"
    crossing = begin_engine(tree, {"include/rush.hpp": _MANY_OLD}, {"include/rush.hpp": _MANY_NEW}, game, build)
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    found = inspect(crossing, Work()).build.causes
    assert len(found) > 4 and sum(len(view.fixes) for view in found) > 4 and any(view.refused for view in found)
    monkeypatch.setattr(FixSearch, "_worth_trying", lambda self, cause, spots: list(self.live))
    every = inspect(crossing, Work()).build.causes
    assert [(view.cause.key, view.fixes, view.refused) for view in every] == [
        (view.cause.key, view.fixes, view.refused) for view in found
    ]


def test_of_two_errors_on_a_line_a_fix_clears_the_one_that_it_changes(tree: Tree) -> None:
    old = "struct Key { int scan; int mod; };\nstruct Event { int when; struct Key key; };\n"
    new = "struct Event { int when; int scan; int mod; };\n"
    code = "int f(struct Event *e) {\n    return e->key.scan + e->key.mod;\n}\nint g(struct Event e) { return e.key.mod; }\n"
    build = "gcc -fsyntax-only -I {engine}/include {project}/src/a.c"
    game = {"src/a.c": f'#include "rush.h"\n{code}'}
    crossing = begin_engine(tree, {"include/rush.h": old}, {"include/rush.h": new}, game, build)
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    view = _cause(crossing)
    assert view.cause.count == 3
    assert {fix.rule.name: fix.clears for fix in view.fixes} == {"key.scan → scan": 1, "key.mod → mod": 2}
    # One of them does not handle the cause: the other is offered before the next build, too.
    _take(crossing, view.key, view.fixes[0].rule.id)
    (left,) = _cause(crossing).fixes
    assert left.rule.id == view.fixes[1].rule.id
    _take(crossing, view.key, left.rule.id)
    _take(crossing, "build:run", "build")
    assert inspect(crossing, Work()).build.passed


def test_classes_that_lost_a_method_alike_offer_one_fix(tree: Tree) -> None:
    doc = "/** How strongly the {} shines into the fog bank of the harbour at night. */ int {}(int strength, bool far);"
    old, new = (
        "".join(
            f"struct {name} {{ {doc.format(name.lower(), called)} int {name.lower()}_size; }};\n"
            for name in ("Lamp", "Buoy", "Mast")
        )
        for called in ("glow_of", "glow_at")
    )
    game = {
        "src/a.cpp": "int f(Quay& quay) { return quay.glow_of(3, true); }\n",
        "said.log": "src/a.cpp:1:33: error: 'class Quay' has no member named 'glow_of'\n",
    }
    crossing = begin_engine(
        tree, {"include/rush.hpp": old}, {"include/rush.hpp": new}, game, "cat {project}/said.log; exit 1"
    )
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    (fix,) = _cause(crossing).fixes
    assert [edit.new for edit in fix.edits] == ["glow_at"]
