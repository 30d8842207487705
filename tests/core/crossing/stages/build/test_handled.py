"""After a fix was applied its causes say so, even if the lines with the errors did not change; what needs a person never grows."""

from __future__ import annotations

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import apply_confident_fixes
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.stages.build.view import CauseView
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_OLD = {"include/rush.hpp": "struct Lamp { int glow; };\nstruct Boat { };\n"}
_NEW = {
    "include/rush.hpp": "struct Boat { };\n",
    "include/rush/lamp.hpp": "struct Lamp { int glow; };\n",
}
_GAME = '#include "rush.hpp"\n\nint play() {\n    Lamp lamp;\n    return lamp.glow;\n}\n\nint other(Lamp* lamp) {\n    return lamp->glow;\n}\n'
_BUILD = "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"


def _needs(crossing: Crossing) -> int:
    return sum(item.needs_you for item in inspect(crossing, Work()).build.items)


def _causes(crossing: Crossing) -> tuple[CauseView, ...]:
    return inspect(crossing, Work()).build.causes


def test_a_cause_that_another_line_cures_says_that_it_is_handled(tree: Tree) -> None:
    crossing = begin_engine(tree, _OLD, _NEW, {"src/a.cpp": _GAME}, _BUILD)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    before = _needs(crossing)
    view = next(item for item in _causes(crossing) if item.fixes and "lamp.hpp" in item.fixes[0].edits[0].new)
    errors = {(error.place.file, error.place.line) for error in view.cause.errors}
    assert errors.isdisjoint((str(edit.path), edit.line) for edit in view.fixes[0].edits)
    act(crossing, view.key, view.fixes[0].rule.id)
    after = next(item for item in _causes(crossing) if item.cause.key == view.cause.key)
    assert after.is_settled and not after.fixes and view.fixes[0].rule.name in after.settled_words
    assert _needs(crossing) <= before
    assert view.key not in {item.key for item in inspect(crossing, Work()).build.items}
    # An undone step handled nothing.
    undo(crossing, crossing.logbook()[-1].id, Work())
    again = next(item for item in _causes(crossing) if item.cause.key == view.cause.key)
    assert again.fixes and not again.is_settled
    act(crossing, view.key, view.fixes[0].rule.id)
    act(crossing, "build:run", "build")
    assert not [item for item in _causes(crossing) if item.handled_by]


def test_what_needs_a_person_does_not_grow_by_automatic_fixes(tree: Tree) -> None:
    crossing = begin_engine(tree, _OLD, _NEW, {"src/a.cpp": _GAME}, _BUILD)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    before = _needs(crossing)
    applied = apply_confident_fixes(crossing, Author("t"), Work())
    assert applied and _needs(crossing) <= before
    assert all(item.is_settled for item in _causes(crossing) if not item.cause.under)
