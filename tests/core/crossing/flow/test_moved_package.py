"""A package that moved: every type of it is followed in one crossing, with the imports of each file, whatever was broken before."""

from __future__ import annotations

import shutil

import pytest

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.autopilot import cross
from tests.conftest import Tree
from tests.engines import begin_engine

_TYPES = ("Lamp", "Buoy", "Ledger", "Bollard", "Fender", "Gangway")


def _type(package: str, name: str) -> str:
    low = name.lower()
    return (
        f"package {package};\n/** One {low} of the harbour, with its place on the quay. */\npublic class {name} {{\n"
        f'    public int {low}Count() {{ return 3; }}\n    public String {low}Name(int hour) {{ return "{low}" + hour; }}\n}}\n'
    )


def _tools(name: str) -> str:
    return (
        f"package rush;\n/** Draws charts of a harbour into files. */\npublic class {name} {{\n"
        "    public static void saveChart(String file, int width) { }\n    public static int scaleOf(int width) { return width * 2; }\n}\n"
    )


_USES = "".join(f"    int {name.lower()}(ui.{name} it) {{ return it.{name.lower()}Count(); }}\n" for name in _TYPES)
_HARBOUR = (
    "".join(f"import rush.ui.{name};\n" for name in _TYPES)
    + "\npublic class Harbour {\n"
    + _USES.replace("ui.", "")
    + "}\n"
)
# A missing name of its own, reported in the same words as those that the upgrade takes away.
_REPORT = """\
import rush.ChartUtilities;

public class Report {
    Attic attic;

    void write() {
        ChartUtilities.saveChart("day.png", ChartUtilities.scaleOf(300));
    }
}
"""
_BUILD = "javac -d {build} -XDshould-stop.ifError=FLOW -sourcepath {engine} {project}/src/*.java"


@pytest.mark.skipif(shutil.which("javac") is None, reason="no compiler for Java here")
def test_all_types_of_a_package_are_followed_with_their_imports(tree: Tree) -> None:
    old = {f"rush/ui/{name}.java": _type("rush.ui", name) for name in _TYPES}
    new = {f"rush/chart/ui/{name}.java": _type("rush.chart.ui", name) for name in _TYPES}
    old["rush/ChartUtilities.java"] = _tools("ChartUtilities")
    new["rush/ChartUtils.java"] = _tools("ChartUtils")
    game = {"src/Harbour.java": _HARBOUR, "src/Report.java": _REPORT}
    crossing = begin_engine(tree, old, new, game, f"mkdir -p {{build}} && {_BUILD}")
    overview = cross(crossing, {}, lambda _step: None, lambda _stage, _view: None, Work())
    source = crossing.setup.project / "src"
    assert (source / "Harbour.java").read_text() == _HARBOUR.replace("rush.ui.", "rush.chart.ui.")
    assert (source / "Report.java").read_text() == _REPORT.replace("ChartUtilities", "ChartUtils")
    assert overview.build.passed and [item.diagnostic.place.line for item in overview.build.before] == [4]
