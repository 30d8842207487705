"""A project with errors of its own can cross: they are known, follow their lines, and are never counted as the upgrade's."""

from __future__ import annotations

import sys
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.work import Work
from fernshale.core.build.diagnostics import Diagnostic, Note, SourcePlace
from fernshale.core.build.known_errors import count_errors, split_known
from fernshale.core.build.owners import Owned
from fernshale.core.crossing.flow.autopilot import cross
from fernshale.core.crossing.project.baseline import read_baseline
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.last_build import ROUNDS
from fernshale.core.crossing.stages.overview import Overview, inspect
from tests.conftest import Tree
from tests.engines import begin_engine

_GAME = "from rush import start\n\nstart('quay')\nlamp = undefined_lamp\n"
_ENGINE = "def start(place):\n    pass\n"
# A checker in a few lines: it reports names that the engine or the file does not have.
_CHECK = """\
import ast, sys
from pathlib import Path
engine = ast.parse(Path(sys.argv[1], "rush.py").read_text())
known = {item.name for item in engine.body if isinstance(item, ast.FunctionDef)}
bad = 0
for path in sorted(Path(".").glob("*.py")):
    tree = ast.parse(path.read_text())
    own = {name.id for name in ast.walk(tree) if isinstance(name, ast.Name) and isinstance(name.ctx, ast.Store)}
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module == "rush":
            for item in node.names:
                if item.name not in known:
                    bad += 1
                    print(f'{path}:{node.lineno}:1: error: module "rush" has no attribute "{item.name}"')
                own.add(item.name)
        elif isinstance(node, ast.Name) and isinstance(node.ctx, ast.Load) and node.id not in own:
            bad += 1
            print(f'{path}:{node.lineno}:1: error: name "{node.id}" is not defined')
sys.exit(1 if bad else 0)
"""


def _begin(tree: Tree, new: str = _ENGINE) -> Crossing:
    tools = tree("tools", {"check.py": _CHECK})
    build = f"{sys.executable} {tools}/check.py {{engine}}"
    return begin_engine(tree, {"rush.py": _ENGINE}, {"rush.py": new}, {"play.py": _GAME}, build)


def _cross(crossing: Crossing) -> Overview:
    return cross(crossing, {}, lambda _step: None, lambda _stage, _view: None, Work())


def test_errors_of_before_are_a_fact_and_no_reason_to_stop(tree: Tree) -> None:
    crossing = _begin(tree)
    overview = _cross(crossing)
    baseline = read_baseline(crossing)
    assert baseline is not None and not baseline.built and baseline.error_count == 1
    assert not [item for item in overview.items if item.key.startswith("baseline")]
    assert overview.setup.from_ == "1.0" and overview.scan.release == "2.0"
    (round_,) = crossing.read(ROUNDS)
    assert (round_.total, round_.known, round_.passed) == (0, 1, True)
    assert overview.build.passed and not overview.build.causes
    assert [item.diagnostic.message for item in overview.build.before] == ['name "undefined_lamp" is not defined']


def test_new_errors_count_and_those_of_before_follow_their_lines(tree: Tree) -> None:
    crossing = _begin(tree, "def begin(place):\n    pass\n")
    _cross(crossing)
    play = crossing.setup.project / "play.py"
    play.write_text("# a line more\n# and another\n" + play.read_text() + "other = undefined_lamp\n")
    overview = _cross(crossing)
    last = crossing.read(ROUNDS)[-1]
    assert last.known == 1 and not last.passed
    # A second error of the same kind is new, although the first was there before.
    assert any("undefined_lamp" in view.cause.title for view in overview.build.causes)
    assert inspect(crossing, Work()).build.before[0].place.line == 6


def _error(file: str, line: int, message: str) -> Owned:
    place = SourcePlace(file, line, 1)
    return Owned(Diagnostic(place, "error", "", message, "checker"), "own", place)


_ERRORS = st.lists(
    st.builds(
        _error, st.sampled_from(("a.c", "b/c.c", "d/c.c")), st.integers(1, 40), st.sampled_from(("x 1", "x 2", "y"))
    ),
    max_size=12,
)


@given(_ERRORS, st.lists(st.integers(0, 30), min_size=12, max_size=12))
def test_the_same_errors_on_other_lines_are_all_known(errors: list[Owned], shifts: list[int]) -> None:
    known = count_errors(errors)
    moved = [
        replace(item, place=replace(item.place, line=item.place.line + shift))
        for item, shift in zip(errors, shifts, strict=False)
    ]
    new, before = split_known(moved, known)
    assert not new and len(before) == len(errors)
    more, _ = split_known([*moved, *moved], known)
    assert len(more) == len(errors)


def test_a_moved_file_keeps_its_errors_and_warnings_are_never_known() -> None:
    known = count_errors([_error("old/a.c", 3, "x")])
    new, before = split_known([_error("new/a.c", 9, "x"), _error("new/b.c", 9, "x")], known)
    assert [item.place.file for item in before] == ["new/a.c"] and [item.place.file for item in new] == ["new/b.c"]
    warning = _error("old/a.c", 3, "x")
    warning = replace(warning, diagnostic=replace(warning.diagnostic, severity="warning"))
    assert split_known([warning], known) == ((warning,), ())


def test_one_message_for_all_missing_names_does_not_hide_a_new_one() -> None:
    def missing(name: str, line: int) -> Owned:
        error = _error("Quay.java", line, "cannot find symbol")
        notes = (Note(error.place, f"symbol:   class {name}"), Note(error.place, "location: package merelith.ui"))
        return replace(error, diagnostic=replace(error.diagnostic, notes=notes))

    known = count_errors([missing("Attic", 3), missing("Attic", 8)])
    new, before = split_known([missing("Lamp", 2), missing("Attic", 5)], known)
    assert [item.place.line for item in new] == [2] and [item.place.line for item in before] == [5]
