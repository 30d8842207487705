"""Members of a game's classes that the release has by the same name now: told, wherever nothing else does."""

from __future__ import annotations

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.project.source_texts import Texts
from fernshale.core.crossing.rules.sources import leg_rules
from fernshale.core.crossing.stages.build.member_collisions import free_name
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.fix.members import own_classes
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_OLD = "class Stage:\n    def open(self): pass\n    def tick(self): pass\n"
_NEW = _OLD + "    def hour(self): return 4\n    def close(self, day): pass\n    def weigh(self): pass\n"
_GAME = """\
import rush


class Pier(rush.Stage):
    def __init__(self):
        self.hour = 6  # self.close = 3

    def tick(self):
        other.weigh = 2


class Quay(Pier):
    def close(self):
        return "self.weigh = 1"


class Shed:
    def weigh(self):
        return 3
"""


def _clashes(crossing) -> dict[str, str]:
    items = inspect(crossing, Work()).build.items
    return {item.key.removeprefix("default:"): item.place for item in items if " has a member " in item.key}


@pytest.mark.parametrize("build", ["true", ""])
def test_what_a_class_has_already_is_told_until_it_is_said_to_be_right(tree: Tree, build: str) -> None:
    crossing = begin_engine(
        tree, {"rush.py": _OLD}, {"rush.py": _NEW}, {"src/game.py": _GAME, "src/shed.py": "hour = 3\n"}, build
    )
    hour = "Pier in src/game.py has a member hour, and so has Stage now"
    close = "Quay in src/game.py has a member close, and so has Stage now"
    assert _clashes(crossing) == {hour: "src/game.py:6", close: "src/game.py:13"}
    act(crossing, f"default:{hour}", "noted", who="t")
    assert list(_clashes(crossing)) == [close]


def test_what_was_written_since_is_meant_for_the_new_release(tree: Tree) -> None:
    game = {"src/game.py": _GAME, "src/late.py": "import rush\nclass Early(rush.Stage):\n    pass\n"}
    crossing = begin_engine(tree, {"rush.py": _OLD}, {"rush.py": _NEW}, game, "true")
    project = crossing.setup.project
    (project / "src/late.py").write_text("import rush\nclass Early(rush.Stage):\n    def weigh(self): pass\n")
    (project / "src/new.py").write_text("import rush\nclass New(rush.Stage):\n    def weigh(self): pass\n")
    (project / "src/game.py").write_text("# A remark.\n" + _GAME.replace("def tick", "def weigh"))
    assert set(_clashes(crossing).values()) == {"src/game.py:7", "src/game.py:14"}


def test_a_member_that_was_renamed_or_moved_into_the_class_is_new_there(tree: Tree) -> None:
    tide = (
        "    def {}(self, pier, boats):\n        total = pier.level + boats.count\n        return total * pier.slope\n"
    )
    lamp = "    def {}(self, room):\n        oil = room.jar.fill\n        return room.wick.burn(oil)\n"
    old = f"class Shed:\n{lamp.format('light')}class Stage:\n{tide.format('tide_of')}    def kept(self): pass\n"
    new = (
        f"class Shed:\n    pass\nclass Stage:\n{tide.format('tide_at')}{lamp.format('light')}    def kept(self): pass\n"
    )
    game = "import rush\nclass Pier(rush.Stage):\n    def tide_at(self): pass\n    def light(self): pass\n    def kept(self): pass\n"
    crossing = begin_engine(tree, {"rush.py": old}, {"rush.py": new}, {"src/game.py": game}, "true")
    kinds = {change.kind for change in leg_rules(scan_crossing(crossing, Work()), crossing, Work()).changes}
    assert {"renamed", "moved"} <= kinds and "added" not in kinds
    assert set(_clashes(crossing).values()) == {"src/game.py:3", "src/game.py:4"}


def test_a_member_that_took_over_from_another_and_was_there_before_is_no_news(tree: Tree) -> None:
    look = "    def look(self, pier, boats): return pier.level\n"
    see = "    def look_at(self, pier, boats): return self.look(pier, boats)\n"
    game = "import rush\nclass Pier(rush.Stage):\n    def look(self, pier, boats): return 3\n"
    old, new = f"class Stage:\n{look}{see}", f"class Stage:\n{look}"
    crossing = begin_engine(tree, {"rush.py": old}, {"rush.py": new}, {"src/game.py": game}, "true")
    (change,) = leg_rules(scan_crossing(crossing, Work()), crossing, Work()).changes
    assert change.kind == "renamed" and change.new is not None and change.new.name == "look"
    assert not _clashes(crossing)


def test_what_was_there_before_or_has_to_be_written_is_no_news(tree: Tree) -> None:
    base = "class Base {{ public: virtual void open(int a); {base} }};\nclass Stage : public Base {{ public: {stage} virtual void go(); }};\n"
    old = base.format(base="virtual int hour(int of);", stage="")
    new = base.format(
        base="virtual int hour(int of);",
        stage="int hour(int of) override; virtual void weigh(int a) = 0; virtual void sail(int a);",
    )
    game = "class Pier : public Stage { int hour(int of) override; void weigh(int a) override; void sail(int a); };\n"
    crossing = begin_engine(tree, {"rush.hpp": old}, {"rush.hpp": new}, {"src/pier.cpp": game}, "true")
    assert list(_clashes(crossing)) == ["Pier in src/pier.cpp has a member sail, and so has Stage now"]


@pytest.mark.parametrize(
    ("path", "text", "members"),
    [
        ("a.java", "class P extends Q { int n = f(4); @Override public void up() { int no; } private List<String> l; Foo x = new Foo(3); }", "n up l x"),
        ("a.cs", "class P : Q { int n; public int Late { get; set; } void Up(int no) { no = 3; } int? q; }", "n Late Up q"),
        ("a.ts", "class P extends Q { n = 3; up(): void { this.no = 2; } private late?: number; go = () => { no = 4 }\n}", "n up late go"),
        ("a.cpp", "class P : public w::Q { public: int n; void up(int no) override { f(no); } std::vector<int> l{3}; P& operator+(int no); };", "n up l"),
        ("a.rs", "impl Q for P { fn up(&self) -> i32 { no(4) } const N: i32 = 3; }", "up"),
        ("a.py", "class P(w.Q):\n    n = 1\n    def up(self, no=2):\n        self.l: int = 3\n        self.no == 4\n        self.x.no = 1\n", "n up l"),
    ],
)  # fmt: skip
def test_members_are_told_from_what_stands_in_them(path: str, text: str, members: str) -> None:
    (item,) = own_classes(text, path)
    assert (item.name, item.bases) == ("P", ("Q",))
    assert set(item.members) == set(members.split())
    assert all(text[at:].startswith(name) for name, at in item.members.items())


def test_members_of_python_are_where_the_parser_sees_them() -> None:
    text = 'class P(up, l.n):\n    """Sets n, up and self.l = 1."""\n    ä = "ö"; n = 1\n    @up\n    async def up(me):\n        (me.l, q) = ä, 2\n'
    (item,) = own_classes(text, "a.py")
    at = {name: text[:spot].count("\n") + 1 for name, spot in item.members.items()}
    assert at == {"ä": 3, "n": 3, "up": 5, "l": 6} and all(
        text[spot:].startswith(name) for name, spot in item.members.items()
    )


@pytest.mark.parametrize(
    ("code", "is_told"),
    [
        ("import { Stage } from 'rush';\nclass Pier extends Stage { hour() { return 4 } }\n", True),
        ("import * as rush from 'rush';\nclass Pier extends rush.Stage { hour() { return 4 } }\n", True),
        ("import { Stage } from './own';\nclass Pier extends Stage { hour() { return 4 } }\n", True),
        # A class of that name in another package.
        ("import * as View from 'view';\nclass Pier extends View.Stage { hour() { return 4 } }\n", False),
        # An interface has no code.
        ("import { Stage } from 'rush';\ninterface Pier extends Stage { hour(): number }\n", False),
        # A class of another namespace.
        ("import { Quay } from 'rush';\nclass Pier extends Quay.Shed { dim() { return 4 } }\n", True),
        ("import { Boat } from 'rush';\nclass Pier extends Boat.Shed { dim() { return 4 } }\n", False),
    ],
)
def test_the_head_of_a_script_says_which_class_is_meant(code: str, is_told: bool, tree: Tree) -> None:
    package = {"package.json": '{"name": "rush", "types": "rush.d.ts"}'}
    text = "export class Stage {{ open(): void; {} }}\nexport namespace Quay {{ class Shed {{ up(): void; {} }} }}\n"
    old, new = (
        {**package, "rush.d.ts": text.format(*more)} for more in (("", ""), ("hour(): number;", "dim(): number;"))
    )
    crossing = begin_engine(tree, old, new, {"src/a.ts": code}, "true")
    assert bool(_clashes(crossing)) == is_told


def test_a_member_that_clashes_can_be_renamed_with_its_uses(tree: Tree) -> None:
    crossing = begin_engine(tree, {"rush.py": _OLD}, {"rush.py": _NEW}, {"src/game.py": _GAME}, "true")
    hour = "default:Pier in src/game.py has a member hour, and so has Stage now"
    act(crossing, hour, "pin", who="t")
    game = (crossing.setup.project / "src/game.py").read_text()
    assert game == _GAME.replace("self.hour = 6", "self.own_hour = 6")
    assert list(_clashes(crossing)) == ["Quay in src/game.py has a member close, and so has Stage now"]


_STAGE = "class Stage {{ public: virtual ~Stage() {{}} {} }};\n"
_PIER = """\
#include "rush.hpp"
struct Pier : Stage {
    int %(hour)s() { return 3; }
    int late() { return %(hour)s() + 1; }
};
int test(Pier& pier) { return pier.%(hour)s() + pier.late(); }
"""


def test_a_clash_that_is_an_error_gets_the_same_fix_and_is_not_told_of_twice(tree: Tree) -> None:
    new = _STAGE.format("virtual int hour() final { return 1; }")
    other = "struct Pier { int hour() { return 5; } };\n"
    # It clashes as well, and nothing compiles it.
    quay = '#include "rush.hpp"\nstruct Quay : Stage { int hour() { return 4; } };\n'
    files = {"src/pier.cpp": _PIER % {"hour": "hour"}, "src/other.cpp": other, "src/quay.cpp": quay}
    build = "g++ -fsyntax-only -I {engine} {project}/src/pier.cpp"
    crossing = begin_engine(tree, {"rush.hpp": _STAGE.format("")}, {"rush.hpp": new}, files, build)
    for key, option in (("engine:sites", "apply"), ("build:run", "build")):
        act(crossing, key, option)
    assert set(_clashes(crossing).values()) == {"src/quay.cpp:2"}
    (cause,) = inspect(crossing, Work()).build.causes
    assert cause.cause.kind == "member clash" and cause.fixes[0].clears == cause.cause.count
    act(crossing, cause.key, cause.fixes[0].rule.id)
    act(crossing, "build:run", "build")
    assert inspect(crossing, Work()).build.passed
    project = crossing.setup.project
    # The other class of that name is not in question.
    assert (project / "src/pier.cpp").read_text() == _PIER % {"hour": "own_hour"}
    assert (project / "src/other.cpp").read_text() == other


@pytest.mark.parametrize(
    ("path", "name", "new"),
    [
        ("a.ts", "hour", "ownHour2"),
        ("a.py", "_hour", "_own_hour"),
        ("a.cpp", "HOUR", "OWN_HOUR"),
        ("a.cs", "Hour", "OwnHour"),
        ("a.cpp", "hourOf", "ownHourOf"),
    ],
)
def test_a_new_name_is_free_and_written_like_the_old_one(path: str, name: str, new: str) -> None:
    assert free_name(name, TreePath(path), Texts({TreePath("x.ts"): "let ownHour = 3"})) == new


@pytest.mark.parametrize(
    ("path", "old", "new", "game"),
    [
        pytest.param(
            "rush/Stage.java",
            "package rush; public class Stage { public int hour() { return 1; } }",
            "package rush; public class Stage { public int hour() { return 1; } public boolean equals(Object other) { return false; } "
            "public int hashCode() { return 2; } }",
            {
                "src/Pier.java": "class Pier extends rush.Stage { public boolean equals(Object o) { return true; } public int hashCode() { return 1; } }"
            },
            id="what all classes have",
        ),
        pytest.param(
            "rush.py",
            "class Base:\n    def draw(self): pass\nclass Stage(Base):\n    def hour(self): return 1\n",
            "class Base:\n    def draw(self): pass\nclass Stage(Base):\n    def hour(self): return 1\n    def draw(self): return 2\n"
            "    def __eq__(self, other): return True\n",
            {
                "src/pier.py": "import rush\nclass Pier(rush.Stage):\n    def draw(self): return 3\n    def __eq__(self, other): return False\n"
            },
            id="what a base had",
        ),
    ],
)
def test_what_overrode_already_is_no_clash(path: str, old: str, new: str, game: dict[str, str], tree: Tree) -> None:
    assert not _clashes(begin_engine(tree, {path: old}, {path: new}, game, ""))
