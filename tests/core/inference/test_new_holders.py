"""A name that is in another class now is followed together with the import of that class, in each language that has imports."""

from __future__ import annotations

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import compare
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.holder_imports import needs_import
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree

_DOC = "/** The pressure at which the boiler of a steam ferry is let off by its keeper. */"
# The files of both releases, a game's file before and after.
_CASES = {
    "java": (
        {"w/Limits.java": f"package w;\npublic class Limits {{ {_DOC} public static final int BOILER_PRESSURE = 17; public static final int FUNNELS = 4; }}\n"},
        {
            "w/Limits.java": "package w;\npublic class Limits { public static final int FUNNELS = 4; }\n",
            "w/steam/Steam.java": f"package w.steam;\npublic class Steam {{ {_DOC} public static final int BOILER_PRESSURE = 17; }}\n",
        },
        "Game.java", "package g;\n\nimport w.Limits;\n\nclass Game { int p = Limits.BOILER_PRESSURE; }\n",
        "package g;\n\nimport w.steam.Steam;\n\nclass Game { int p = Steam.BOILER_PRESSURE; }\n",
    ),
    "c#": (
        {"w/Limits.cs": f"namespace W {{ public class Limits {{ {_DOC} public const int BoilerPressure = 17; public const int Funnels = 4; }} }}\n"},
        {
            "w/Limits.cs": "namespace W { public class Limits { public const int Funnels = 4; } }\n",
            "w/Steam.cs": f"namespace W.Engines {{ public class Steam {{ {_DOC} public const int BoilerPressure = 17; }} }}\n",
        },
        "Game.cs", "using W;\n\nclass Game { int p = Limits.BoilerPressure; }\n",
        "using W.Engines;\nusing W;\n\nclass Game { int p = Steam.BoilerPressure; }\n",
    ),
    "c++": (
        {"include/w/limits.hpp": f"namespace w {{ enum class Limits {{ {_DOC} BOILER_PRESSURE, FUNNELS }}; }}\n"},
        {
            "include/w/limits.hpp": "namespace w { enum class Limits { FUNNELS }; }\n",
            "include/w/steam.hpp": f"namespace w {{ enum class Steam {{ {_DOC} BOILER_PRESSURE }}; }}\n",
        },
        "game.cpp", '#include <w/limits.hpp>\n\nauto p = w::Limits::BOILER_PRESSURE;\n',
        '#include <w/limits.hpp>\n#include <w/steam.hpp>\n\nauto p = w::Steam::BOILER_PRESSURE;\n',
    ),
    "rust": (
        {"src/limits.rs": f"pub enum Limits {{ {_DOC}\n BoilerPressure, Funnels }}\n"},
        {"src/limits.rs": "pub enum Limits { Funnels }\n", "src/steam.rs": f"pub enum Steam {{ {_DOC}\n BoilerPressure }}\n"},
        "game.rs", "use steamers::limits::Limits;\n\nconst P: u32 = Limits::BoilerPressure;\n",
        "use steamers::steam::Steam;\n\nconst P: u32 = Steam::BoilerPressure;\n",
    ),
    "typescript": (
        {"w/limits.ts": f"export enum Limits {{ {_DOC} BoilerPressure, Funnels }}\n"},
        {"w/limits.ts": "export enum Limits { Funnels }\n", "w/steam.ts": f"export enum Steam {{ {_DOC} BoilerPressure }}\n"},
        "game.ts", 'import { Limits } from "steamers";\n\nconst p = Limits.BoilerPressure;\n',
        'import { Steam } from "steamers";\n\nconst p = Steam.BoilerPressure;\n',
    ),
    "java function": (
        {"w/Limits.java": f"package w;\npublic class Limits {{ {_DOC} public static int boilerPressure(int at) {{ return 17; }} public static int funnels() {{ return 4; }} }}\n"},
        {
            "w/Limits.java": "package w;\npublic class Limits { public static int funnels() { return 4; } }\n",
            "w/steam/Steam.java": f"package w.steam;\npublic class Steam {{ {_DOC} public static int boilerPressure(int at) {{ return 17; }} }}\n",
        },
        "Game.java", "import w.Limits;\n\nclass Game { int p = Limits.boilerPressure(3); }\n",
        "import w.steam.Steam;\n\nclass Game { int p = Steam.boilerPressure(3); }\n",
    ),
    "c# function": (
        {"w/Limits.cs": f"namespace W {{ public class Limits {{ {_DOC} public static int BoilerPressure(int at) {{ return 17; }} public static int Funnels() {{ return 4; }} }} }}\n"},
        {
            "w/Limits.cs": "namespace W { public class Limits { public static int Funnels() { return 4; } } }\n",
            "w/Steam.cs": f"namespace W.Engines {{ public class Steam {{ {_DOC} public static int BoilerPressure(int at) {{ return 17; }} }} }}\n",
        },
        "Game.cs", "using W;\n\nclass Game { int p = Limits.BoilerPressure(3); }\n",
        "using W.Engines;\nusing W;\n\nclass Game { int p = Steam.BoilerPressure(3); }\n",
    ),
    "c++ function": (
        {"include/w/limits.hpp": f"namespace w {{ class Limits {{ public: {_DOC} static int boiler_pressure(int at); static int funnels(); }}; }}\n"},
        {
            "include/w/limits.hpp": "namespace w { class Limits { public: static int funnels(); }; }\n",
            "include/w/steam.hpp": f"namespace w {{ class Steam {{ public: {_DOC} static int boiler_pressure(int at); }}; }}\n",
        },
        "game.cpp", "#include <w/limits.hpp>\n\nauto p = w::Limits::boiler_pressure(3);\n",
        "#include <w/limits.hpp>\n#include <w/steam.hpp>\n\nauto p = w::Steam::boiler_pressure(3);\n",
    ),
    "rust function": (
        {"src/limits.rs": f"pub struct Limits;\nimpl Limits {{ {_DOC}\n pub fn boiler_pressure(at: u32) -> u32 {{ 17 }} pub fn funnels() -> u32 {{ 4 }} }}\n"},
        {
            "src/limits.rs": "pub struct Limits;\nimpl Limits { pub fn funnels() -> u32 { 4 } }\n",
            "src/steam.rs": f"pub struct Steam;\nimpl Steam {{ {_DOC}\n pub fn boiler_pressure(at: u32) -> u32 {{ 17 }} }}\n",
        },
        "game.rs", "use steamers::limits::Limits;\n\nfn f() -> u32 { Limits::boiler_pressure(3) }\n",
        "use steamers::limits::Limits;\nuse steamers::steam::Steam;\n\nfn f() -> u32 { Steam::boiler_pressure(3) }\n",
    ),
    "typescript function": (
        {"w/limits.ts": f"export class Limits {{ {_DOC} static boilerPressure(at: number): number {{ return 17; }} static funnels(): number {{ return 4; }} }}\n"},
        {
            "w/limits.ts": "export class Limits { static funnels(): number { return 4; } }\n",
            "w/steam.ts": f"export class Steam {{ {_DOC} static boilerPressure(at: number): number {{ return 17; }} }}\n",
        },
        "game.ts", 'import { Limits } from "steamers";\n\nconst p = Limits.boilerPressure(3);\n',
        'import { Steam } from "steamers";\n\nconst p = Steam.boilerPressure(3);\n',
    ),
    "c++ out of the class": (
        {"include/w/limits.hpp": f"namespace w {{ class Limits {{ public: {_DOC} static int boiler_pressure(int at); static int funnels(); }}; }}\n"},
        {"include/w/limits.hpp": f"namespace w {{ class Limits {{ public: static int funnels(); }};\n {_DOC}\nint boiler_pressure(int at); }}\n"},
        "game.cpp", "#include <w/limits.hpp>\n\nauto p = w::Limits::boiler_pressure(3);\n",
        "#include <w/limits.hpp>\n\nauto p = w::boiler_pressure(3);\n",
    ),
    "rust out of the type": (
        {"src/limits.rs": f"pub struct Limits;\nimpl Limits {{ {_DOC}\n pub fn boiler_pressure(at: u32) -> u32 {{ 17 }} pub fn funnels() -> u32 {{ 4 }} }}\n"},
        {"src/limits.rs": f"pub struct Limits;\nimpl Limits {{ pub fn funnels() -> u32 {{ 4 }} }}\n{_DOC}\npub fn boiler_pressure(at: u32) -> u32 {{ 17 }}\n"},
        "game.rs", "use steamers::limits::Limits;\n\nfn f() -> u32 { Limits::boiler_pressure(3) }\n",
        "use steamers::limits::Limits;\nuse steamers::limits::boiler_pressure;\n\nfn f() -> u32 { boiler_pressure(3) }\n",
    ),
    "typescript out of the class": (
        {"w/limits.ts": f"export class Limits {{ {_DOC} static boilerPressure(at: number): number {{ return 17; }} static funnels(): number {{ return 4; }} }}\n"},
        {"w/limits.ts": f"export class Limits {{ static funnels(): number {{ return 4; }} }}\n{_DOC}\nexport function boilerPressure(at: number): number {{ return 17; }}\n"},
        "game.ts", 'import { Limits } from "steamers";\n\nconst p = Limits.boilerPressure(3);\n',
        'import { boilerPressure } from "steamers";\n\nconst p = boilerPressure(3);\n',
    ),
    "python out of the class": (
        {"rush.py": f'class Limits:\n    @staticmethod\n    def boiler_pressure(at):\n        """{_DOC}"""\n        return 17\n'},
        {"rush.py": f'class Limits:\n    pass\n\n\ndef boiler_pressure(at):\n    """{_DOC}"""\n    return 17\n'},
        "game.py", "from rush import Limits\n\np = Limits.boiler_pressure(3)\n",
        "from rush import boiler_pressure\n\np = boiler_pressure(3)\n",
    ),
}  # fmt: skip


@pytest.mark.parametrize("language", _CASES)
def test_a_name_moves_into_another_class_with_its_import(language: str, tree: Tree) -> None:
    old, new, path, before, after = _CASES[language]
    folders = tree("old", old), tree("new", new)
    changes = compare(read_pair(*folders, "", Work()), CancelToken())
    rules = guess_rules(changes, *folders, "t", ()).rules
    followed = {apply_edits(before, find_edits(rule, TreePath(path), before)) for rule in rules}
    whole = [text for text in followed if text == after]
    assert whole, followed
    # Whatever writes the new class into the file imports it too, or is known not to.
    for rule in rules:
        edits = find_edits(rule, TreePath(path), before)
        if rule.kind != "header" and edits and not any(edit.is_added_import for edit in edits):
            assert "team." not in edits[0].new or needs_import(rule, path, before, [edit.new for edit in edits])
        again = apply_edits(before, edits)
        assert not [edit for edit in find_edits(rule, TreePath(path), again) if edit.is_added_import]


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("Game.java", "package w.steam;\nclass Game { int p = Limits.BOILER_PRESSURE; }\n"),
        ("Game.java", "import w.steam.*;\nclass Game { int p = Limits.BOILER_PRESSURE; }\n"),
        ("Game.java", "import w.steam.Steam;\nclass Game { int p = Limits.BOILER_PRESSURE; }\n"),
        ("Game.java", "class Steam { }\nclass Game { int p = Limits.BOILER_PRESSURE; }\n"),
    ],
)
def test_what_a_file_sees_already_is_not_imported_again(path: str, text: str, tree: Tree) -> None:
    old, new, *_ = _CASES["java"]
    folders = tree("old", old), tree("new", new)
    changes = compare(read_pair(*folders, "", Work()), CancelToken())
    rules = [rule for rule in guess_rules(changes, *folders, "t", ()).rules if rule.kind == "move"]
    edits = [edit for rule in rules for edit in find_edits(rule, TreePath(path), text)]
    assert edits and not any(edit.is_added_import for edit in edits)


def test_a_class_of_the_same_name_in_another_namespace_is_another_class(tree: Tree) -> None:
    quay = "namespace {0} {{ class Quay {{ public: {1} static int keep(); }}; }}\n"
    was, now = (f"{_DOC} static int {name}(int hour, int power);" for name in ("light_all", "light_up_all"))
    old = tree("old", {"quay.hpp": quay.format("a", was) + quay.format("b", "")})
    new = tree("new", {"quay.hpp": quay.format("a", "") + quay.format("b", now)})
    changes = compare(read_pair(old, new, "", Work()), CancelToken())
    rules = guess_rules(changes, old, new, "t", ()).rules
    assert [rule.name for rule in rules if "light_all" in rule.name] == ["a::Quay::light_all → b::Quay::light_up_all"]
