"""Several fixes of one inspection change the text as they would one after another, and none changes it twice."""

from __future__ import annotations

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import use_rules
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.stages.build.actions import UseRule
from fernshale.core.crossing.stages.build.fix_application import _moved, _overlap
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.fix.apply import CodeEdit, apply_edits
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

_PATH = TreePath("a.c")
_TEXTS = st.text(alphabet="ab\n", max_size=20)


@st.composite
def _edits(draw: st.DrawFn, text: str) -> tuple[CodeEdit, ...]:
    """Edits of a text that do not overlap each other."""
    cuts = sorted(draw(st.lists(st.integers(0, len(text)), max_size=6, unique=True)))
    spans = list(zip(cuts[::2], cuts[1::2], strict=False))
    return tuple(
        CodeEdit(_PATH, text.count("\n", 0, start) + 1, start, end, text[start:end], draw(_TEXTS))
        for start, end in spans
    )


@given(st.data(), _TEXTS)
@settings(suppress_health_check=[HealthCheck.too_slow])
def test_edits_that_do_not_meet_give_one_text_in_any_order(data: st.DataObject, text: str) -> None:
    first, second = data.draw(_edits(text)), data.draw(_edits(text))
    if any(_overlap(one, other) for one in first for other in second):
        return
    together = apply_edits(text, (*first, *second))
    for made, later in ((first, second), (second, first)):
        between = apply_edits(text, made)
        moved = [_moved(edit, made) for edit in later]
        assert all(between[edit.start : edit.end] == edit.old for edit in moved)
        assert all(edit.line == between.count("\n", 0, edit.start) + 1 for edit in moved)
        assert apply_edits(between, moved) == together


_GAME = """\
#include "rush.h"
int one(void) { return rush_glow(1) + rush_dim(2); }
int two(void) { return rush_dim(3) * rush_glow(rush_dim(4)); }
"""


def test_fixes_of_one_file_are_steps_of_their_own_after_one_inspection(tree: Tree) -> None:
    doc = "/* How strongly the lamp of the tower {} into the fog bank of the harbour. */\n"
    old = f"{doc.format('shines')}int rush_glow(int strength);\n{doc.format('fades')}int rush_dim(int strength);\n"
    build = "gcc -fsyntax-only -Werror=implicit-function-declaration -I {engine}/include {project}/src/a.c"
    new = old.replace("rush_glow", "rush_glow_of").replace("rush_dim", "rush_dim_of")
    crossing = begin_engine(tree, {"include/rush.h": old}, {"include/rush.h": new}, {"src/a.c": _GAME}, build)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    uses = [
        (UseRule(cause.cause.key, cause.fixes[0].rule.id), Author("t"))
        for cause in inspect(crossing, Work()).build.causes
    ]
    assert len(uses) == 2
    said: list[UseRule] = []
    use_rules(crossing, uses, said.append, Work())
    game = crossing.setup.project / "src/a.c"
    assert said == [action for action, _ in uses]
    assert game.read_text() == _GAME.replace("rush_glow", "rush_glow_of").replace("rush_dim", "rush_dim_of")
    steps = [entry for entry in crossing.logbook() if "rush" in entry.title]
    assert len(steps) == 2
    undo(crossing, steps[-1].id, Work())
    undo(crossing, steps[-2].id, Work())
    assert game.read_text() == _GAME
