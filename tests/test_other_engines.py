"""Whole crossings with engines that are not the sample's, built by a real compiler."""

from __future__ import annotations

import shutil

import pytest

from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.actions import build_and_fix
from fernshale.core.crossing.flow.autopilot import cross
from fernshale.core.crossing.flow.summaries import finding_of
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine
from tests.wick import cross_wick, make_wick

_CPP = {
    "include/rush/stage.hpp": "#pragma once\nnamespace rush {\nclass Stage {\npublic:\n    int props() const { return 3; }\n};\n}\n",
    "include/rush/mood.hpp": "#pragma once\nnamespace rush {\nenum class Mood { Calm, Glad, Grim };\n}\n",
    "include/rush/lamp.hpp": "#pragma once\nnamespace rush {\nstruct Lamp {\n    explicit Lamp(int oil) : oil(oil) {}\n    int oil;\n};\n}\n",
    "include/rush/actor.hpp": "#pragma once\n#include <rush/mood.hpp>\nnamespace rush {\nclass Actor {\npublic:\n    virtual ~Actor() = default;\n"
    "    /// What one does in an hour.\n    virtual int act(int hour) = 0;\n    virtual void on_start() {}\n    Mood mood = Mood::Calm;\n};\n}\n",
}  # fmt: skip
_CPP_NEW = {
    **_CPP,
    "include/rush/mood.hpp": _CPP["include/rush/mood.hpp"].replace("Calm", "Still"),
    "include/rush/lamp.hpp": "#pragma once\nnamespace rush {\nstruct Lamp {\n    static Lamp filled(int oil) { return Lamp(oil); }\n"
    "    int oil;\nprivate:\n    explicit Lamp(int oil) : oil(oil) {}\n};\n}\n",
    "include/rush/actor.hpp": _CPP["include/rush/actor.hpp"].replace("act(int hour)", "act(int hour, Stage& stage)")
    .replace("Calm", "Still").replace("on_start", "on_begin").replace("class Actor", "class Stage;\nclass Actor")
    .replace("    Mood", "    virtual long weight(const Stage& of) const = 0;\n    Mood"),
}  # fmt: skip
_CPP_GAME = {
    "src/heron.hpp": "#pragma once\n#include <rush/actor.hpp>\nclass Heron : public rush::Actor {\npublic:\n    int act(int hour) override;\n"
    "    void on_start();\nprivate:\n    int fish = 0;\n};\n",
    "src/heron.cpp": '#include "heron.hpp"\nint Heron::act(int hour) {\n    mood = hour > 8 ? rush::Mood::Grim : rush::Mood::Calm;\n'
    "    return fish += hour;\n}\nvoid Heron::on_start() { fish = 2; }\n",
    "src/main.cpp": '#include <rush/lamp.hpp>\n#include "heron.hpp"\nint main() {\n    Heron heron;\n    rush::Lamp lamp(4);\n'
    "    heron.on_start();\n    return lamp.oil > 9 ? heron.fish_of() : 0;\n}\n".replace("heron.fish_of()", "1"),
}  # fmt: skip


def _go(crossing: Crossing) -> list[str]:
    """Rounds as far as they go by themselves, and then the first way of each item that has one; what was decided, in order."""
    decided = []
    token = CancelToken()

    def take(key: str, way: str) -> None:
        act(crossing, key, way, work=Work(token=token))

    take("engine:sites", "apply")
    for _ in range(20):
        build_and_fix(crossing, Author("test"), Work(token=token))
        view = inspect(crossing, Work(token=token)).build
        ways = [(item.key, item.options[0].id) for item in view.items if item.options and item.key != "build:run"]
        ways = [(key, way) for key, way in ways if not way.startswith("aside")]
        if not ways:
            assert view.passed, [item.title for item in view.items]
            return decided
        take(*ways[0])
        decided.append(ways[0][1])
    raise AssertionError(f"it does not end: {decided}")


def test_a_game_in_cpp_follows_what_it_derives_from(tree: Tree) -> None:
    compile_ = "for file in {project}/src/*.cpp; do g++ -std=c++17 -fsyntax-only -I {engine}/include $file || bad=1; done; exit $bad"
    crossing = begin_engine(tree, _CPP, _CPP_NEW, _CPP_GAME, compile_)
    decided = _go(crossing)
    source = crossing.setup.project / "src"
    header = (source / "heron.hpp").read_text()
    assert "int act(int hour, rush::Stage& stage) override;" in header and "void on_begin();" in header
    assert "long weight(const rush::Stage& of) const override { return {}; }" in header
    definition = (source / "heron.cpp").read_text()
    assert "int Heron::act(int hour, rush::Stage& stage) {" in definition and "rush::Mood::Still" in definition
    assert "auto lamp = rush::Lamp::filled(4);" in (source / "main.cpp").read_text()
    assert len(decided) <= 8, decided


_PY = {
    "rush/__init__.py": "",
    "rush/stage.py": "class Stage:\n    def props(self) -> int:\n        return 3\n",
    "rush/dice.py": "def roll(sides: int) -> int:\n    return (sides * 75 + 74) % 65537\n",
    "rush/actor.py": "from abc import ABC, abstractmethod\n\nclass Actor(ABC):\n    weight: float = 1.0\n\n"
    "    def on_start(self) -> None:\n        pass\n\n    @abstractmethod\n    def act(self, hour: int) -> str: ...\n\n"
    "    def write(self, text: str, row: int) -> str:\n        return f'{row}: {text}'\n",
}  # fmt: skip
_PY_NEW = {
    **{path: text for path, text in _PY.items() if "dice" not in path},
    "rush/chance/__init__.py": "",
    "rush/chance/dice.py": _PY["rush/dice.py"],
    "rush/actor.py": _PY["rush/actor.py"].replace("on_start", "on_begin").replace("text: str, row: int", "row: int, text: str")
    .replace("    weight: float = 1.0\n", "    def weight(self) -> float:\n        return 1.0\n")
    + "\n    @abstractmethod\n    def label(self, of: str = '') -> str: ...\n",
}  # fmt: skip
_PY_GAME = {
    "src/game.py": "from rush.actor import Actor\nfrom rush.dice import roll\n\n\nclass Heron(Actor):\n    def on_start(self) -> None:\n"
    "        self.fish = roll(6)\n\n    def act(self, hour: int) -> str:\n        return self.write('a heron of ' + str(self.weight * 2), hour)\n\n\n"
    "def play() -> Heron:\n    heron = Heron()\n    heron.on_start()\n    return heron\n",
}  # fmt: skip


def test_a_game_in_python_follows_what_a_type_checker_says(tree: Tree) -> None:
    check = (
        "cd {project}/src && MYPYPATH={engine} {python} -m mypy --strict --show-column-numbers --cache-dir=/dev/null ."
    )
    crossing = begin_engine(tree, _PY, _PY_NEW, _PY_GAME, check)
    decided = _go(crossing)
    text = (crossing.setup.project / "src/game.py").read_text()
    assert "from rush.chance.dice import roll\n" in text and "def on_begin(self)" in text and "heron.on_begin()" in text
    assert "self.write(hour, 'a heron of ' + str(self.weight() * 2))" in text
    assert "    def label(self, of: str = '') -> str:\n        raise NotImplementedError" in text
    assert len(decided) <= 5, decided


_RESULTS = {
    "c++": (
        {"include/actor.hpp": "namespace rush { struct Kilo { int of; }; class Actor { public: virtual int weigh(int hour) const; }; }\n"},
        ("virtual int weigh", "virtual Kilo weigh"),
        {"src/heron.hpp": '#include "actor.hpp"\nstruct Heron : rush::Actor {\n    int weigh(int now) const override;\n};\n',
         "src/heron.cpp": '#include "heron.hpp"\nint Heron::weigh(int now) const {\n    return {now};\n}\nint weigh(int a) { return a; }\n'},
        "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/heron.cpp",
        {"src/heron.hpp": "    rush::Kilo weigh(int now) const override;", "src/heron.cpp": "rush::Kilo Heron::weigh(int now) const {"},
    ),
    "python": (
        {"rush.py": "class Actor:\n    def weigh(self, hour: int) -> int:\n        return hour\n"},
        ("-> int:\n        return hour", "-> str:\n        return str(hour)"),
        {"src/heron.py": "import rush\n\nclass Heron(rush.Actor):\n    def weigh(self, hour: int) -> int:\n        return super().weigh(hour)\n"},
        "cd {project}/src && MYPYPATH={engine} {python} -m mypy --strict --show-column-numbers --cache-dir=/dev/null .",
        {"src/heron.py": "    def weigh(self, hour: int) -> str:"},
    ),
    "java": (
        {"rush/Actor.java": "package rush;\npublic class Actor { public int weigh(int hour) { return hour; } }\n"}, ("int weigh", "long weigh"),
        {"src/Heron.java": "class Heron extends rush.Actor {\n    public int weigh(int now) { return now; }\n}\n"},
        "mkdir -p {build} && javac -d {build} -sourcepath {engine} {project}/src/*.java",
        {"src/Heron.java": "    public long weigh(int now) { return now; }"},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", _RESULTS)
def test_what_overrides_gives_what_its_base_gives(name: str, tree: Tree) -> None:
    engine, (old, new), game, build, wanted = _RESULTS[name]
    if name == "java" and shutil.which("javac") is None:
        pytest.skip("no compiler for Java here")
    crossing = begin_engine(tree, engine, {path: text.replace(old, new) for path, text in engine.items()}, game, build)
    _go(crossing)
    for path, line in wanted.items():
        assert line in (crossing.setup.project / path).read_text().splitlines()


_JAVA_GAME = {
    "src/Heron.java": "import rush.Actor;\n\npublic class Heron extends Actor {\n    @Override\n    public String act(int hour) {\n"
    "        return hour + \" \" + weight;\n    }\n}\n",
    "src/Main.java": "import rush.Stage;\n\npublic class Main {\n    public static void main(String[] args) {\n"
    "        System.out.println(new Heron().act(new Stage().props()));\n    }\n}\n",
}  # fmt: skip
_JAVA = {
    "rush/Stage.java": "package rush;\n\npublic class Stage {\n    public int props() {\n        return 3;\n    }\n}\n",
    "rush/Actor.java": "package rush;\n\npublic abstract class Actor {\n    public double weight = 1.0;\n\n"
    "    public abstract String act(int hour);\n}\n",
}  # fmt: skip
_JAVA_NEW = {
    **_JAVA,
    "rush/Actor.java": "package rush;\n\npublic abstract class Actor {\n    private double weight = 1.0;\n\n"
    "    public double weight() {\n        return weight;\n    }\n\n    public abstract String act(int hour, Stage stage);\n}\n",
}  # fmt: skip


@pytest.mark.skipif(shutil.which("javac") is None, reason="no compiler for Java here")
def test_a_game_in_java_brings_in_what_its_new_parameters_want(tree: Tree) -> None:
    build = "mkdir -p {build} && javac -d {build} -sourcepath {engine}:{project}/src {project}/src/*.java"
    crossing = begin_engine(tree, _JAVA, _JAVA_NEW, _JAVA_GAME, build)
    with pytest.raises(AssertionError, match="FILL_IN_stage"):
        _go(crossing)  # what is to be given as the stage is nobody's but the author's to say
    text = (crossing.setup.project / "src/Heron.java").read_text()
    assert (
        "import rush.Actor;\nimport rush.Stage;\n" in text
        and "act(int hour, Stage stage)" in text
        and '" " + weight();' in text
    )


@pytest.mark.parametrize(
    ("build", "said"), [("test -f {project}/game.json", "builds in"), ("", "no command to build or run it")]
)
def test_what_a_profile_has_no_command_for_is_not_asked_for(build: str, said: str, tree: Tree) -> None:
    crossing = begin_engine(tree, {"a.h": "int a();\n"}, {"a.h": "int b();\n"}, {"src/x.c": "int x;\n"}, build)
    overview = inspect(crossing, Work())
    assert not [item.key for item in overview.items if item.key.startswith(("trial:", "survey:"))] or build
    overview = cross(crossing, {}, lambda step: None, lambda *_: None, Work())
    assert overview.is_done and not overview.items and overview.trial.run is None
    assert said in finding_of(Stage.SURVEY, overview).plain


def test_the_game_is_not_run_before_it_compiles(tree: Tree) -> None:
    crossing = cross_wick(make_wick(tree))
    (open_item,) = (item for item in inspect(crossing, Work()).items if item.key == "trial:run")
    assert not open_item.options and not open_item.needs_you


_LUA = {
    "rush/stage.lua": "local Stage = {}\n\n--- Puts a prop on the stage.\nfunction Stage.add_prop(stage, name)\n  assert(name ~= '')\n"
    "  table.insert(stage.props, name)\nend\n\nfunction Stage.flush(stage)\n  stage.props = {}\nend\n\nreturn Stage\n",
}  # fmt: skip
_LUA_NEW = {
    "rush/stage.lua": _LUA["rush/stage.lua"].replace("add_prop", "place").replace(
        "function Stage.flush(stage)\n  stage.props = {}\nend\n\n", ""
    ),
}  # fmt: skip
_LUA_GAME = {
    "src/main.lua": "local Stage = require 'rush.stage'\nStage.add_prop(hall, 'boat')\nStage.add_prop(hall, 'net')\nStage.flush(hall)\n"
}


def test_where_nothing_is_compiled_what_changed_is_asked_about(tree: Tree) -> None:
    crossing = begin_engine(tree, _LUA, _LUA_NEW, _LUA_GAME, "")
    act(crossing, "engine:sites", "apply")
    view = inspect(crossing, Work()).build
    assert not view.passed and all(not fix.is_automatic for fix in view.silent)
    titles = {item.key: item.title for item in view.items}
    assert titles["silent:drift-rush-stage-add_prop"] == "add_prop → place: no tool reports it"
    (gone,) = (key for key in titles if key.startswith("default:"))
    assert (
        "flush is not there any more" in gone and next(m for m in view.items if m.key == gone).place == "src/main.lua:4"
    )
    act(crossing, "silent:drift-rush-stage-add_prop", "drift-rush-stage-add_prop")
    act(crossing, gone, "noted", why="it draws at once now")
    overview = inspect(crossing, Work())
    assert (crossing.setup.project / "src/main.lua").read_text().count("Stage.place(hall") == 2
    assert overview.is_done and overview.build.passed


def test_what_nothing_tells_may_be_right_as_it_is(tree: Tree) -> None:
    crossing = begin_engine(tree, _LUA, _LUA_NEW, _LUA_GAME, "")
    act(crossing, "silent:drift-rush-stage-add_prop", "noted")
    view = inspect(crossing, Work()).build
    assert "silent:drift-rush-stage-add_prop" not in [item.key for item in view.items] and not view.silent
