"""What a file lacks is brought in as the project or the new release shows, from what real tools print."""

from __future__ import annotations

import pytest

from fernshale.core.base.work import Work
from fernshale.core.crossing.rules.sources import keep_rules
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.fix.rules import RenameRule
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

# What a tool prints, the game's files, files of both releases, and the line that is proposed.
_CASES = {
    "typescript, from the module others name": (
        "src/a/tide.ts(2,19): error TS2304: Cannot find name 'Hour'.\n",
        {"src/a/tide.ts": 'import { Dice } from "rush/dice";\nexport function f(h: Hour) {}\n', "src/b.ts": "import { Actor } from 'rush/actor';\n"},
        {"src/actor.ts": "export type Hour = { at: number };\nexport class Actor {}\n", "src/dice.ts": "export class Dice {}\n"},
        "import { Hour } from 'rush/actor';",
    ),
    "typescript, by the way from its folder": (
        "src/a/tide.ts(1,19): error TS2304: Cannot find name 'Heron'.\n",
        {"src/a/tide.ts": "export function f(h: Heron) {}\n", "src/b.ts": 'import { Heron } from "./birds/heron";\n'},
        {},
        'import { Heron } from "../birds/heron";',
    ),
    "c#, its namespace": (
        "src/Tide.cs(1,19): error CS0246: The type or namespace name 'Hour' could not be found "
        "(are you missing a using directive or an assembly reference?) [game.csproj]\n",
        {"src/Tide.cs": "class Tide { void F(Hour h) {} }\n"},
        {"Hour.cs": "namespace Rush.Time { public struct Hour { } class Inner { public enum Hour { A } } }\n"},
        "using Rush.Time;",
    ),
    "rust, as others do": (
        "error[E0412]: cannot find type `Hour` in this scope\n --> src/tide.rs:1:9\n  |\n1 | fn f(h: Hour) {}\n  |         ^^^^ not found in this scope\n\n",
        {"src/tide.rs": "fn f(h: Hour) {}\n", "src/main.rs": "use rush::time::{Day, Hour};\n"},
        {},
        "use rush::time::Hour;",
    ),
    "c++, of a namespace": (
        "src/tide.cpp:2:13: error: 'Hour' is not a member of 'rush'\n",
        {"src/tide.cpp": '#include "rush/base.hpp"\nvoid f(rush::Hour h) {}\n'},
        {"include/rush/time.hpp": "#pragma once\nnamespace rush { struct Hour { int at; }; }\n",
         "include/other.hpp": "#pragma once\nnamespace other { struct Hour { int at; }; }\n"},
        '#include "rush/time.hpp"',
    ),
    "python, as the package shows it": (
        'src/tide.py:1:10: error: Name "Hour" is not defined  [name-defined]\n',
        {"src/tide.py": "def f(h: Hour) -> None: ...\n"},
        {"rush/__init__.py": "from rush._time import Hour\n", "rush/_time.py": "class Hour: ...\n"},
        "from rush import Hour",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", _CASES)
def test_a_name_is_brought_in(name: str, tree: Tree) -> None:
    log, game, release, line = _CASES[name]
    crossing = begin_engine(
        tree,
        {"notes": "old", **release},
        {"notes": "new", **release},
        {**game, "said.log": log},
        "cat {project}/said.log; exit 1",
    )
    take = ("engine:sites", "apply"), ("build:run", "build")
    for key, way in take:
        act(crossing, key, way)
    (cause,) = inspect(crossing, Work()).build.causes
    (fix,) = (fix for fix in cause.fixes if fix.rule.kind == "import")
    assert fix.rule.text == line and fix.is_automatic and fix.clears == 1
    assert [edit.path for edit in fix.edits] == [next(iter(game))]


_PIER = "#pragma once\nnamespace rush { struct Base { int hour; }; struct Pier : Base { int boats; }; }\n"
_SHORE = "#pragma once\n{}namespace rush {{ struct Base; struct Pier; Pier* nearest(); int moor(Base* at); }}\n"
_USES = {
    "aggregate": "int f() { rush::Pier pier; return 0; }",
    "member": "int f(rush::Pier* pier) { return pier->boats; }",
    "value": "int f() { rush::Pier pier = *rush::nearest(); return 0; }",
    "size": "unsigned long f() { return sizeof(rush::Pier); }",
    "scope": "int f() { return sizeof(rush::Pier::boats); }",
    "field": "struct Shore { rush::Pier pier; };",
    "derives": "int f(rush::Pier* pier) { return rush::moor(pier); }",
    "return": "rush::Pier f() { return *rush::nearest(); }",
}


@pytest.mark.parametrize("name", _USES)
def test_a_class_that_is_only_announced_is_brought_in_whole(name: str, tree: Tree) -> None:
    old = {"include/rush/pier.hpp": _PIER, "include/rush/shore.hpp": _SHORE.format('#include "rush/pier.hpp"\n')}
    new = {**old, "include/rush/shore.hpp": _SHORE.format("")}
    game = {"src/a.cpp": f'#include "rush/shore.hpp"\n\n{_USES[name]}\n'}
    crossing = begin_engine(
        tree, old, new, game, "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"
    )
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    (view,) = inspect(crossing, Work()).build.causes
    assert (view.cause.kind, view.cause.symbol) == ("incomplete type", "Pier")
    assert view.fixes[0].rule.text == '#include "rush/pier.hpp"' and view.fixes[0].is_automatic
    act(crossing, f"cause:{view.cause.key}", view.fixes[0].rule.id)
    act(crossing, "build:run", "build")
    assert inspect(crossing, Work()).build.passed


def test_a_class_that_very_many_headers_announce_is_brought_in_from_its_own(tree: Tree) -> None:
    many = {f"include/rush/part{number}.hpp": "namespace rush { struct Pier; }\n" for number in range(70)}
    old = {
        **many,
        "include/rush/pier.hpp": _PIER,
        "include/rush/shore.hpp": _SHORE.format('#include "rush/pier.hpp"\n'),
    }
    new = {**old, "include/rush/shore.hpp": _SHORE.format("")}
    game = {"src/a.cpp": f'#include "rush/shore.hpp"\n\n{_USES["member"]}\n'}
    crossing = begin_engine(
        tree, old, new, game, "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"
    )
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    (view,) = inspect(crossing, Work()).build.causes
    assert [fix.rule.text for fix in view.fixes] == ['#include "rush/pier.hpp"']


def test_a_variable_whose_type_went_is_no_name_of_the_release(tree: Tree) -> None:
    """The compiler reports the type once, and then each use of the variable, which the release's names may be like."""
    old = {
        "include/rush.hpp": "namespace rush { struct Text { int n; }; struct Lamp { int hour(); int name(); }; Text text(); }\n"
    }
    new = {
        "include/rush.hpp": "namespace rush { struct Lamp { int hour(); int title(); }; }\n",
        "include/name.hpp": "struct name { int n; };\n",
    }
    code = '#include "rush.hpp"\nstruct Pier : rush::Lamp {\n    int f() {\n        rush::Text name = rush::text();\n        return name.n + name.n;\n    }\n};\n'
    rule = RenameRule("r", "w", old="name", new="title", of="rush::Lamp", named=True)
    crossing = begin_engine(
        tree, old, new, {"src/a.cpp": code}, "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"
    )
    with crossing.acting():
        keep_rules(crossing, [rule])
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    causes = {view.cause.symbol: view for view in inspect(crossing, Work()).build.causes}
    assert not causes["name"].fixes
    assert any("its declaration has an error" in refused.reason for refused in causes["name"].refused)
