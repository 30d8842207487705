"""A method that overrides nothing any more is told of where the project declares it, not where it is only called."""

from __future__ import annotations

import pytest

from fernshale.core.base.work import Work
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_OLD = {"include/rush.hpp": "struct Actor { virtual void on_dusk(int at); void stay(); };\n"}
_NEW = {"include/rush.hpp": "struct Actor { void stay(); };\n"}
_BUILD = "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"


@pytest.mark.parametrize(
    ("game", "is_told"),
    [
        ('#include "rush.hpp"\nvoid play(Actor& actor) { actor.on_dusk(1); }\n', False),
        ('#include "rush.hpp"\nstruct Bell : Actor { void on_dusk(int at) { } };\n', True),
        ('#include "rush.hpp"\nstruct Bell : Actor { void on_dusk(int at); };\nvoid Bell::on_dusk(int at) { }\n', True),
    ],
)
def test_only_where_it_is_declared(game: str, is_told: bool, tree: Tree) -> None:
    crossing = begin_engine(tree, _OLD, _NEW, {"src/a.cpp": game}, _BUILD)
    act(crossing, "engine:sites", "apply")
    told = {item.change.what for item in inspect(crossing, Work()).build.drift}
    assert any("overrides nothing of Actor" in what for what in told) == is_told, told
    assert any("is not there any more" in what for what in told)
