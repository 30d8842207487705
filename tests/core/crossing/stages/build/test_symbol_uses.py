"""What a linker misses is looked for where the project uses it, with a real linker."""

from __future__ import annotations

import pytest

from fernshale.core.base.work import Work
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_DOC = "/* How strongly the lamp of the tower shines into the fog bank of the harbour. */"
_GAME = """\
extern int rush_glow(int strength);
extern int rush_other(void);

int lamp(void) { return rush_glow(3) + rush_glow(4); }
int main(void) { return lamp() + rush_other(); }
"""


def _engine(name: str) -> dict[str, str]:
    return {
        "include/rush.h": f"{_DOC}\nint {name}(int strength);\nint rush_other(void);\n",
        "src/rush.c": f'#include "rush.h"\nint {name}(int strength) {{ return strength; }}\nint rush_other(void) {{ return 0; }}\n',
    }


@pytest.mark.parametrize("after", ["", " && strip --strip-unneeded a.o"])
def test_a_renamed_function_that_only_the_linker_misses(after: str, tree: Tree) -> None:
    build = (
        "cd {project} && d=$(mktemp -d) && cd $d && gcc -c -I {engine}/include {engine}/src/rush.c {project}/src/a.c"
        f"{after} && gcc a.o rush.o -o game"
    )
    crossing = begin_engine(tree, _engine("rush_glow"), _engine("rush_shine"), {"src/a.c": _GAME}, build)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    (cause,) = inspect(crossing, Work()).build.causes
    assert cause.cause.symbol == "rush_glow" and cause.cause.owner == "own"
    assert [(error.place.file, error.place.line) for error in cause.cause.errors[:1]] == [("src/a.c", 1)]
    assert cause.fixes[0].rule.new_name == "rush_shine"
    act(crossing, cause.key, cause.fixes[0].rule.id)
    assert (crossing.setup.project / "src/a.c").read_text() == _GAME.replace("rush_glow", "rush_shine")
    act(crossing, "build:run", "build")
    assert inspect(crossing, Work()).build.passed


_NEW_NAMES = """\
#ifdef RUSH_OLD_NAMES
#define RUSH_CLOSE RUSH_EVENT_CLOSE
#define RushSignal RushCondition
#else
#define RUSH_CLOSE RUSH_CLOSE_is_now_RUSH_EVENT_CLOSE
#define RushSignal RushSignal_is_now_RushCondition
#endif
"""
_LOOP = """\
#include "rush.h"
int twice(int event) {
    switch (event) { case RUSH_CLOSE: return 1; }
    if (event == RUSH_CLOSE) return 2;
    return event == RUSH_CLOSE ? 3 : 4;
}
int later(RushSignal *signal) { return RUSH_KEPT(RUSH_CLOSE) + (signal != 0); }
int last(void) { return RUSH_KEPT(RUSH_CLOSE); }
"""


def test_names_that_a_release_only_leaves_a_hint_for_are_renamed_in_one_round(tree: Tree) -> None:
    """C reports an undeclared name once in each function, and in the arguments of a macro without the place."""
    old = "typedef struct RushSignal RushSignal;\nenum { RUSH_CLOSE = 4, RUSH_OTHER };\n#define RUSH_KEPT(it) ((it) | 1)\n"
    new = "typedef struct RushCondition RushCondition;\nenum { RUSH_EVENT_CLOSE = 4, RUSH_OTHER };\n#define RUSH_KEPT(it) ((it) | 1)\n"
    own = '#include "rush.h"\nstruct Own { int RUSH_TAG; };\nint own(struct Own *it) { return it->RUSH_TAG + RUSH_OTHER; }\n'
    build = "cd {project} && gcc -fsyntax-only -I {engine}/include src/a.c src/b.c"
    crossing = begin_engine(
        tree,
        {"include/rush.h": old},
        {"include/rush.h": f'{new}#include "rush_old.h"\n', "include/rush_old.h": _NEW_NAMES},
        {"src/a.c": _LOOP, "src/b.c": own},
        build,
    )
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    view = inspect(crossing, Work()).build
    assert {cause.cause.owner for cause in view.causes} == {"own"}
    assert {cause.cause.symbol for cause in view.causes} == {"RUSH_CLOSE", "RushSignal"}
    for cause in view.causes:
        assert cause.fixes[0].is_automatic and len(cause.fixes[0].edits) == _LOOP.count(cause.cause.symbol)
        act(crossing, cause.key, cause.fixes[0].rule.id)
    act(crossing, "build:run", "build")
    assert inspect(crossing, Work()).build.passed


@pytest.mark.parametrize(
    ("code", "is_automatic"), [("rush_send(1);", True), ("if (rush_send(1) < 0) return 1;", False)]
)
def test_a_result_that_compiles_and_means_something_else_is_asked_about(
    code: str, is_automatic: bool, tree: Tree
) -> None:
    old = {"include/rush.h": "int rush_send(int boat);\n"}
    new = {
        "include/rush.h": "#include <stdbool.h>\nbool rush_launch(int boat);\n"
        "#ifdef RUSH_OLD\n#define rush_send rush_launch\n#endif\n"
    }
    game = {"src/a.c": f'#include "rush.h"\nint main(void) {{\n    {code}\n    return 0;\n}}\n'}
    build = "gcc -fsyntax-only -Werror=implicit-function-declaration -I {engine}/include {project}/src/a.c"
    crossing = begin_engine(tree, old, new, game, build)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    (cause,) = inspect(crossing, Work()).build.causes
    fix = cause.fixes[0]
    assert (fix.rule.new_name, fix.is_automatic) == ("rush_launch", is_automatic)
    if not is_automatic:
        assert fix.doubt == "it gives a bool now, and its result is used: src/a.c:3"


@pytest.mark.parametrize(
    ("code", "is_automatic"), [("row.lamps();", True), ("auto of = row.lamps(); while (of.next()) {}", False)]
)
def test_a_result_whose_type_went_is_asked_about(code: str, is_automatic: bool, tree: Tree) -> None:
    doc = "/** The lamps of this row of the harbour, from the tower to the bell. */"
    old = {
        "include/rush.hpp": f"struct Feeder {{ bool next(); }};\nstruct Row {{ int size;\n{doc}\nFeeder lamps(); }};\n"
    }
    new = {
        "include/rush.hpp": f"struct Span {{ int at; }};\nstruct Row {{ int size;\n/** @since 2 */\n{doc}\nSpan all_lamps(); }};\n"
    }
    game = {"src/a.cpp": f'#include "rush.hpp"\nvoid play(Row& row) {{\n    {code}\n}}\n'}
    crossing = begin_engine(
        tree, old, new, game, "g++ -fsyntax-only -std=c++17 -I {engine}/include {project}/src/a.cpp"
    )
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    (cause,) = inspect(crossing, Work()).build.causes
    fix = next(fix for fix in cause.fixes if fix.rule.new_name == "all_lamps")
    assert fix.doubt == ("" if is_automatic else "it gives a Span now, and its result is used: src/a.cpp:3")


def test_results_that_are_truth_values_now_are_one_item_where_they_are_used(tree: Tree) -> None:
    old = {"include/rush.h": "int rush_send(int boat);\nint rush_call(int boat);\nint rush_count(void);\n"}
    new = {
        "include/rush.h": "#include <stdbool.h>\nbool rush_send(int boat);\nbool rush_call(int boat);\nint rush_count(void);\n"
    }
    code = """\
#include "rush.h"
int main(void) {
    rush_send(1);
    if (rush_send(2) < 0) return 1;
    return rush_call(3) + rush_count();
}
"""
    build = "gcc -fsyntax-only -I {engine}/include {project}/src/a.c"
    crossing = begin_engine(tree, old, new, {"src/a.c": code}, build)
    (item,) = inspect(crossing, Work()).build.defaults
    assert item.title == "2 uses of results that are bool now: compiles, and may mean something else"
    assert item.place == "src/a.c:4" and item.detail == (
        "These functions gave a number and give bool now, so 0 may mean the opposite. "
        "rush_send in src/a.c:4; rush_call in src/a.c:5."
    )
    act(crossing, item.key, "noted")
    assert not inspect(crossing, Work()).build.defaults
