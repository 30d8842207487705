"""Proposals are tried in a copy of the project; the verdicts order them and are shown as evidence."""

from __future__ import annotations

import os
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.errors import Cancelled, MisuseError
from fernshale.core.base.textfile import position
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.rules.sources import keep_rules
from fernshale.core.crossing.stages.build.attempt_runs import AttemptBudget, edits_together, try_proposals
from fernshale.core.crossing.stages.build.attempts import (
    ATTEMPTS,
    Attempt,
    Attempts,
    EditedLines,
    is_telling,
    with_verdicts,
)
from fernshale.core.crossing.stages.build.view import Fix
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.fix.apply import CodeEdit, apply_edits
from fernshale.core.fix.rules import CallRule, DeclareRule, ImportRule, ReimportRule, RenameRule, RewriteRule, Rule
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.engines import begin_engine

_OLD = "namespace rush { int light(int room); int snuff(int room, int hour); }\n"
_NEW = "namespace rush { int kindle(const char* room); int ignite(int room); int quench(int room); }\n"
_CODE = '#include "rush.hpp"\nint f() {\n    return rush::light(3);\n}\n\nint g() {\n    return rush::light(4)\n        + rush::snuff(3, 4);\n}\n'
_BUILD = "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"


def _begin(tree: Tree, rules: list[Rule], code: str = _CODE) -> Crossing:
    """A project that was built once on the new release, with rules that are proposed for it."""
    crossing = begin_engine(tree, {"include/rush.hpp": _OLD}, {"include/rush.hpp": _NEW}, {"src/a.cpp": code}, _BUILD)
    with crossing.acting():
        keep_rules(crossing, rules)
    for key, option in (("engine:sites", "apply"), ("build:run", "build")):
        act(crossing, key, option)
    return crossing


def _rename(new: str, confidence: float) -> RenameRule:
    return RenameRule(f"to-{new}", "", title=f"light is {new}", old="light", new=new, confidence=confidence)


def _fixes(crossing: Crossing, symbol: str) -> dict[str, Fix]:
    views = (item for item in inspect(crossing, Work()).build.causes if item.cause.symbol == symbol)
    return {fix.rule.id: fix for fix in next(views).fixes}


def test_a_proposal_that_brings_errors_is_not_offered_first(tree: Tree) -> None:
    crossing = _begin(tree, [_rename("kindle", 0.6), _rename("ignite", 0.5)])
    before = listing(crossing.setup.project)
    assert [*_fixes(crossing, "light")][:2] == ["to-kindle", "to-ignite"]
    attempts = try_proposals(crossing, AttemptBudget(), Work())
    assert not attempts.stopped and listing(crossing.setup.project) == before
    found = _fixes(crossing, "light")
    assert next(iter(found)) == "to-ignite" and found["to-ignite"].evidence[0] == "tried: clears 2 of 2, brings none"
    assert found["to-kindle"].tried == "tried: clears 2 of 2, brings 2"
    # The odds of a name that fits rise, those of one that does not fall.
    assert 0.6 < found["to-ignite"].confidence < 0.9 and found["to-kindle"].confidence < 0.2


def test_what_a_compiler_only_gets_to_behind_a_right_name_is_not_held_against_it(tree: Tree) -> None:
    """Of a chain of calls it reports the first that is missing."""
    lamp = "struct Lamp {{ Lamp& {0}(int power); Lamp& {1}(int hour, int minute); Lamp& moor(); }};\n"
    old, new = lamp.format("light", "dim"), lamp.format("ignite", "extinguish")
    code = '#include "rush.hpp"\nvoid f(Lamp& lamp) {\n    lamp.light(3).dim(4, 5);\n}\n'
    crossing = begin_engine(tree, {"include/rush.hpp": old}, {"include/rush.hpp": new}, {"src/a.cpp": code}, _BUILD)
    with crossing.acting():
        keep_rules(crossing, [_rename("ignite", 0.6), _rename("moor", 0.5)])
    for key, option in (("engine:sites", "apply"), ("build:run", "build")):
        act(crossing, key, option)
    try_proposals(crossing, AttemptBudget(), Work())
    found = _fixes(crossing, "light")
    assert found["to-ignite"].tried == "tried: clears 1 of 1, brings none"
    # An error of its own is one, too.
    assert found["to-ignite"].confidence > 0.8


def test_what_a_compiler_cannot_judge_gains_no_confidence(tree: Tree) -> None:
    rule = RewriteRule(
        "drop", "", title="snuff is quench", pattern="snuff($room, $hour)", replacement="quench($room)", confidence=0.5
    )
    crossing = _begin(tree, [rule, _rename("ignite", 0.5)])
    before = _fixes(crossing, "snuff")["drop"].confidence
    try_proposals(crossing, AttemptBudget(), Work())
    fix = _fixes(crossing, "snuff")["drop"]
    assert fix.tried == "tried: clears 1 of 1, brings none; the tool cannot tell whether it means the same"
    assert fix.confidence == before and not fix.is_automatic


def test_what_a_build_cannot_tell_is_not_put_before_what_is_more_certain() -> None:
    """A name alone compiles where the arguments have to change as well, and the right fix may bring an error of its own."""
    fixes = [Fix(_rename(new, 0.0), "", (), (), (), 9, confidence) for new, confidence in (("a", 0.95), ("b", 0.5))]
    verdicts = {
        ("c", "to-a"): Attempt("c", "to-a", cleared=9, errors=9, brought=1),
        ("c", "to-b"): Attempt("c", "to-b", cleared=9, errors=9, brought=0),
    }
    assert [fix.rule.id for fix in with_verdicts("c", fixes, verdicts)] == ["to-a", "to-b"]
    told = {**verdicts, ("c", "to-b"): replace(verdicts["c", "to-b"], is_telling=True)}
    assert [fix.rule.id for fix in with_verdicts("c", fixes, told)] == ["to-b", "to-a"]


def _fix_of(rule: Rule, path: str) -> Fix:
    edit = CodeEdit(TreePath(path), 1, 0, 4, "f(1)", "g(1)")
    return Fix(rule, "", (edit,), (), (edit,), 1, 0.5)


@pytest.mark.parametrize(
    ("rule", "path", "is_judged"),
    [
        (CallRule("r", "w", call="f", new="$it.g($a)", parameters=("a",), of="A"), "a.cpp", True),
        (CallRule("r", "w", call="f", new="$it.g($a)", parameters=("a",), of="A"), "a.py", False),
        (CallRule("r", "w", call="f", new="$it.g()", parameters=("a",), of="A"), "a.cpp", False),
        (ReimportRule("r", "w", old="m/a", new="m", names=("f",)), "a.ts", True),
        (ImportRule("r", "w", old="f", text="#include <f.h>"), "a.c", True),
        (ImportRule("r", "w", old="F", text="#define F 3"), "a.c", False),
        (DeclareRule("r", "w", old="f", new="Boat"), "a.py", True),
    ],
)
def test_a_build_judges_names_and_types_and_no_values(rule: Rule, path: str, is_judged: bool) -> None:
    assert is_telling(_fix_of(rule, path), lambda _: "f(1)") is is_judged


def test_causes_that_share_a_rule_are_tried_with_all_their_places() -> None:
    rule = DeclareRule("r", "w", old="f", new="Boat")
    first, second = (CodeEdit(TreePath("a.py"), at, at, at + 1, "f", "g") for at in (1, 9))
    other = CodeEdit(TreePath("a.py"), 9, 9, 10, "f", "h")
    fixes = {
        key: Fix(replace(rule, id=id), "", (edit,), (), (edit,), 1, 0.5)
        for key, id, edit in (("one", "r", first), ("two", "r", second), ("three", "s", other))
    }
    assert edits_together(fixes) == ({TreePath("a.py"): [first, second]}, {"s"})


def test_verdicts_are_taken_over_where_the_same_errors_are_left(tree: Tree) -> None:
    crossing = _begin(tree, [_rename("ignite", 0.5)])
    assert try_proposals(crossing, AttemptBudget(), Work()).builds
    file = crossing.setup.project / "src/a.cpp"
    file.write_text("// The tide is out.\n" + _CODE)
    act(crossing, "build:run", "build")
    assert not _fixes(crossing, "light")["to-ignite"].tried
    again = try_proposals(crossing, AttemptBudget(), Work())
    assert not again.builds and _fixes(crossing, "light")["to-ignite"].tried == "tried: clears 2 of 2, brings none"
    file.write_text(_CODE + "int h() { return rush::light(5); }\n")
    act(crossing, "build:run", "build")
    assert try_proposals(crossing, AttemptBudget(), Work()).builds
    assert _fixes(crossing, "light")["to-ignite"].tried == "tried: clears 3 of 3, brings none"


def test_an_attempt_stops_when_the_project_changes(tree: Tree) -> None:
    crossing = _begin(tree, [_rename("kindle", 0.6), _rename("ignite", 0.5)])
    file = crossing.setup.project / "src/a.cpp"

    def edit(line: str) -> None:
        if line.startswith("$ "):
            file.write_text(_CODE + "// meanwhile\n")

    attempts = try_proposals(crossing, AttemptBudget(), Work(on_line=edit))
    assert attempts.stopped == "stopped because the project changed" and attempts.builds == 1
    with pytest.raises(MisuseError, match="files changed since the last one"):
        try_proposals(crossing, AttemptBudget(), Work())


def test_a_budget_and_a_cancellation_end_it(tree: Tree) -> None:
    crossing = _begin(tree, [_rename("kindle", 0.6), _rename("ignite", 0.5)])
    attempts = try_proposals(crossing, AttemptBudget(builds=1), Work())
    assert attempts.stopped == "stopped after 1 build" and {item.rule for item in attempts.found} == {"to-kindle"}
    token = CancelToken()
    with pytest.raises(Cancelled):
        try_proposals(crossing, AttemptBudget(), Work(token=token, on_line=lambda _: token.cancel()))
    # The verdicts of before are kept.
    assert _fixes(crossing, "light")["to-kindle"].tried


def test_a_build_that_does_not_work_in_the_copy_proves_nothing(tree: Tree) -> None:
    # A tool that fails in the copy without a message: no error is left, and none was cleared.
    broken = "case {project} in *attempts*) exit 3;; esac; " + _BUILD
    crossing = begin_engine(tree, {"include/rush.hpp": _OLD}, {"include/rush.hpp": _NEW}, {"src/a.cpp": _CODE}, broken)
    with crossing.acting():
        keep_rules(crossing, [_rename("ignite", 0.5)])
    for key, option in (("engine:sites", "apply"), ("build:run", "build")):
        act(crossing, key, option)
    attempts = try_proposals(crossing, AttemptBudget(), Work())
    assert attempts.stopped.endswith("did not get as far as that of the project") and not attempts.found
    assert not _fixes(crossing, "light")["to-ignite"].tried


def test_a_proposal_for_the_place_of_a_good_one_is_not_tried(tree: Tree) -> None:
    rules: list[Rule] = [
        _rename("ignite", 0.5),
        RewriteRule("calls", "", title="snuff is quench", pattern="light($a) + rush::snuff($b, $c)",
                    replacement="light($a) + rush::quench($b)", confidence=0.5),
    ]  # fmt: skip
    code = '#include "rush.hpp"\nint g() { return rush::light(4) + rush::snuff(3, 4); }\n'
    crossing = _begin(tree, rules, code)
    attempts = try_proposals(crossing, AttemptBudget(builds=5), Work())
    assert not attempts.stopped and attempts.builds <= 2
    assert {(item.cause[-5:], item.rule, item.is_good) for item in attempts.found} == {
        ("light", "calls", False),
        ("snuff", "calls", True),
    }


def _try_again(crossing: Crossing) -> None:
    crossing.keep(ATTEMPTS, Attempts())
    act(crossing, "build:run", "build")
    try_proposals(crossing, AttemptBudget(), Work())


def test_the_copy_is_kept_and_only_changed_files_are_written_again(tree: Tree) -> None:
    crossing = _begin(tree, [_rename("ignite", 0.5)])
    project, copy = crossing.setup.project, crossing.scratch("attempts") / "project"
    other = project / "notes.txt"
    other.write_text("tide\n")
    os.chmod(project / "src/a.cpp", 0o755)
    act(crossing, "build:run", "build")
    try_proposals(crossing, AttemptBudget(), Work())
    assert "ignite(3)" in (copy / "src/a.cpp").read_text() and os.access(copy / "src/a.cpp", os.X_OK)
    times = {path.name: path.stat().st_mtime_ns for path in copy.rglob("*") if path.is_file()}
    other.write_text("ebb\n")
    (project / "new.txt").write_text("flood\n")
    _try_again(crossing)
    now = {path.name: path.stat().st_mtime_ns for path in copy.rglob("*") if path.is_file()}
    assert {name for name in now if now[name] != times.get(name)} == {"notes.txt", "new.txt"}
    (project / "new.txt").unlink()
    _try_again(crossing)
    assert not (copy / "new.txt").exists() and (copy / "notes.txt").read_text() == "ebb\n"


def test_nothing_is_written_through_a_link_of_an_old_copy(tree: Tree) -> None:
    """A link became a folder, and the list of what the copy has was lost."""
    crossing = _begin(tree, [_rename("ignite", 0.5)])
    project, folder = crossing.setup.project, crossing.scratch("attempts")
    outside = tree("outside", {"tide.txt": "ours\n"})
    (project / "shared").symlink_to(outside)
    _try_again(crossing)
    assert (folder / "project/shared").is_symlink()
    (folder / "written.json").unlink()
    (project / "shared").unlink()
    (project / "shared").mkdir()
    (project / "shared/tide.txt").write_text("of the project\n")
    _try_again(crossing)
    assert (outside / "tide.txt").read_text() == "ours\n"
    copied = folder / "project/shared/tide.txt"
    assert not copied.parent.is_symlink() and copied.read_text() == "of the project\n"
    # And the reverse: a folder became a link.
    (project / "shared/tide.txt").unlink()
    (project / "shared").rmdir()
    (project / "shared").symlink_to(outside)
    (folder / "written.json").unlink()
    _try_again(crossing)
    assert (folder / "project/shared").is_symlink() and (outside / "tide.txt").read_text() == "ours\n"


@given(
    st.lists(st.text("abc", max_size=3), min_size=1, max_size=12).map("\n".join),
    st.lists(st.tuples(st.integers(0, 40), st.integers(0, 6), st.text("xy\n", max_size=6)), max_size=4),
)
def test_a_line_that_no_edit_wrote_is_the_line_it_was(text: str, cuts: list[tuple[int, int, str]]) -> None:
    edits, end = [], 0
    for start, length, new in sorted(cuts):
        start = min(max(start, end + 1 if edits else 0), len(text))
        end = min(start + length, len(text))
        if not edits or start > edits[-1].end:
            edits.append(CodeEdit(TreePath("a"), position(text, start)[0], start, end, text[start:end], new))
    lines, was = apply_edits(text, edits).split("\n"), text.split("\n")
    edited = EditedLines(text, edits)
    for number, line in enumerate(lines, 1):
        if not edited.edits_at(number):
            assert was[edited.before(number) - 1] == line
