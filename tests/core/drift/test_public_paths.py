"""Names of script packages that users import from another module than before."""

from __future__ import annotations

import json

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.interface_changes import uses_of
from fernshale.core.drift.comparison import compare
from fernshale.core.drift.names.python_packages import Packages
from fernshale.core.drift.names.script_packages import ScriptPackages, rank_of
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree
from tests.core.drift.comparing import changes_between

_OLD = {
    "package.json": '{"name": "wick"}',
    "Lamp.d.ts": "export declare class Lamp { glow(): void; }\nexport declare type Warmth = number;\n",
    "Lamp.js": "exports.Lamp = Lamp;\n",
    "fog/merge.d.ts": "export declare function merge(a: number, b: number): number;\n",
    "fog/keep.d.ts": "export declare function keep(): void;\n",
    "clock/slow.d.ts": "export declare const slow: number;\n",
}
_NEW = {
    "package.json": '{"name": "wick", "types": "./all.d.ts"}',
    "all.d.ts": (
        "export { Lamp, Warmth } from './internal/Lamp';\nexport { merge } from './internal/fog/merge';\n"
        "export * from './internal/clock';\n"
    ),
    "internal/Lamp.d.ts": "export declare class Lamp { glow(): void; }\nexport declare type Warmth = number;\n",
    "internal/fog/merge.d.ts": "export declare function merge(a: number, b: number): number;\n",
    "internal/rope/merge.d.ts": "export declare function merge(c: string): string;\n",
    "ropes/index.d.ts": "export { merge } from '../internal/rope/merge';\n",
    "internal/clock.d.ts": "/** @deprecated use {@link slowest} */\nexport declare const slow: number;\nexport declare const slowest: number;\n",
    "fog/keep.d.ts": "export declare function keep(): void;\n",
}


def test_the_modules_that_export_a_name_lead_to_its_definition(tree: Tree) -> None:
    packages = ScriptPackages(tree("new", _NEW))
    exported = {key: value.module for key, value in packages.exported.items()}
    assert exported["wick", "Lamp"] == exported["wick/internal/Lamp", "Lamp"] == "internal/Lamp"
    assert exported["wick", "slow"] == "internal/clock" and exported["wick/ropes", "merge"] == "internal/rope/merge"
    assert min((at for at, _ in packages.by_name["Lamp"]), key=rank_of) == "wick"


def test_a_package_that_lists_its_modules_has_no_others(tree: Tree) -> None:
    listed = {".": {"require": "./a.js", "types": "./a.d.ts"}, "./ropes": "./ropes/index.js", "./*": "./*.js"}
    packages = ScriptPackages(
        tree(
            "p",
            {
                "node_modules/wick/package.json": json.dumps({"name": "wick", "exports": listed}),
                "node_modules/wick/a.d.ts": "export * as ropes from './ropes';\nexport default class Lamp {}\n",
                "node_modules/wick/ropes/index.js": "import { tie } from '../b';\nexport { tie as knot };\n",
                "node_modules/wick/b.ts": "export function tie() {}\n",
            },
        )
    )
    assert set(packages.exported) == {("wick", "ropes"), ("wick", "Lamp"), ("wick/ropes", "knot")}


@pytest.mark.parametrize(
    "files",
    [
        {"a.ts": "export * from './b';\n", "b.ts": "export * from './a';\nexport const one = 1;\n"},
        {
            "package.json": "{",
            "a.ts": "export { x } from './missing';\nexport { y } from 'elsewhere';\nexport const one = 1;\n",
        },
        {"package.json": "[" * 100_000, "a.js": "exports.one = 1;\n"},
        {"package.json": "[1]", "a.js": "module.exports = { one, two: 2 };\n"},
        {"package.json": '{"name": 3, "exports": {"./a": [null, {"default": 4}]}}', "a.js": "exports.one = 1;\n"},
    ],
)
def test_rings_missing_modules_and_strange_descriptions_end(files: dict[str, str], tree: Tree) -> None:
    assert "one" in {name for _, name in ScriptPackages(tree("p", files)).exported}


def test_members_of_a_namespace_are_no_names_of_its_module(tree: Tree) -> None:
    text = """\
export declare namespace Tower {
    export type Warmth = { least: number };
    export namespace Row { export const size: number; }
}
export declare class Lamp { glow(): void; }
declare module "wick/fog" { export const depth: number; }
"""
    files = {"package.json": '{"name": "wick", "types": "all.d.ts"}', "all.d.ts": text}
    packages = ScriptPackages(tree("p", files))
    assert {name for module, name in packages.exported if module == "wick"} == {"Tower", "Lamp", "depth"}
    cut = ScriptPackages(tree("q", {**files, "all.d.ts": text[:60] + "export const last = 1;"}))
    assert ("wick", "last") in cut.exported


def test_a_name_of_an_internal_module_is_not_imported_from_there(tree: Tree) -> None:
    package = {"package.json": '{"name": "wick", "types": "types/index.d.ts"}'}
    old = {**package, "types/index.d.ts": "export type Warmth = 'low' | 'high';\n"}
    now = "export namespace Lamp { export type Warmth = 'low' | 'high'; }\n"
    new = {**package, "types/index.d.ts": now, "src/index.ts": now}
    changes = changes_between(tree("old", old), tree("new", new))
    assert {item.symbol.full for change in changes for item in change.candidates} == {"Lamp.Warmth"}


def test_a_package_whose_files_have_to_be_built_is_its_source(tree: Tree) -> None:
    files = {"package.json": '{"name": "wick", "main": "dist/index.js"}', "src/index.ts": "export const lamp = 1;\n"}
    assert ("wick", "lamp") in ScriptPackages(tree("p", files)).exported


@pytest.mark.parametrize("language", ["script", "python"])
def test_modules_that_all_export_one_another_are_read_once(language: str, tree: Tree) -> None:
    names = [f"m{number}" for number in range(30)]
    if language == "script":
        files = {
            f"{name}.ts": "".join(f"export * from './{other}';\n" for other in names if other != name) for name in names
        }
        files["m0.ts"] += "export const lamp = 1;\n"
        exported = ScriptPackages(tree("p", files)).exported
        assert {key: value for key, value in exported.items() if key[1] == "lamp"} == {
            (name, "lamp"): ("m0", "lamp") for name in names
        }
    else:
        files = {
            f"w/{name}/__init__.py": "".join(f"from w.{other} import *\n" for other in names if other != name)
            for name in names
        }
        files["w/m0/__init__.py"] += "lamp = 1\n"
        shown = Packages(tree("p", files)).shown
        assert {key for key in shown if key[-1] == "lamp"} == {("w", name, "lamp") for name in names[1:]}


def test_an_import_follows_its_name_to_another_module(tree: Tree) -> None:
    folders = tree("old", _OLD), tree("new", _NEW)
    changes = changes_between(*folders)
    moved = {(item.symbol.full, item.new.full) for item in changes if item.kind == "imported-from" and item.new}
    assert ("wick/Lamp.Lamp", "wick.Lamp") in moved and ("wick/fog/merge.merge", "wick.merge") in moved
    assert not [item for item in moved if "keep" in item[0]]
    text = (
        "import { Lamp, Warmth } from 'wick/Lamp';\n"
        "import { merge } from 'wick/fog/merge';\n"
        "import { keep } from 'wick/fog/keep';\n"
        "import { slow } from 'wick/clock/slow';\n"
    )
    rules = guess_rules(changes, *folders, "t", ()).rules
    best = sorted((rule for rule in rules if rule.kind == "reimport"), key=lambda rule: (-rule.confidence, rule.id))
    for rule in best:
        if rule.confidence > 0.9:
            text = apply_edits(text, find_edits(rule, TreePath("a.ts"), text))
    assert text == "import { Lamp, Warmth, slow, merge } from 'wick';\nimport { keep } from 'wick/fog/keep';\n"
    # The rope's namesake is told as a guess.
    assert [(rule.new, rule.confidence < 0.3) for rule in best if rule.new == "wick/ropes"] == [("wick/ropes", True)]


def test_a_name_that_a_python_package_exports_no_more_is_a_change(tree: Tree) -> None:
    lamp = "class Lamp:\n    def glow(self):\n        return 1\n"
    old = {
        "wick/__init__.py": "from .lamps.core import Lamp\n",
        "wick/lamps/__init__.py": "",
        "wick/lamps/core.py": lamp,
    }
    new = old | {"wick/__init__.py": "", "wick/lamps/__init__.py": "from .core import Lamp\n"}
    changes = changes_between(tree("old", old), tree("new", new))
    (change,) = (item for item in changes if item.kind == "imported-from")
    assert change.what == "Lamp is imported from wick.lamps now, not from wick"
    assert uses_of(change, {"Lamp": 4, "wick": 2}) == 2
    assert uses_of(change, {"Lamp": 4}) == uses_of(change, {"wick": 2}) == 0


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("import { Hull } from 'wick';\nHull.of(1);\n", "import { of } from 'wick';\nof(1);\n"),
        ("import {Hull} from \"wick/Hull\"\nHull.of(new Hull())\n", "import { of } from \"wick\"\nimport {Hull} from \"wick/Hull\"\nof(new Hull())\n"),
        ("import { of } from 'wick';\nimport { Hull } from 'wick';\nof(Hull.of(1), Hull);\n", "import { of } from 'wick';\nimport { Hull } from 'wick';\nof(of(1), Hull);\n"),
    ],
)  # fmt: skip
def test_a_member_that_became_a_name_of_a_module_is_imported_from_there(before: str, after: str, tree: Tree) -> None:
    said = "/** A hull of one log of wood, as the ferries of the delta have. */"
    old = {
        "package.json": '{"name": "wick"}',
        "index.d.ts": "export { Hull } from './Hull';\n",
        "Hull.d.ts": f"export declare class Hull {{ {said} static of(n: number): Hull; }}\n",
    }
    new = {
        "package.json": '{"name": "wick"}',
        "index.d.ts": "export { Hull } from './internal/Hull';\nexport { of } from './internal/of';\n",
        "internal/Hull.d.ts": "export declare class Hull { }\n",
        "internal/of.d.ts": f"import {{ Hull }} from './Hull';\n{said}\nexport declare function of(n: number): Hull;\n",
    }
    folders = tree("old", old), tree("new", new)
    rules = guess_rules(changes_between(*folders), *folders, "t", ()).rules
    results = {apply_edits(before, find_edits(rule, TreePath("src/a.ts"), before)) for rule in rules}
    assert after in results, results


def test_a_member_of_a_class_is_used_where_its_class_is_named(tree: Tree) -> None:
    old = {"hull.d.ts": "export declare class Hull { static from(n: number): Hull; row(): void; }\n"}
    new = {"hull.d.ts": "export declare class Hull { }\nexport declare function from(n: number): Hull;\n"}
    changes = {
        item.symbol.name: item for item in changes_between(tree("old", old), tree("new", new)) if item.old is not None
    }
    # `from` is a word of every import.
    assert uses_of(changes["from"], {"from": 18}) == 0 and uses_of(changes["from"], {"from": 18, "Hull": 3}) == 3
    assert uses_of(changes["row"], {"row": 2}) == 2


def test_a_header_in_another_folder_matters_to_code_that_includes_it(tree: Tree) -> None:
    lamp = "int lamp_glow(int a);\nint lamp_dim(int a);\n"
    before = tree("old", {"include/w1/lamp.h": lamp})
    after = tree("new", {"include/w2/lamp.h": f"/* now here */\n{lamp}"})
    changes = compare(read_pair(before, after, "", Work()), CancelToken())
    moved = next(change for change in changes if change.kind == "moved" and change.symbol.name == "lamp_glow")
    assert uses_of(moved, {"lamp_glow": 3}) == 0 and uses_of(moved, {"lamp_glow": 3, "lamp": 1}) == 1


def test_what_takes_the_place_of_a_member_and_is_none_is_not_written_behind_an_object(tree: Tree) -> None:
    old = "export interface Row {\n  /** @deprecated Use MainLamp instead. */\n  lamp: Lamp;\n  size: number;\n}\n"
    new = "export interface Row {\n  size: number;\n}\nexport declare const MainLamp: Token;\n"
    before, after = tree("old", {"row.d.ts": old}), tree("new", {"row.d.ts": new})
    changes = changes_between(before, after)
    (change,) = (item for item in changes if item.old is not None and item.old.name == "lamp")
    assert change.candidates[0].symbol.name == "MainLamp"
    assert not [rule for rule in guess_rules(changes, before, after, "t", ()).rules if "lamp" in rule.symbols]
