"""A fix after which the syntax of a file has more faults is left to the user, in every language."""

from __future__ import annotations

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.crossing.rules.sources import keep_rules, leg_rules
from fernshale.core.crossing.stages.build.doubts import find_doubt
from fernshale.core.crossing.stages.build.view import BuildView
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.drift.parsing import count_faults
from fernshale.core.fix.apply import find_edits
from fernshale.core.fix.rules import RewriteRule
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine


def _view(tree: Tree, path: str, code: str, replacement: str) -> BuildView:
    files = {path: code, "said.log": f"{path}:2:3: error: 'glow' was not declared in this scope\n"}
    crossing = begin_engine(tree, {"a.txt": "1"}, {"a.txt": "2"}, files, "cat {project}/said.log; exit 1")
    keep_rules(crossing, [RewriteRule("glow", "the notes", pattern="glow($a)", replacement=replacement)])
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    return inspect(crossing, Work()).build


@pytest.mark.parametrize(
    ("path", "code"),
    [
        ("src/a.ts", "function play() {\n  glow(1);\n}\n"),
        ("src/a.cpp", "void play() {\n  glow(1);\n}\n"),
        ("src/a.rs", "fn play() {\n  glow(1);\n}\n"),
        ("src/a.py", "def play():\n  glow(1)\n"),
    ],
)
@pytest.mark.parametrize(("replacement", "is_whole"), [("shine($a)", True), ("shine.[$a]()", False)])
def test_what_breaks_the_syntax_is_asked_about(
    path: str, code: str, replacement: str, is_whole: bool, tree: Tree
) -> None:
    (cause,) = _view(tree, path, code, replacement).causes
    fix = cause.fixes[0]
    assert fix.doubt == ("" if is_whole else f"{path} would not compile with it")
    assert fix.is_automatic == is_whole


def test_it_is_asked_of_all_that_would_be_automatic_in_this_crossing(tree: Tree) -> None:
    rule = RewriteRule("glow", "w", pattern="glow($a)", replacement="shine.[$a]()", confidence=0.7)
    files = {"src/a.ts": "glow(1);\n", "said.log": "src/a.ts:1:1: error: 'glow' was not declared in this scope\n"}
    crossing = begin_engine(tree, {"a.txt": "1"}, {"a.txt": "2"}, files, "cat {project}/said.log; exit 1")
    keep_rules(crossing, [rule])
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")
    edits = find_edits(rule, TreePath("src/a.ts"), "glow(1);\n")
    scan = inspect(crossing, Work()).scan
    rules = leg_rules(scan, crossing, Work())
    assert find_doubt(rule, edits, rules, scan, 0.9) == ""
    assert find_doubt(rule, edits, rules, scan, 0.5) == "src/a.ts would not compile with it"


def test_faults_of_a_grammar_are_counted() -> None:
    assert count_faults(b"let a = 1;", "a.ts") == 0
    assert count_faults(b"let a = b.[c]();", "a.ts") == 1
    assert count_faults(b"let a = b.[c](); let d = e.[f]();", "a.ts") == 2
    assert count_faults(b"let a = b.[c]();", "a.txt") == 0
