"""Calls that need a new form, from the error of a real compiler or checker to a build that passes."""

from __future__ import annotations

import pytest

from fernshale.core.base.work import Work
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_DOC = "/** How strongly the lamp of the tower shines into the fog bank of the harbour. */"
_OLD = f"""\
#pragma once
namespace rush {{
struct Mode {{ int of; }};
class Fog {{ public: int depth = 0; }};
class Lamp {{
public:
    {_DOC}
    void draw(Fog& fog, int depth) {{ fog.depth = depth; }}
    void glow(int warmth, int power) {{ shine(power, warmth, 0); }}
    void shine(int power, int warmth, int flags) {{ strength = power; }}
    void move(float x, float y, int speed) {{ }}
    void pulse(int times) {{ }}
    float strength = 1;
}};
}}
"""
_NEW = f"""\
#pragma once
namespace rush {{
struct Mode {{ int of; }};
struct Point {{ float x; float y; }};
class Lamp {{
public:
    void shine(int power, int warmth, int flags) {{ strength_ = power; }}
    void move(const Point& to, int speed) {{ }}
    void pulse(int times, const Mode& mode) {{ }}
    float getStrength() const {{ return strength_; }}
    void setStrength(float strength) {{ strength_ = strength; }}
private:
    float strength_ = 1;
}};
class Fog {{
public:
    int depth = 0;
    {_DOC}
    void draw(const Lamp& lamp, int depth) {{ this->depth = depth; }}
}};
}}
"""
_GAME = """\
#include "rush.hpp"

void play(rush::Lamp* lamp, rush::Fog& fog, const rush::Mode& slow) {
    lamp->draw(fog, 3);
    lamp->glow(1, 2);
    lamp->move(1, 2, 3);
    lamp->pulse(4);
    lamp->strength = lamp->strength + 1;
}
"""
_DONE = """\
#include "rush.hpp"

void play(rush::Lamp* lamp, rush::Fog& fog, const rush::Mode& slow) {
    fog.draw(*lamp, 3);
    lamp->shine(2, 1, 0);
    lamp->move(rush::Point{1, 2}, 3);
    lamp->pulse(4, slow);
    lamp->setStrength(lamp->getStrength() + 1);
}
"""
_OLD_MODULE = """\
class Mode:
    of: int = 0

class Lamp:
    strength: float = 1

    def glow(self, warmth: int, power: int = 2) -> None:
        return self.shine(power, warmth=warmth)

    def shine(self, power: int, warmth: int) -> None: ...
    def move(self, x: float, y: float) -> None: ...
    def pulse(self, times: int) -> None: ...

def dim(lamp: Lamp, by: float) -> None:
    '''How strongly the lamp of the tower shines into the fog bank.'''
    lamp.strength = by

def forgotten() -> None: ...
"""
_NEW_MODULE = """\
class Mode:
    of: int = 0

class Point:
    def __init__(self, x: float, y: float) -> None: ...

class Lamp:
    def shine(self, power: int, warmth: int) -> None: ...
    def move(self, to: Point) -> None: ...
    def pulse(self, times: int, mode: Mode) -> None: ...
    def dim(self, by: float) -> None:
        '''How strongly the lamp of the tower shines into the fog bank.'''
        self.strength = by
    strength: float = 1
"""
_PLAY = """\
import rush
from rush import Lamp, dim, forgotten


def play(lamp: Lamp, slow: rush.Mode) -> None:
    lamp.glow(warmth=1)
    lamp.pulse(4)
    dim(lamp, by=2)
"""
_PLAYED = """\
import rush
from rush import Lamp


def play(lamp: Lamp, slow: rush.Mode) -> None:
    lamp.shine(2, warmth=1)
    lamp.pulse(4, slow)
    lamp.dim(2)
"""
_CASES = {
    "c++": (
        {"include/rush.hpp": _OLD}, {"include/rush.hpp": _NEW}, ("src/a.cpp", _GAME, _DONE),
        "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp",
    ),
    "python": (
        {"rush.py": _OLD_MODULE}, {"rush.py": _NEW_MODULE}, ("src/a.py", _PLAY, _PLAYED),
        "cd {project}/src && MYPYPATH={engine} {python} -m mypy --show-column-numbers --cache-dir=/dev/null a.py",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", _CASES)
def test_the_first_proposals_together_make_the_game_build(name: str, tree: Tree) -> None:
    old, new, (path, before, after), build = _CASES[name]
    crossing = begin_engine(tree, old, new, {path: before}, build)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    view = inspect(crossing, Work()).build
    assert view.causes and not view.passed
    for cause in view.causes:
        assert cause.fixes, cause.cause
        # What a person has to fill in clears nothing.
        assert all((fix.clears == 0) == any("FILL_IN_" in edit.new for edit in fix.edits) for fix in cause.fixes)
    while causes := [cause for cause in inspect(crossing, Work()).build.causes if cause.fixes]:
        act(crossing, f"cause:{causes[0].cause.key}", causes[0].fixes[0].rule.id)
    assert (crossing.setup.project / path).read_text() == after
    act(crossing, "build:run", "build")
    assert inspect(crossing, Work()).build.passed


def test_what_a_base_lost_is_one_cause_for_all_that_derive_from_it(tree: Tree) -> None:
    old = "struct Actor { void moor(int at); void stay(); };\n"
    new = "struct Actor { void tie_up(int at); void stay(); };\n"
    game = (
        '#include "rush.hpp"\nstruct Swimmer : Actor { };\nstruct Crab : Swimmer { };\nstruct Boat : public Actor { };\n'
        "void f(Crab crab, Boat boat, Actor actor) { crab.moor(1); boat.moor(2);\n actor.moor(3); }\n"
    )
    build = "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"
    crossing = begin_engine(tree, {"include/rush.hpp": old}, {"include/rush.hpp": new}, {"src/a.cpp": game}, build)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    view = inspect(crossing, Work()).build
    (cause,) = view.causes
    assert (cause.cause.title, cause.cause.count) == ("Actor has no moor", 3)
    assert [*view.rounds[-1].causes] == [cause.cause.key]
    act(crossing, cause.key, cause.fixes[0].rule.id)
    act(crossing, "build:run", "build")
    assert inspect(crossing, Work()).build.passed


@pytest.mark.parametrize("is_passed_on", [False, True])
def test_an_import_that_another_file_relies_on_is_asked_about(is_passed_on: bool, tree: Tree) -> None:
    doc = '"""The pressure at which the boiler of a steam ferry is let off by its keeper."""'
    old = f"class Limits:\n    FUNNELS: int = 4\n\n    @staticmethod\n    def boiler_pressure() -> int:\n        {doc}\n        return 17\n"
    new = f"class Limits:\n    FUNNELS: int = 4\n\nclass Steam:\n    @staticmethod\n    def boiler_pressure() -> int:\n        {doc}\n        return 17\n"
    game = {"src/a.py": "from rush import Limits\n\n\ndef play() -> int:\n    return Limits.boiler_pressure()\n"}
    game["src/b.py"] = "from a import play, Limits\n" if is_passed_on else "from a import play\n"
    build = (
        "cd {project}/src && MYPYPATH={engine} {python} -m mypy --show-column-numbers --cache-dir=/dev/null a.py b.py"
    )
    crossing = begin_engine(tree, {"rush.py": old}, {"rush.py": new}, game, build)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    (cause,) = inspect(crossing, Work()).build.causes
    fix = cause.fixes[0]
    doubt = "src/b.py imports Limits from src/a.py, which would not import it any more"
    assert fix.doubt == (doubt if is_passed_on else ""), fix
    act(crossing, cause.key, fix.rule.id)
    text = (crossing.setup.project / "src/a.py").read_text()
    assert text == "from rush import Steam\n\n\ndef play() -> int:\n    return Steam.boiler_pressure()\n"


def test_a_parameter_before_others_is_passed_its_default_where_its_type_is_wanted(tree: Tree) -> None:
    declared = "export declare class Row {{ add(lamp: Lamp, {}options?: {{ rank: number }}): void; }}\n"
    old, new = ({"wick.d.ts": declared.format(more)} for more in ("", "isLit?: boolean, "))
    log = (
        "src/a.ts(2,15): error TS2345: Argument of type '{ rank: number; }' is not assignable to parameter of type "
        "'boolean'.\n"
    )
    game = {"src/a.ts": "import { row, lamp } from './b';\nrow.add(lamp, { rank: 1 });\n", "said.log": log}
    crossing = begin_engine(tree, old, new, game, "cat {project}/said.log; exit 1")
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    (cause,) = inspect(crossing, Work()).build.causes
    fix = cause.fixes[0]
    assert fix.is_automatic and fix.clears == 1
    act(crossing, cause.key, fix.rule.id)
    assert (crossing.setup.project / "src/a.ts").read_text().splitlines()[1] == "row.add(lamp, undefined, { rank: 1 });"
