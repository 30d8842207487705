"""Code set aside so that the rest compiles: it compiles, it is on the list, and it comes back as it was."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import Work
from fernshale.core.crossing.deferred.code import with_stub, without_line
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.reporting.markdown import report_markdown
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import cross_wick, make_silent_wick

_CPP = "#include <vector>\nstruct Boat { int go(int n) const; };\nint Boat::go(int n) const {\n    gone(n);\n    return n;\n}\nint main() { return Boat{}.go(1); }\n"


def test_a_function_that_was_set_aside_compiles_and_says_so_when_it_runs(tmp_path: Path) -> None:
    text, name = with_stub(_CPP, "a.cpp", 4)
    assert name == "Boat::go()" and "gone" not in text
    (tmp_path / "a.cpp").write_text(text)
    subprocess.run(["g++", "-Wall", "-Werror", "a.cpp", "-o", "game"], cwd=tmp_path, check=True)
    ran = subprocess.run([tmp_path / "game"], capture_output=True, text=True)
    assert ran.returncode != 0 and "switched off: Boat::go" in ran.stderr


def test_a_line_that_was_set_aside_leaves_what_parses(tmp_path: Path) -> None:
    (tmp_path / "a.cpp").write_text(without_line(_CPP, "a.cpp", 4))
    subprocess.run(["g++", "-c", "a.cpp"], cwd=tmp_path, check=True)
    python = "def f(x):\n    if x:\n        gone(x)\n    return x\nprint(f(3))\n"
    ran = subprocess.run([sys.executable, "-c", without_line(python, "a.py", 3)], capture_output=True, text=True)
    assert ran.stdout == "3\n"
    assert without_line("a = 1\r\nb = 2\r\n", "x.lua", 2) == "a = 1\r\n-- switched off: b = 2\r\n"
    with pytest.raises(MisuseError):
        without_line("a\n\n", "a.py", 2)


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("a.py", "class A:\n    def f(self):\n        gone()\n"),
        ("A.java", "class A { int f() {\n gone();\n return 1; } }"),
        ("a.cs", "class A { int F() {\n gone();\n return 1; } }"),
        ("a.rs", "fn f() -> i32 {\n gone();\n 1 }"),
        ("a.ts", "class A { f(): number {\n gone();\n return 1; } }"),
        ("a.js", "function f() {\n gone();\n return 1; }"),
        ("a.lua", "function f()\n gone()\n return 1\nend"),
        ("a.c", "int f(void) {\n gone();\n return 1; }"),
    ],
)
def test_each_language_has_a_stub(path: str, text: str) -> None:
    new, name = with_stub(text, path, text[: text.index("gone")].count("\n") + 1)
    assert "gone" not in new and "switched off" in new and name.lower() == "f()"
    with pytest.raises(MisuseError):
        with_stub("x\n", path, 1)


def _take(crossing: Crossing, key: str, way: str, why: str = "") -> None:
    act(crossing, key, way, why=why)


@pytest.mark.parametrize("what", ["line", "function", "file"])
def test_what_is_set_aside_is_a_debt_until_it_is_put_back(tree: Tree, what: str) -> None:
    game = "import wick\n\n\ndef play():\n    wick.light_up()\n    return 1\n"
    wick = make_silent_wick(tree, "def light_up(): print('lit')\n", "def other(a, b, c): return a\n", game)
    crossing = cross_wick(wick)
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    before = listing(wick.project)
    (cause,) = inspect(crossing, Work()).build.causes
    key = f"cause:{cause.cause.key}"
    open_item = next(item for item in inspect(crossing, Work()).items if item.key == key)
    assert f"aside {what}" in [option.id for option in open_item.options]
    _take(crossing, key, f"aside {what}", "nobody knows how yet")
    _take(crossing, "build:run", "build")
    overview = inspect(crossing, Work())
    assert overview.build.passed
    (debt,) = overview.build.debts
    assert (debt.what, debt.place, debt.why) == (what, "game.py:5", "nobody knows how yet")
    assert "nobody knows how yet" in report_markdown(report_data(overview, crossing))
    assert report_data(overview, crossing)["debts"][0]["key"] == f"debt:{debt.entry}"  # type: ignore[index]
    # What was done since stays when it comes back.
    (wick.project / "new.py").write_text("x = 1\n")
    _take(crossing, f"debt:{debt.entry}", "return")
    assert inspect(crossing, Work()).build.debts == ()
    (wick.project / "new.py").unlink()
    assert listing(wick.project) == before
    with pytest.raises(MisuseError):
        _take(crossing, f"debt:{debt.entry}", "return")
