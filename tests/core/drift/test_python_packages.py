"""What packages show of their modules, held against what importing them shows."""

from __future__ import annotations

import importlib
import sys

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import compare
from fernshale.core.drift.names.python_packages import Packages
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree

RELEASE = {
    "wick/__init__.py": '"""Shows Hidden in a text: from .lamps import Nothing."""\n'
    "from .lamps import (\n    Lamp,  # the main one\n    Candle as Taper,\n)\n"
    "from wick.tools import *\nfrom . import rooms\nfrom .rooms import cellar \\\n    , attic\n\nversion = 3\n",
    "wick/lamps.py": "class Lamp: pass\nclass Candle: pass\nclass Unshown: pass\n",
    "wick/tools/__init__.py": "from ._trim import trim, _grease\nfrom .snuff import *\n",
    "wick/tools/_trim.py": "def trim(): pass\ndef _grease(): pass\n",
    "wick/tools/snuff.py": "import os\nLIMIT: int = 3\nasync def snuff(): pass\ndef _own(): pass\n",
    "wick/rooms.py": "from .lamps import Lamp as Light\ncellar = 1\nattic = 2\n",
}


def test_what_is_shown_is_what_importing_it_shows(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    root = tree("release", RELEASE)
    shown = Packages(root).shown
    monkeypatch.syspath_prepend(root)
    modules = {name: module for name, module in sys.modules.items() if name.split(".")[0] == "wick"}
    assert not modules
    try:
        for written, stands in shown.items():
            package, module = (
                importlib.import_module(".".join(written[:-1])),
                importlib.import_module(".".join(stands[:-1])),
            )
            assert getattr(package, written[-1]) is getattr(module, stands[-1]), written
        public = {name for name, value in vars(importlib.import_module("wick")).items() if not name.startswith("_")}
        assert public - {"lamps", "tools", "rooms", "version", "os"} == {
            name for *front, name in shown if front == ["wick"]
        }
    finally:
        for name in [name for name in sys.modules if name.split(".")[0] == "wick"]:
            del sys.modules[name]


def test_names_are_written_as_the_nearest_package_shows_them(tree: Tree) -> None:
    packages = Packages(tree("release", RELEASE))
    assert packages.written(("wick", "lamps", "Lamp")) == ("wick", "Lamp")
    assert packages.written(("wick", "tools", "_trim", "trim")) == ("wick", "trim")
    assert packages.written(("wick", "lamps", "Unshown")) == ("wick", "lamps", "Unshown")
    assert packages.written(("wick", "tools", "_trim", "_grease")) is None
    assert (
        packages.has(("wick", "version")) and packages.has(("wick", "rooms")) and not packages.has(("wick", "Nothing"))
    )


def test_packages_in_a_ring_lead_nowhere(tree: Tree) -> None:
    ring = {
        "a/__init__.py": "from b import *\nfrom b import x\n",
        "b/__init__.py": "from a import *\nfrom a import x\n",
    }
    assert Packages(tree("ring", ring)).shown == {}


@pytest.mark.parametrize(
    ("before", "after"),
    [
        (
            "import wick\nwick.ease(wick.Spark(), 1)\n",
            "import wick\nimport wick.easing\nimport wick.sparks\nwick.easing.ease(wick.sparks.Spark(), 1)\n",
        ),
        (
            "from wick import ease, Spark\nease(Spark())\n",
            "from wick.easing import ease\nfrom wick.sparks import Spark\nease(Spark())\n",
        ),
        ("import wick.lamps\nwick.lamps.glow()\n", "import wick.lamps\nwick.lamps.glow()\n"),
    ],
)
def test_what_a_package_shows_no_more_is_followed(before: str, after: str, tree: Tree) -> None:
    ease, spark = "def ease(a, b):\n    return a * b\n", "class Spark:\n    def fly(self, hour):\n        return hour\n"
    common = {"wick/easing.py": ease, "wick/lamps.py": "def glow(): pass\n"}
    old = tree(
        "old",
        {
            **common,
            "wick/__init__.py": "from .easing import ease\nfrom .spark import Spark\nfrom .lamps import glow\n",
            "wick/spark.py": spark,
        },
    )
    new = tree(
        "new",
        {
            **common,
            "wick/__init__.py": "from .lamps import glow\n",
            "wick/sparks/__init__.py": "from ._core import Spark\n",
            "wick/sparks/_core.py": spark,
        },
    )
    changes = compare(read_pair(old, new, "", Work()), CancelToken())
    rules = [rule for rule in guess_rules(changes, old, new, "t", ()).rules if rule.id.startswith("drift-shown-")]
    assert {(rule.old, rule.new) for rule in rules} == {
        ("wick.ease", "wick.easing.ease"),
        ("wick.Spark", "wick.sparks.Spark"),
    }
    text = before
    for rule in rules:
        text = apply_edits(text, find_edits(rule, TreePath("game.py"), text))
    compile(text, "game.py", "exec")
    assert sorted(text.split("\n")) == sorted(after.split("\n"))


def test_a_shown_function_that_went_into_a_class_is_written_over_it(tree: Tree) -> None:
    """The package shows the class elsewhere, so that neither its name nor the function's is enough."""
    body = "    digits = code.strip('#')\n    return tuple(int(digits[at:at + 2], 16) for at in (0, 2, 4))\n"
    old = tree(
        "old",
        {
            "wick/__init__.py": "from .support import colour_from_hex\n",
            "wick/support.py": f"def colour_from_hex(code: str):\n{body}",
        },
    )
    indented = "".join(f"    {line}\n" for line in body.splitlines())
    members = f"class Colour:\n    @classmethod\n    def from_hex(cls, code: str):\n{indented}"
    new = tree(
        "new",
        {
            "wick/__init__.py": "from . import types\n",
            "wick/types/__init__.py": "from .colour import Colour\n",
            "wick/types/colour.py": members,
        },
    )
    changes = compare(read_pair(old, new, "", Work()), CancelToken())
    rules = [rule for rule in guess_rules(changes, old, new, "t", ()).rules if "colour_from_hex" in rule.old]
    shown = next(rule for rule in rules if rule.old == "wick.colour_from_hex")
    assert (shown.kind, shown.new, shown.holder) == ("move", "wick.types.Colour.from_hex", "wick.types.Colour")
    assert not any(rule.kind == "rename" for rule in rules)
