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


_BASE = "class Sprite:\n    def update(self{}):\n        return 1\n"
_LOG = (
    'src/a.py:3: error: Signature of "update" incompatible with supertype "rush.Sprite"  [override]\n'
    "src/a.py:3: note:      Superclass:\n"
)


@pytest.mark.parametrize(
    ("more", "given", "is_automatic"),
    [
        (", delta: float = 1 / 60, *args, **kwargs", "self", True),
        (", delta", "self", False),  # its callers have to pass it
        (", delta: float = 1 / 60, *args", "self, *args", False),  # a second *args does not compile
        (", delta: float = 1 / 60", "self, delta", False),  # neither does a second delta
    ],
)
def test_optional_parameters_of_a_base_are_added_to_reported_overrides(
    more: str, given: str, is_automatic: bool, tree: Tree
) -> None:
    code = f"from rush import Sprite\nclass Boat(Sprite):\n    def update({given}):\n        return 2\n"
    files = {"src/a.py": code, "said.log": _LOG}
    old, new = ({"rush.py": _BASE.format(text)} for text in ("", more))
    crossing = begin_engine(tree, old, new, files, "cat {project}/said.log; exit 1")
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    (cause,) = inspect(crossing, Work()).build.causes
    (fix,) = (fix for fix in cause.fixes if "as well" in fix.rule.name)
    assert fix.is_automatic == is_automatic, fix.evidence
    if given != "self":
        assert fix.doubt == "src/a.py would not compile with it"
