"""A macro that went can be kept by the files that use it, as the old release defined it."""

from __future__ import annotations

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree
from tests.core.drift.comparing import changes_between

_USE = '#include <w.h>\n\nchar name[] = QUOTED("lamp");\n'


@pytest.mark.parametrize(
    ("definition", "line"),
    [
        ('#define QUOTED(x) "\'" x "\'"', '#define QUOTED(x) "\'" x "\'"'),
        ("#define QUOTED (-10001) /* the first */", "#define QUOTED (-10001)"),
        ("#define QUOTED", ""),
        ("#define QUOTED(x) do { \\\n  f(x); } while (0)", ""),
        (f"#define QUOTED {'1 + ' * 80} 0", ""),
    ],
)
def test_the_old_definition_is_offered_once_per_file(definition: str, line: str, tree: Tree) -> None:
    folders = tree("old", {"w.h": f"{definition}\nint f(int);\n"}), tree("new", {"w.h": "int f(int);\n"})
    rules = [rule for rule in guess_rules(changes_between(*folders), *folders, "t", ()).rules if rule.kind == "import"]
    assert [rule.title for rule in rules] == ([line] if line else [])
    for rule in rules:
        made = apply_edits(_USE, find_edits(rule, TreePath("a.c"), _USE))
        assert made == _USE.replace("#include <w.h>\n", f"#include <w.h>\n{line}\n")
        assert find_edits(rule, TreePath("a.c"), made) == ()
        assert find_edits(rule, TreePath("a.c"), "#include <w.h>\nint other;\n") == ()
        assert rule.confidence < 0.5 and "check that" in rule.why
