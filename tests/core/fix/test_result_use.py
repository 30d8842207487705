"""A call whose result is dropped is told from one whose result is used."""

from __future__ import annotations

import pytest

from fernshale.core.fix.result_use import uses_result


@pytest.mark.parametrize(
    ("code", "is_used"),
    [
        ("f(1);", False),
        ("{ f(g(2)); }", False),
        ("if (a) f(1); else f(2);", False),
        ("for (;;) f(1);", False),
        ("do f(1); while (a);", False),
        ("switch (a) { case 1: f(1); }", False),
        ("(void)f(1);", False),
        ("b.c->f(1);", False),
        ("x = f(1);", True),
        ("x = (int)f(1);", True),
        ("return f(1);", True),
        ("if (f(1) < 0) g();", True),
        ("if (f(1)) g();", True),
        ("while (f(1));", True),
        ("x = a ? b : f(1);", True),
        ("a ? g() : f(1);", True),
        ("g(f(1));", True),
        ("f(1) || g();", True),
        ("int x{f(1)};", True),
        ("handler = f;", False),
        ("f(1", True),
    ],
)
def test_results(code: str, is_used: bool) -> None:
    at = code.index("f(1") if "f(1" in code else code.index("f(") if "f(" in code else code.index("f;")
    assert uses_result(code, "a.c", at + 1) == is_used
