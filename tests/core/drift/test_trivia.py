"""Files that differ in remarks only are not read; any other difference is."""

from __future__ import annotations

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.base.work import Work
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.drift.trivia import differ_in_remarks
from fernshale.core.fix.tokens import tokenize
from tests.conftest import Tree


@pytest.mark.parametrize(
    ("path", "old", "new", "is_so"),
    [
        ("a.h", "// 2025\nint a();\n", "// 2026\n\nint a();\n", True),
        ("a.h", "/* by\n * them */ int a();\n", "/*\n * by us\n */ int a();\n", True),
        ("a.h", "// 2025\n/* x */\n\n// y\nint a();\n", "/* 2026 */ int a();\n", True),
        ("a.h", "int a(); // one\n", "int a(); /* two */\n", False),
        ("a.h", "// 2025\nint a();\n", "// deprecated\nint a();\n", False),
        ("a.ts", "f(/\\//g, 'a');\n", "f(/\\//g, 'b');\n", False),
        ("a.h", 'auto u = "http://a/1"; // x\n', 'auto u = "http://a/2"; // x\n', False),
        ("a.h", 'auto u = "/* 1 */";\n', 'auto u = "/* 2 */";\n', False),
        ("a.h", "// x\nint a();\n", "// x\nint b();\n", False),
        ("a.h", "int a();\n", "// @deprecated use b\nint a();\n", False),
        ("a.h", "// a \\\nint a();\n", "// a\nint a();\n", False),
        ("a.h", 'auto r = R"(// 1)";\n', 'auto r = R"(// 2)";\n', False),
        ("a.py", "# 2025\ndef f(): pass\n", "# 2026\ndef f(): pass\n", True),
        ("a.py", "def f():\n    pass  # x\n", "def f():\n        pass  # y\n", False),
        ("a.py", "x = '# 1'\n", "x = '# 2'\n", False),
        ("a.lua", "-- 1\nx = 1\n", "-- 2\nx = 1\n", True),
        ("a.lua", "x = [[-- 1]]\n", "x = [[-- 2]]\n", False),
    ],
)
def test_remarks_are_told_from_the_rest(path: str, old: str, new: str, is_so: bool) -> None:
    assert differ_in_remarks(old.encode(), new.encode(), path) is is_so


_CODE = st.lists(
    st.sampled_from(["a", "b", "/", "*", "//", "/*", "*/", '"', "'", "\n", " ", "\\", "1", "#", "--", "[["]),
    max_size=25,
).map("".join)


@example("\\", "//\\", "a.cpp")
@example("", "//\\\na", "a.cpp")
@example("", "//\\\na", "a.js")
@given(_CODE, _CODE, st.sampled_from(["a.cpp", "a.js", "a.py", "a.lua"]))
def test_what_is_told_to_be_a_remark_has_the_same_tokens(old: str, new: str, path: str) -> None:
    if differ_in_remarks(old.encode(), new.encode(), path):
        assert [token.text for token in tokenize(old, path)] == [token.text for token in tokenize(new, path)]


def test_what_differs_in_remarks_is_not_read(tree: Tree) -> None:
    files = {"a.hpp": "// 2025\nvoid a();\n", "b.hpp": "// 2025\nvoid b();\n"}
    news = {"a.hpp": "// 2026\nvoid a();\n", "b.hpp": "// 2026\nvoid c();\n"}
    pair = read_pair(tree("old", files), tree("new", news), "", Work())
    assert ([item.name for item in pair.old.symbols], [item.name for item in pair.new.symbols]) == (["b"], ["c"])
    assert pair.new.files == {"a.hpp", "b.hpp"}
