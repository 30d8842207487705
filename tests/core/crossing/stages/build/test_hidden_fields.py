"""A structure of C that became opaque: its fields are read and set by the functions of the new release."""

from __future__ import annotations

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.autopilot import cross
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.stages.build.automatic_rounds import apply_confident_fixes
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_OLD = """\
#pragma once
struct Wick { int length; };
typedef struct _Lamp { int glow; long size; const char *name; struct Wick wick; } Lamp;
typedef struct { double real, imag; } Tide;
Lamp *lamp_new(int glow);
"""
_NEW = """\
#pragma once
struct Wick { int length; };
typedef struct _Lamp Lamp;
typedef double Tide;
Lamp *lamp_new(int glow);
int lamp_get_glow(const Lamp *lamp);
void lamp_set_glow(Lamp *lamp, int glow);
int lamp_get_default_glow(const Lamp *lamp);
int lamp_size(const Lamp *lamp);
const char *lamp_get_name(const Lamp *lamp);
struct Wick lamp_get_wick(const Lamp *lamp);
double tide_creal(Tide tide);
"""
_GAME = """\
#include "lamp.h"
struct Pier { Lamp *lamp; };
int one(Lamp *lamp, struct Pier *pier) {
    lamp->glow = pier->lamp->glow + 1;
    lamp->glow += 2;
    return lamp->wick.length + (lamp->name ? 1 : 0);
}
int *two(Lamp *lamp) {
    lamp->glow++;
    lamp->wick.length = 3;
    return &lamp->glow;
}
long three(Lamp *lamp) { return lamp->size; }
"""
_CHANGED = """\
#include "lamp.h"
struct Pier { Lamp *lamp; };
int one(Lamp *lamp, struct Pier *pier) {
    lamp_set_glow(lamp, lamp_get_glow(pier->lamp) + 1);
    lamp_set_glow(lamp, lamp_get_glow(lamp) + 2);
    return lamp_get_wick(lamp).length + (lamp_get_name(lamp) ? 1 : 0);
}
int *two(Lamp *lamp) {
    lamp->glow++;
    lamp->wick.length = 3;
    return &lamp->glow;
}
long three(Lamp *lamp) { return lamp->size; }
"""


def _begin(tree: Tree, game: str) -> Crossing:
    build = "gcc -fsyntax-only -I {engine}/include {project}/src/a.c"
    return begin_engine(tree, {"include/lamp.h": _OLD}, {"include/lamp.h": _NEW}, {"src/a.c": game}, build)


def test_fields_are_read_and_set_by_functions_where_their_names_and_types_say_so(tree: Tree) -> None:
    crossing = _begin(tree, _GAME)
    overview = cross(crossing, {}, lambda _step: None, lambda _stage, _view: None, Work())
    assert (crossing.setup.project / "src/a.c").read_text() == _CHANGED
    # What a call cannot stand for is left, and a function that gives another type is asked about.
    (cause,) = overview.build.causes
    assert (cause.cause.kind, cause.cause.symbol, cause.cause.count) == ("incomplete type", "Lamp", 4)
    (fix,) = cause.fixes
    assert fix.rule.name == ".size → lamp_size(…)" and not fix.is_automatic


def test_fixes_for_different_errors_of_a_cause_are_applied_in_one_go(tree: Tree) -> None:
    crossing = _begin(tree, _GAME)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    build = inspect(crossing, Work()).build
    assert [fix.rule.old for fix in build.automatic] == ["glow", "name"]  # the third is on a line with the second
    assert sum(fix.clears for fix in build.automatic) == 4
    assert [fix.rule.old for fix, _ in apply_confident_fixes(crossing, Author("t"), Work())] == ["glow", "name", "wick"]
    assert (crossing.setup.project / "src/a.c").read_text() == _CHANGED


def test_variables_of_a_type_without_members_are_one_cause(tree: Tree) -> None:
    game = (
        '#include "lamp.h"\ndouble one(Tide ebb) { return ebb.real + ebb.imag; }\n'
        "double two(int n) {\n    Tide flood, neap;\n    flood.imag = neap.imag = 2;\n    return n * flood.real;\n}\n"
    )
    crossing = _begin(tree, game)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    (cause,) = inspect(crossing, Work()).build.causes
    assert (cause.cause.title, cause.cause.count) == ("Tide has no members", 5)
    (fix,) = cause.fixes
    # The name only ends like that of the field.
    assert fix.rule.name == ".real → tide_creal(…)" and not fix.is_automatic
    assert sorted(edit.new for edit in fix.edits) == ["tide_creal(ebb)", "tide_creal(flood)"]
