"""Packages of scripts contain the same code several times; it is read once, and nothing else is left out."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.work import Work
from fernshale.core.drift.names.script_builds import module_of, other_builds
from fernshale.core.drift.release_symbols import read_release
from tests.conftest import Tree
from tests.core.drift.comparing import changes_between, kinds_of

_NAMES = st.sampled_from(["lamp", "rope", "fog/horn", "fog/bell", "ink", "keel", "internal/oar"])
_FOLDERS = st.sampled_from(
    ["", "src/", "dist/cjs/", "dist/esm/", "_esm5/", "dist/types/", "lib/", "games/", "packages/a/src/"]
)
_ENDINGS = st.sampled_from([".js", ".ts", ".d.ts", ".mjs"])


@given(st.sets(st.tuples(_FOLDERS, _NAMES, _ENDINGS).map("".join), max_size=40))
def test_whatever_is_left_out_is_there_again(paths: set[str]) -> None:
    left_out = other_builds(paths)
    kept = [path for path in paths if path not in left_out]
    for path in left_out:
        end = module_of(path).rpartition("/")[2]
        twins = [other for other in kept if module_of(other).rpartition("/")[2] == end]
        assert any((".d." in other) == (".d." in path) for other in twins), path
    assert not any(path.startswith("games/") for path in left_out)


def test_the_build_with_declarations_is_read_with_the_code_that_is_most_like_its_source() -> None:
    modules = ("lamp", "fog/horn", "rope")
    types = [f"dist/types/{name}.d.ts" for name in modules]
    source = [f"src/{name}.ts" for name in modules]
    others = [f"dist/{kind}/{name}.js" for kind in ("cjs", "esm5", "esm") for name in modules]
    bundle = ["dist/bundles/wick.umd.full.js", "bundles/all.js"]
    assert other_builds([*types, *source, *others, *bundle]) == {*others, *bundle}
    assert other_builds([*types, *others, *bundle]) == {*(path for path in others if "/esm/" not in path), *bundle}


def test_a_folder_that_shares_a_name_or_two_is_no_other_build() -> None:
    paths = [
        "index.js",
        "tasks.js",
        "src/index.js",
        "src/lamp.js",
        "src/rope.js",
        "lib/fog.js",
        "lib/rope.js",
        "lib/ink.js",
    ]
    assert other_builds(paths) == frozenset()
    assert other_builds(["a/lamp.cpp", "dist/a/lamp.cpp", "src/lamp.h"]) == frozenset()


_OLD = {
    "package.json": '{"name": "wick"}',
    "Hull.d.ts": "export declare class Hull { private left; }\n",
    "Hull.js": "class Hull { constructor() { this.left = 1; } }\nclass Helper {}\nexports.Hull = Hull;\n",
    "add/of.d.ts": "declare module '../Hull' { namespace Hull { let of: typeof make; } }\nexport {};\n",
    "add/of.js": "var Hull_1 = require('../Hull');\nvar make_1 = require('../make');\nHull_1.Hull.of = make_1.make;\n",
    "_esm5/Hull.js": "var Hull = (function () { function Hull() {} return Hull; }());\nexport { Hull };\n",
    "_esm5/add/of.js": "import { Hull } from '../Hull';\nHull.of = make;\n",
}  # fmt: skip
_NEW = {
    "package.json": '{"name": "wick"}',
    "Hull.d.ts": "export declare class Hull { }\n",
    "Hull.js": "exports.Hull = class Hull {};\n",
}


def test_what_a_package_declares_is_what_users_can_name(tree: Tree) -> None:
    symbols = {item.full for item in read_release(tree("old", _OLD), "", Work()) if not item.is_hidden}
    assert symbols == {"Hull", "Hull.constructor", "Hull.of"}
    changes = changes_between(tree("old", _OLD), tree("new", _NEW))
    assert kinds_of(changes) == {("removed", "Hull.of", "")}


def test_code_without_types_is_that_of_its_declaration(tree: Tree) -> None:
    declared = "export declare class Row {{ add(lamp: Lamp, {}options?: Options): void; size(): number; }}\n"
    code = "export class Row {{ add(lamp, {}options = {{}}) {{ this.hang(lamp); }} size() {{ return this.count; }} }}\n"
    files = [("", ""), ("isLit?: boolean, ", "isLit = true, ")]
    old, new = (
        tree(name, {"wick/lib/row.d.ts": declared.format(typed), "wick/dist/index.es6.js": code.format(plain)})
        for name, (typed, plain) in zip(("old", "new"), files, strict=True)
    )
    (symbol,) = (item for item in read_release(new, "", Work()) if item.name == "add")
    assert [item.type for item in symbol.parameters] == ["Lamp", "boolean", "Options"] and "hang" in symbol.words
    (change,) = changes_between(old, new)
    assert change.kind == "reordered" and not change.is_silent
    # Another package's class of that name is another one.
    other = tree("other", {"wick/lib/row.d.ts": declared.format(""), "fog/lib/row.js": code.format("")})
    assert sum(item.name == "add" for item in read_release(other, "", Work())) == 2
