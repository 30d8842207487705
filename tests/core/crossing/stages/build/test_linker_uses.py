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
