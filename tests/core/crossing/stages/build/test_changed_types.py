"""What something gives now has other members than what it gave: those of the one are found in the other, with real tools."""

from __future__ import annotations

import pytest

from fernshale.core.base.work import Work
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_HEADER = """\
namespace rush {
struct Mark { long where() const { return of; } bool is_set() const { return of != 0; } private: long of = 3; };
struct Berth { long place() const { return at; } bool is_free() const { return at != 0; } void moor(int boat); private: long at = 3; };
%s find(int name);
}
"""
_MODULE = """\
class Mark:
    def where(self) -> int:
        return self.of
    def is_set(self) -> bool:
        return self.of != 0
    of = 3

class Berth:
    def where_at(self) -> int:
        return self.of
    def moor(self, boat: int) -> None: ...
    of = 3

def find(name: int) -> %s:
    raise NotImplementedError
"""
_CASES = {
    "c++": (
        "include/rush.hpp", _HEADER, "src/a.cpp", '#include "rush.hpp"\nlong f() { return rush::find(3).where(); }\n', "place",
        "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp",
    ),
    "python": (
        "rush.py", _MODULE, "src/a.py", "import rush\n\ndef f() -> int:\n    return rush.find(3).where()\n", "where_at",
        "cd {project}/src && MYPYPATH={engine} {python} -m mypy --show-column-numbers --cache-dir=/dev/null a.py",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", _CASES)
def test_a_member_is_looked_for_in_what_is_given_now(name: str, tree: Tree) -> None:
    file, text, source, code, wanted, build = _CASES[name]
    crossing = begin_engine(tree, {file: text % "Mark"}, {file: text % "Berth"}, {source: code}, build)
    for key, way in (("engine:sites", "apply"), ("build:run", "build")):
        act(crossing, key, way)
    view = inspect(crossing, Work()).build
    (cause,) = (item for item in view.causes if item.cause.symbol == "where")
    assert cause.fixes[0].rule.new == wanted and "gave Mark and gives Berth now" in cause.fixes[0].rule.why
    change = view.change_of(cause.cause)
    assert change is not None and change.symbol.name == "find"
    act(crossing, f"cause:{cause.cause.key}", cause.fixes[0].rule.id)
    act(crossing, "build:run", "build")
    assert inspect(crossing, Work()).build.passed
