"""Changes that a compiler suggests, from its log to a build that passes."""

from __future__ import annotations

import pytest

from fernshale.core.base.work import Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.stages.build.attempt_runs import AttemptBudget, try_proposals
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.fix.rules import LinesRule
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine

# A stand-in for a compiler whose new release wants characters, and for one that also wants fewer type arguments.
_COMPILER = """\
import re, sys
from pathlib import Path

failed = False
for path in sorted(Path("src").glob("*.rs")):
    for number, line in enumerate(path.read_text().splitlines(), 1):
        shown = line.replace("\\t", "    ")
        if "/1.0" in sys.argv[1]:
            break
        if found := re.search(r'short\\((".")\\)', shown):
            failed, at = True, found.start(1)
            new = shown.replace(found[1], f"'{found[1][1]}'")
            print(f"error[E0308]: mismatched types\\n --> {path}:{number}:{at + 1}\\n  |\\n{number} | {shown}")
            print(f"  | {' ' * at}^^^ expected `char`, found `&str`\\n  |\\nhelp: use single quotes\\n  |")
            print(f"{number} - {shown}\\n{number} + {new}\\n  |\\n")
        if found := re.search(r"Lamp(<'\\w+>)", shown):
            failed, at = True, found.start(1)
            print(f"error[E0107]: struct takes 0 lifetime arguments but 1 lifetime argument was supplied")
            print(f" --> {path}:{number}:{at + 1}\\n  |\\n{number} | {shown}\\n  | {' ' * (at - 4)}^^^^"
                  f"{'-' * len(found[1])} help: remove the unnecessary generics\\n")
sys.exit(failed)
"""
_GAME = """\
fn go(lamp: &Lamp<'a>) {
\tlamp.short("a")
\t    .short("b"); lamp.short("long");
}
"""


@pytest.fixture
def crossing(tree: Tree) -> Crossing:
    files = {"src/a.rs": _GAME, "check.py": _COMPILER}
    begun = begin_engine(tree, {"lib.txt": "1"}, {"lib.txt": "2"}, files, "cd {project} && python3 check.py {engine}")
    act(begun, "engine:sites", "apply")
    act(begun, "build:run", "build")
    return begun


def test_what_a_compiler_suggests_is_offered_and_a_trial_makes_it_sure(crossing: Crossing) -> None:
    causes = {view.cause.count: view for view in inspect(crossing, Work()).build.causes}
    (quotes,), (generics,) = causes[2].fixes, causes[1].fixes
    assert isinstance(quotes.rule, LinesRule) and not quotes.is_automatic
    assert "the compiler suggests it" in quotes.rule.why
    try_proposals(crossing, AttemptBudget(3), Work())
    causes = {view.cause.count: view for view in inspect(crossing, Work()).build.causes}
    (quotes,), (generics,) = causes[2].fixes, causes[1].fixes
    assert quotes.is_automatic
    # It drops what a person wrote, so it is not applied without asking.
    assert not generics.is_automatic and "clears 1 of 1" in generics.tried


def test_a_suggestion_is_followed_and_the_build_passes(crossing: Crossing) -> None:
    for view in inspect(crossing, Work()).build.causes:
        act(crossing, f"cause:{view.cause.key}", view.fixes[0].rule.id)
    assert (
        (crossing.setup.project / "src/a.rs").read_text()
        == """\
fn go(lamp: &Lamp) {
\tlamp.short('a')
\t    .short('b'); lamp.short("long");
}
"""
    )
    act(crossing, "build:run", "build")
    assert inspect(crossing, Work()).build.passed


def test_a_line_that_changed_since_the_build_has_no_suggestion(crossing: Crossing) -> None:
    file = crossing.setup.project / "src/a.rs"
    file.write_text(_GAME.replace('\tlamp.short("a")', '\tlamp.short("a") // mine'))
    (quotes,) = (view for view in inspect(crossing, Work()).build.causes if view.cause.count == 2)
    assert [edit.line for edit in quotes.fixes[0].edits] == [3]
