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
