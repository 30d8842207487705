"""A release that says its types: what a real checker asks of code that is right, and what it is told."""

from __future__ import annotations

from fernshale.core.base.work import Work
from fernshale.core.build.causes import find_causes
from fernshale.core.build.owners import Owned
from fernshale.core.build.reading import read_diagnostics
from fernshale.core.crossing.flow.actions import build_and_fix
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_OLD = """\
class Boats:
    def count(self):
        return 3


class Stage:
    pass


def near(at, boats):
    return at


def hour():
    return 1.5
"""
_NEW = """\
from typing import Generic, TypeVar

T = TypeVar("T")


class Boats(Generic[T]):
    def count(self) -> int:
        return 3


class Stage:
    pass


def near(at: int, boats: Boats[T]) -> int:
    return at


def hour() -> float:
    return 1.5
"""
_GAME = """\
import rush


class Pier(rush.Stage):
    def __init__(self):
        self.boats = None  # all of them
        self.found = None
        self.tide = 0

    def setup(self):
        self.boats = rush.Boats()
        self.tide += rush.hour()

    def draw(self):
        if self.found is None:
            self.found = rush.Boats()
        here = rush.Boats()
        return rush.near(3, self.boats) + self.boats.count() + rush.near(int(self.tide), here) + rush.near(4, self.found)
"""
_SAID = (
    _GAME.replace("self.boats = None  #", "self.boats: rush.Boats = None  # type: ignore[assignment]  #")
    .replace("self.tide = 0", "self.tide: float = 0")
    .replace("here = rush", "here: rush.Boats = rush")
)


def test_what_a_checker_wants_said_is_said(tree: Tree) -> None:
    check = "cd {project}/src && MYPYPATH={engine} {python} -m mypy --check-untyped-defs --show-column-numbers --cache-dir=/dev/null game.py"
    crossing = begin_engine(tree, {"rush.py": _OLD}, {"rush.py": _NEW}, {"src/game.py": _GAME}, check)
    for key, way in (("engine:sites", "apply"), ("build:run", "build")):
        act(crossing, key, way)
    causes = {(item.cause.kind, item.cause.symbol): item for item in inspect(crossing, Work()).build.causes}
    assert {("may be empty", "boats"), ("number", "tide"), ("no type", "here")} <= causes.keys()
    empty = causes["may be empty", "boats"]
    # Whatever the checker says of one line is about that field.
    assert empty.cause.count >= 2 and empty.fixes[0].clears == empty.cause.count
    # What a checker is to believe takes a person's word; what it can see by itself does not.
    assert (
        not empty.fixes[0].is_automatic
        and causes["number", "tide"].fixes[0].is_automatic
        and causes["no type", "here"].fixes[0].is_automatic
    )
    act(crossing, empty.key, empty.fixes[0].rule.id)
    build_and_fix(crossing, Author("test"), Work())
    assert (crossing.setup.project / "src/game.py").read_text() == _SAID
    assert inspect(crossing, Work()).build.passed


def test_a_function_with_a_capital_is_no_type_without_asking(tree: Tree) -> None:
    old = "class Boats:\n    pass\n\n\ndef Made(n):\n    return Boats()\n"
    new = "from typing import Generic, TypeVar\n\nT = TypeVar('T')\n\n\nclass Boats(Generic[T]):\n    pass\n\n\ndef Made(n: int) -> Boats[T]:\n    return Boats()\n"
    game = "import rush\n\n\ndef f():\n    one = rush.Boats()\n    two = rush.Made(3)\n    return one, two\n"
    check = "cd {project}/src && MYPYPATH={engine} {python} -m mypy --check-untyped-defs --cache-dir=/dev/null game.py"
    crossing = begin_engine(tree, {"rush.py": old}, {"rush.py": new}, {"src/game.py": game}, check)
    for key, way in (("engine:sites", "apply"), ("build:run", "build")):
        act(crossing, key, way)
    found = {item.cause.symbol: item.fixes[0] for item in inspect(crossing, Work()).build.causes if item.fixes}
    assert {name: fix.is_automatic for name, fix in found.items()} == {"one": True, "two": False}


_CODE = {
    3: "        self.pier.boats.draw(self.hour)",
    4: "        wick.near(self.hour, self.boats)",
    5: "        self.load().draw(boats[0])",
    6: "        self.tide.level += wick.hour()",
}


def _named(*lines: str) -> list[tuple[str, str]]:
    found = [Owned(item, "own", item.place) for item in read_diagnostics(lines, ())]
    return sorted((item.kind, item.symbol) for item in find_causes(found, lambda file, line: _CODE.get(line, "")))


def test_errors_about_a_name_they_do_not_say_are_of_that_name() -> None:
    none = 'error: Item "None" of "Boats | None" has no attribute'
    assert _named(f'a.py:3:9: {none} "draw"') == [("may be empty", "boats")]
    # Where a call gives nothing, or no line is at hand, the message stands for itself.
    assert _named(f'a.py:5:9: {none} "draw"') == _named(f'a.py:9:9: {none} "draw"') == [("other", "None")]
    near = 'error: Argument 2 to "near" has incompatible type "Boats | None"; expected "Boats"'
    assert _named(f"a.py:4:30: {near}") == [("may be empty", "boats")]
    assert _named(f"a.py:9:30: {near}") == [("call", "near")]
    assert _named(
        'a.py:4:30: error: Argument 2 to "near" has incompatible type "Boats | None"; expected "Ship | None"'
    ) == [("call", "near")]
    whole = 'a.py:4:9: error: Value of type variable "T" of "near" cannot be "Boats | None"'
    assert _named(whole) == [("other", "T")] and _named(whole, f"a.py:4:30: {near}") == [("may be empty", "boats")]
    assert _named('a.py:5:26: error: Value of type "list[int] | None" is not indexable') == [("may be empty", "boats")]
    assert _named('a.py:3:25 - error: "draw" is not a known attribute of "None" (reportOptionalMemberAccess)') == [
        ("may be empty", "boats")
    ]
    assert _named("a.ts(5,26): error TS18047: 'this.boats' is possibly 'null'.") == [("may be empty", "boats")]
    set_ = "error: Incompatible types in assignment (expression has type"
    assert _named(f'a.py:6:28: {set_} "float", variable has type "int")') == [("number", "level")]
    assert _named(f'a.py:6:28: {set_} "Boats", variable has type "None")') == [("may be empty", "level")]
    assert _named(f'a.py:6:28: {set_} "str", variable has type "int")')[0][0] == "other"
