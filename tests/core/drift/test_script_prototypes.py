"""JavaScript from before classes, and modules: what is read is what the interpreter has."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path

import pytest

from fernshale.core.base.work import Work
from fernshale.core.drift.comparison_cache import ReleasePlaces, compare_releases
from fernshale.core.drift.parsing import read_source
from tests.conftest import Tree

_MODULE = """\
import { Rope } from "./rope.js";
function helper(a) { return a; }
const LIMIT = 12;
function Hull(length, name) {
    // how long it is
    this.length = length;
    this.name = name || "";
    this.tell = function (more) { return this.name + more; };
    Object.defineProperty(this, "id", { value: 7 });
    Object.defineProperties(this, { mark: { value: 1 }, side: { value: 2 } });
}
Hull.prototype = Object.assign(Object.create(Object.prototype), {
    constructor: Hull,
    isHull: true,
    row: function (strokes) { return helper(strokes); },
    turn(angle) { return angle; },
});
function Boat(length) { Hull.call(this, length); this.oars = LIMIT; }
Boat.prototype = Object.create(Hull.prototype);
Boat.prototype.constructor = Boat;
Boat.prototype.launch = function (day) { return day; };
Object.defineProperties(Boat.prototype, {
    deep: { get: function () { return 1; } },
    sink: { value: function (where) { return where; } },
});
Object.defineProperty(Boat.prototype, "wide", { get: function () { return 2; } });
Object.assign(Boat, { fromPlan: function (plan) { return new Boat(plan); } });
Boat.LARGEST = 40;
class Ferry extends Boat {
    constructor(length, cars) { super(length); this.cars = cars; this.late = false; }
    cross(pier) { return pier; }
}
Object.assign(Rope.prototype, {
    knot: function (kind) { console.warn("Rope: .knot() has been renamed to .tie()."); return this.tie(kind); },
});
export { Hull, Boat as Skiff };
export { Ferry as default };
export function open(path) { return path; }
export const WIDTH = 3;
"""
_ROPE = (
    "function Rope() { this.length = 1; }\nRope.prototype.tie = function (kind) { return kind; };\nexport { Rope };\n"
)
_LIST = """
import * as M from "./boat.mjs";
const found = {};
for (const [name, value] of Object.entries(M)) {
    if (typeof value !== "function" || !value.prototype || name === "open") { found[name] = []; continue; }
    const own = new Set([...Object.getOwnPropertyNames(value.prototype), ...Object.getOwnPropertyNames(new value(1))]);
    for (const each of Object.getOwnPropertyNames(value)) {
        if (!["length", "name", "prototype", "arguments", "caller"].includes(each)) own.add(each);
    }
    own.delete("constructor");
    found[name === "default" ? "Ferry" : name] = [...own].sort();
}
console.log(JSON.stringify(found));
"""


@pytest.mark.skipif(shutil.which("node") is None, reason="needs an interpreter of JavaScript")
def test_every_member_that_the_interpreter_has_is_read(tmp_path: Path) -> None:
    (tmp_path / "rope.js").write_text(_ROPE)
    (tmp_path / "package.json").write_text('{"type": "module"}')
    (tmp_path / "boat.mjs").write_text(_MODULE)
    (tmp_path / "list.mjs").write_text(_LIST)
    done = subprocess.run(["node", "list.mjs"], cwd=tmp_path, capture_output=True, text=True, check=True)
    wanted = json.loads(done.stdout)
    shown = [item for item in read_source(_MODULE.encode(), "boat.js") if not item.is_hidden]
    members: dict[str, set[str]] = {}
    for item in shown:
        members.setdefault(item.path[0], set()).update(item.path[1:2])
    assert members.pop("Rope") == {"knot"}
    # What a base sets in its constructor is not repeated for each class.
    inherited = {"Skiff": {"length", "name", "tell", "id", "mark", "side"}}
    inherited["Ferry"] = {*inherited["Skiff"], "oars"}
    for name, listed in wanted.items():
        assert members[name] - {"constructor"} == set(listed) - inherited.get(name, set()), name
    assert members.keys() == wanted.keys()


def test_constructors_are_classes_with_bases_parameters_and_comments() -> None:
    found = {item.full: item for item in read_source(_MODULE.encode(), "boat.js")}
    assert found["Hull"].kind == "class" and found["Skiff"].bases == ("Hull",) and found["Ferry"].bases == ("Boat",)
    assert found["Hull.constructor"].signature == "(length, name)" and found["Hull.row"].signature == "(strokes)"
    assert found["Hull.tell"].kind == "method" and found["Skiff.sink"].kind == "method"
    assert found["Skiff.deep"].kind == "field" and "how long" in found["Hull.length"].doc
    assert found["helper"].is_hidden and found["LIMIT"].is_hidden and not found["open"].is_hidden
    assert found["Rope.knot"].deprecated.endswith("renamed to .tie().")


@pytest.mark.parametrize(
    ("said", "is_gone"),
    [
        ("Gate: .open() has been renamed to .raise().", True),
        ("open is now called raise", True),
        ("use raise() instead of open()", True),
        ("the gate that you open is now locked", False),
        ("cannot open the gate: it was moved by the wind", False),
        ("another gate has been renamed", False),
    ],
)
def test_sentences_that_a_function_prints_about_itself(said: str, is_gone: bool) -> None:
    text = f'class Gate {{ open(a) {{ console.warn("{said}"); return this.raise(a); }} }}\n'
    (method,) = [item for item in read_source(text.encode(), "gate.js") if item.name == "open"]
    assert bool(method.deprecated) is is_gone


def test_what_is_no_module_hides_nothing() -> None:
    script = "function open_it(a) {}\nvar lib = {};\nlib.Boat = function (n) { this.n = n; };\nlib.Boat.prototype = { row: function () {} };\n"
    found = {item.full: item.is_hidden for item in read_source(script.encode(), "lib.js")}
    assert found == {
        "open_it": False,
        "lib": False,
        "lib.Boat": False,
        "lib.Boat.constructor": False,
        "lib.Boat.n": False,
        "lib.Boat.row": False,
    }
    declared = "interface Inner { a: number }\nexport interface Outer { inner: Inner }\n"
    assert not any(item.is_hidden for item in read_source(declared.encode(), "lib.d.ts"))


def test_a_name_that_stayed_and_prints_its_new_one_is_reported_with_it(tree: Tree) -> None:
    old = tree(
        "old",
        {
            "lib.js": "var lib = {};\nlib.Box = function () {};\nlib.Box.prototype = { empty: function () { return 1 > this.a; } };\n"
        },
    )
    new = tree(
        "new",
        {
            "box.js": "function Box() { this.a = 1; }\nObject.assign(Box.prototype, { isEmpty: function () { return 1 > this.a; } });\n"
            "export { Box };\n",
            "legacy.js": 'import { Box } from "./box.js";\nObject.assign(Box.prototype, {\n  empty: function () {\n'
            '    console.warn("Box: .empty() has been renamed to .isEmpty().");\n    return this.isEmpty();\n  },\n});\n',
        },
    )
    changes = compare_releases(ReleasePlaces(old, new), "javascript", Work())
    (change,) = [item for item in changes if item.kind == "deprecated"]
    assert change.symbol.name == "empty" and change.candidates[0].symbol.full == "Box.isEmpty"
    assert "has been renamed to .isEmpty()" in change.candidates[0].evidence[0]
