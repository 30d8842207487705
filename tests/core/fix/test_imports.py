"""Lines that bring in names: where other files have one, and where it goes."""

from __future__ import annotations

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.dropped_text import dropped_by
from fernshale.core.fix.imports import import_line, quoted_header
from fernshale.core.fix.rules import ImportRule, UnimportRule

_READ = [
    ("Keeper.java", "package s;\nimport w.Mood;\nimport w.stage.Stage;\n", "Stage", "import w.stage.Stage;"),
    ("Keeper.java", "// import w.Stage;\nimport w.StageHand;\n", "Stage", ""),
    ("keeper.py", "from w import (\n    Mood,\n    Stage,\n)\n", "Stage", "from w import Stage"),
    ("keeper.py", "from w import Stage as S\nimport Stage\n", "Stage", ""),
    ("src/keeper.rs", "use w::stage::{self, Hand, Stage};\n", "Stage", "use w::stage::Stage;"),
    ("src/keeper.rs", "use w::Stage;\n", "Stage", "use w::Stage;"),
    ("src/keeper.ts", "import { Mood, Stage } from \"wick/stage\";\n", "Stage", 'import { Stage } from "wick/stage";'),
    ("src/keeper.ts", "import Stage from './stage'\n", "Stage", "import Stage from '../stage'"),
    ("keeper.cpp", '#include "w/Stage.hpp"\n', "Stage", ""),
    ("keeper.lua", 'local Stage = require "stage"\n', "Stage", ""),
]  # fmt: skip


@pytest.mark.parametrize(("path", "text", "name", "line"), _READ)
def test_the_line_that_brings_in_a_name_alone_is_told(path: str, text: str, name: str, line: str) -> None:
    assert import_line(name, text, path, "src/deep/other" + path[path.rindex(".") :]) == line


def _put(line: str, path: str, text: str) -> str:
    rule = ImportRule("r", "w", old="Stage", text=line)
    after = apply_edits(text, find_edits(rule, TreePath(path), text))
    assert not find_edits(rule, TreePath(path), after), "it is brought in once"
    return after


_PUT = [
    # Among its fellows, in their order.
    ("A.java", "import w.Stage;", "package s;\n\nimport w.Actor;\nimport w.Tide;\n\nclass A { Stage s; }\n",
     "package s;\n\nimport w.Actor;\nimport w.Stage;\nimport w.Tide;\n\nclass A { Stage s; }\n"),
    ("A.java", "import w.Stage;", "package s;\n\nimport w.Tide;\n\nclass A { Stage s; }\n",
     "package s;\n\nimport w.Stage;\nimport w.Tide;\n\nclass A { Stage s; }\n"),
    # Beside others of its module.
    ("a.ts", 'import { Stage } from "w/s";', 'import type { Mood } from "w/s";\nimport D, { A,\n  B, } from "w/s";\nlet s: Stage;\n',
     'import type { Mood } from "w/s";\nimport D, { A,\n  B, Stage, } from "w/s";\nlet s: Stage;\n'),
    ("a.ts", 'import { Stage } from "w/s";', 'import * as W from "w/s";\nimport D, {\n  A,\n  B,\n} from "w/s";\nlet s: Stage;\n',
     'import * as W from "w/s";\nimport D, {\n  A,\n  B, Stage,\n} from "w/s";\nlet s: Stage;\n'),
    ("a.py", "from w import Stage", "import w\nfrom w import Mood  # mine\nStage()\n", "import w\nfrom w import Mood, Stage  # mine\nStage()\n"),
    ("a.py", "from w import Stage", "from w import (\n    Mood,\n)\nStage()\n", "from w import (\n    Mood, Stage,\n)\nStage()\n"),
    # Behind the last where they have none.
    ("a.ts", 'import { Stage } from "./s";', 'import "./z";\r\nimport "./b"; // first\r\nlet s: Stage;\r\n',
     'import "./z";\r\nimport "./b"; // first\r\nimport { Stage } from "./s";\r\nlet s: Stage;\r\n'),
    # Outside of conditions, below what has to come first.
    ("a.cpp", '#include "w/s.hpp"', '#include <map>\n#ifdef X\n#include "x.hpp"\n#endif\nStage s;\n',
     '#include <map>\n#include "w/s.hpp"\n#ifdef X\n#include "x.hpp"\n#endif\nStage s;\n'),
    ("a.hpp", '#include "w/s.hpp"', '#ifndef A\n#define A\n#include "t.hpp"\n#if X\n#include "x.hpp"\n#endif\nStage s;\n#endif\n',
     '#ifndef A\n#define A\n#include "t.hpp"\n#include "w/s.hpp"\n#if X\n#include "x.hpp"\n#endif\nStage s;\n#endif\n'),
    ("a.py", "from W import Stage", "from __future__ import annotations\nStage()\n", "from __future__ import annotations\nfrom W import Stage\nStage()\n"),
    ("a.py", "from W import Stage", "from __future__ import annotations\n\nimport os\nStage()\n",
     "from __future__ import annotations\n\nfrom W import Stage\nimport os\nStage()\n"),
    ("a.rs", "use w::Stage;", "//! Mine.\n#![allow(dead_code)]\nfn f(s: Stage) {}\n", "//! Mine.\n#![allow(dead_code)]\n\nuse w::Stage;\nfn f(s: Stage) {}\n"),
    ("a.ts", 'import { Stage } from "w/s";', 'import {} from "w/s";\nlet s: Stage;\n', 'import { Stage } from "w/s";\nimport {} from "w/s";\nlet s: Stage;\n'),
    # The first one stands below what has to be above it.
    ("A.java", "import w.Stage;", "// mine\npackage s;\n\nclass A { Stage s; }\n", "// mine\npackage s;\n\nimport w.Stage;\n\nclass A { Stage s; }\n"),
    ("a.hpp", '#include "w/s.hpp"', "#pragma once\nStage s;\n", '#pragma once\n\n#include "w/s.hpp"\nStage s;\n'),
    ("a.py", "from w import Stage", '"""A page.\n\nimport x\n"""\nStage()\n', '"""A page.\n\nimport x\n"""\n\nfrom w import Stage\nStage()\n'),
    ("a.rs", "use w::Stage;", "fn f(s: Stage) {}\n", "use w::Stage;\n\nfn f(s: Stage) {}\n"),
    ("a.py", "from w import Stage", "import os", "import os"),
    # A file that does not use the name, has it from elsewhere, or is of a language whose imports nobody told.
    ("a.py", "from w import Stage", "from v import Stage\nStage()\n", "from v import Stage\nStage()\n"),
    ("a.lua", "import Stage", "Stage()\n", "Stage()\n"),
    ("a.py", "from w import Stage", "import os\nx = 'a Stage'  # Stage\n", "import os\nx = 'a Stage'  # Stage\n"),
]  # fmt: skip


@pytest.mark.parametrize(("path", "line", "before", "after"), _PUT)
def test_a_line_goes_where_such_lines_stand(path: str, line: str, before: str, after: str) -> None:
    assert _put(line, path, before) == after


def test_a_header_is_quoted_as_those_beside_it() -> None:
    text = '#include <vector>\n#include "w/tide.hpp"\n#include <map>\n'
    assert quoted_header(text, "w/stage.hpp") == '"w/stage.hpp"'
    assert quoted_header(text, "v/stage.hpp") == "<v/stage.hpp>"
    assert quoted_header("int x;\n", "w/stage.hpp") == '"w/stage.hpp"'


@pytest.mark.parametrize(
    ("path", "before", "after"),
    [
        ("a.py", "from m import dim\nx = 1\n", "x = 1\n"),
        ("a.py", "from m import (\n    a,\n    dim,\n    b,\n)\n", "from m import (\n    a,\n    b,\n)\n"),
        ("a.py", "from m import a, dim\n", "from m import a\n"),
        ("a.py", "from m import dim, b\r\n", "from m import b\r\n"),
        # Used, imported under another name, or only mentioned.
        ("a.py", "from m import dim\ndim()\n", "from m import dim\ndim()\n"),
        ("a.py", "from m import dim as d\n", "from m import dim as d\n"),
        ("a.py", "from m import dim2\n# from m import dim\n", "from m import dim2\n# from m import dim\n"),
        ("a.ts", 'import { dim } from "m";\nimport { a, dim, b } from "m";\n', 'import { a, b } from "m";\n'),
        ("a.ts", 'import z, { dim } from "q";\n', 'import z, { dim } from "q";\n'),
        ("A.java", "import m.dim;\nimport m.a;\nclass A {}\n", "import m.a;\nclass A {}\n"),
        ("a.rs", "use m::dim;\nuse m::{dim, b};\n", "use m::{b};\n"),
    ],
)
def test_an_import_of_what_is_not_used_goes(path: str, before: str, after: str) -> None:
    rule = UnimportRule("r", "w", old="dim")
    edits = find_edits(rule, TreePath(path), before)
    assert apply_edits(before, edits) == after
    # It drops text of a person, so a person is asked.
    assert bool(edits) == bool(dropped_by(rule, edits, is_declared=False))


def test_only_the_header_itself_goes() -> None:
    text = '#include "m/dim.h"\n#include <m/dim.hpp>\n#include <n/m/dim.h>\n'
    edits = find_edits(UnimportRule("r", "w", old="m/dim.h"), TreePath("a.cpp"), text)
    assert apply_edits(text, edits) == "#include <m/dim.hpp>\n#include <n/m/dim.h>\n"
